"""Executes a restore order: looks first, writes then."""

from __future__ import annotations

import shutil
import threading
from pathlib import Path
from typing import Literal

from ...contracts.events import DamageMet, Progress
from ...contracts.orders import RestoreOrder
from ...contracts.results import RestoreResult
from ...core.errors import (
    SettingError,
)
from ...core.formatting import format_count, format_size
from ...databases.base import DatabaseAccess
from ...hosts.base import HostConnection, RestoreTarget
from ...stores.base import Store, connected
from ..database_access import database_access
from ..emitter import Emitter
from ..store_access import retrying_store, seen
from .drill import Drill, clear_drill
from .drill_page import remove_copy
from .execution import PlanExecution
from .host_settings import HostSettingsRestore
from .in_place.task import InPlaceRestore
from .layout import Layout
from .losses import Losses
from .plan import RestorePlan, plan_restore
from .resuming import ResumingWriter
from .target import check_target, open_target
from .writer import EntryWriter


class RestoreTask:
    """Carries out one :class:`RestoreOrder`."""

    def __init__(
        self, order: RestoreOrder, host: HostConnection, emitter: Emitter, stop: threading.Event
    ) -> None:
        self._order, self._host, self._emitter, self._stop = order, host, emitter, stop
        self._writer: EntryWriter | None = None
        #: The folder that it fills.
        self._target: RestoreTarget | None = None
        self._is_used = False
        self._progress = Progress("preflight")
        self._losses = Losses(emitter)

    def run(self) -> RestoreResult:
        """Run it, and return the result."""
        drill = self._order.drill
        if drill is not None and drill.only_clear:
            self._host.connect()
            remove_copy(self._order, self._host, self._emitter)
            clear_drill(drill, self._order.host.servers, self._access, self._emitter)
            return RestoreResult(outcome="done", entries=0, bytes=0)
        spool = Path(self._order.spool)
        spool.mkdir(parents=True, exist_ok=True, mode=0o700)
        try:
            store = retrying_store(self._order.store, self._stop, self._emitter.info)
            with connected(store):
                try:
                    result = self._restore(store, spool)
                finally:
                    self._emitter.emit(seen(store))
            self._is_used = result.entries > 0
            return result
        finally:
            if self._target is not None and not self._is_used:
                self._target.remove_if_unused()
            if self._writer is not None:
                self._writer.close()
            shutil.rmtree(spool, ignore_errors=True)

    def _restore(self, store: Store, spool: Path) -> RestoreResult:
        self._host.connect()
        drill = self._order.drill
        plan = plan_restore(self._order, store, spool, self._emitter)
        self._progress.total = plan.bytes
        if drill is not None:
            return Drill(plan, drill, self._host, self._emitter, self._losses, self._progress).run(
                store, spool
            )
        lost = self._order.lost_account
        if self._order.in_place is not None and lost and self._order.subject.kind == "host":
            return HostSettingsRestore(
                plan,
                self._order.in_place,
                lost,
                self._host,
                self._emitter,
                self._losses,
                self._progress,
            ).run(store, spool)
        if self._order.in_place is not None:
            in_place = InPlaceRestore(
                plan,
                self._order.in_place,
                self._host,
                self._emitter,
                self._losses,
                self._progress,
            )
            return in_place.run(store, spool)
        if self._order.target:
            self._prepare_target(plan, spool)
        execution = PlanExecution(
            plan, self._host, self._writer, self._emitter, self._losses, self._progress
        )
        count = execution.run(store, spool)
        if not count and not self._losses:
            raise SettingError(
                "Nothing in the bundle matches what was asked for.",
                "Look at its listing for the right paths.",
                field="paths",
            )
        return self._result(store.spec.name, count, bool(execution.kept_mail))

    def _access(self, engine: str) -> DatabaseAccess:
        return database_access(engine, self._order.host, self._host, "", self._order.spool)

    def _result(self, store: str, count: int, has_set_aside: bool) -> RestoreResult:
        if self._losses.is_damage:
            self._emitter.emit(DamageMet(store, self._order.bundle))
        self._emitter.info(
            f"restored {format_count(count, 'entry', 'entries')}, "
            f"{format_size(self._progress.bytes)}"
        )
        return RestoreResult(
            outcome=self._outcome,
            error=self._losses.sentence(store, count) if self._losses else "",
            entries=count,
            bytes=self._progress.bytes,
            has_set_aside=has_set_aside,
        )

    @property
    def _outcome(self) -> Literal["done", "warned", "failed"]:
        if self._losses:
            return "failed"
        return "warned" if self._emitter.warnings else "done"

    def _prepare_target(self, plan: RestorePlan, spool: Path) -> None:
        target = self._target = open_target(self._order.target)
        kind = ResumingWriter if self._order.resume else EntryWriter
        self._writer = kind(
            target,
            spool,
            self._emitter,
            self._losses,
            self._progress,
            plan.with_special_modes,
            self._order.owners,
        )
        self._writer.layout = Layout(plan.paths, self._order.full_layout)
        check_target(target, plan)
