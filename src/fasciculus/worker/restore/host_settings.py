"""The missing settings of a host, brought back where they were."""

from __future__ import annotations

from pathlib import Path

from ...contracts.events import Progress
from ...contracts.orders import InPlaceOrder, LostAccountOrder
from ...contracts.results import RestoreResult
from ...hosts.base import HostConnection
from ...stores.base import Store
from ..emitter import Emitter
from .losses import Losses
from .lost_account import LostAccount
from .plan import RestorePlan


class HostSettingsRestore:
    """Carries out a restore of a host's own settings: none that exists is replaced."""

    def __init__(
        self,
        plan: RestorePlan,
        in_place: InPlaceOrder,
        order: LostAccountOrder,
        host: HostConnection,
        emitter: Emitter,
        losses: Losses,
        progress: Progress,
    ) -> None:
        self._store = plan.order.store.name
        self._in_place, self._emitter = in_place, emitter
        self._losses, self._progress = losses, progress
        self._settings = LostAccount(plan, order, host, emitter, losses, progress)

    def run(self, store: Store, spool: Path) -> RestoreResult:
        """Plan, and unless only the plan was asked for, carry it out."""
        self._progress.stage = "planning"
        with open(self._in_place.plan, "wb") as lines:
            summary = self._settings.plan(lines)
        count = 0
        if summary.changes and not self._in_place.plan_only:
            count = self._settings.finish(store, spool)
        return RestoreResult(
            outcome="failed" if self._losses else "warned" if self._emitter.warnings else "done",
            error=self._losses.sentence(self._store, count) if self._losses else "",
            entries=count,
            bytes=self._progress.bytes,
            plan=summary,
        )
