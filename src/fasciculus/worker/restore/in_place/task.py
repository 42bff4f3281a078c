"""Restores in place: plans, stages, and switches."""

from __future__ import annotations

import os
import shutil
import tempfile
import time
from contextlib import ExitStack, suppress
from pathlib import Path
from typing import BinaryIO

from ....bundles.files import unsealed
from ....contracts.events import Progress
from ....contracts.orders import InPlaceOrder
from ....contracts.results import RestoreResult
from ....core.bundle.entry import Entry
from ....core.bundle.reader import BundleReader
from ....core.bundle.root_path import make_root
from ....core.errors import DamagedError, FasciculusError, SettingError, StoreFullError
from ....core.file_filters import FileSelector
from ....core.formatting import format_count, format_size
from ....core.restore.likeness import Likeness
from ....core.restore.plan_line import PlanSummary
from ....core.selection import ExcludedPaths
from ....hosts.base import HostConnection
from ....hosts.local_tree import LocalTree
from ....hosts.side_folder import make_side_folder, remove_side_folder, side_folder
from ....hosts.switch import Switch
from ....stores.base import Store
from ...emitter import Emitter
from ...errors import CancelledError
from ..losses import Losses
from ..plan import RestorePlan
from ..special_modes import SpecialModesLog
from .databases import Exchanges
from .live_tree import LiveTree
from .planner import InPlacePlanner, PlanRules
from .staging import StagingWriter, stage
from .wanted import WantedEntries


class InPlaceRestore:
    """Carries out the files of one restore in place. Until :meth:`run` switches, nothing that is in
    use has changed.
    """

    def __init__(
        self,
        plan: RestorePlan,
        in_place: InPlaceOrder,
        host: HostConnection,
        emitter: Emitter,
        losses: Losses,
        progress: Progress,
    ) -> None:
        self._plan, self._order, self._host = plan, plan.order, host
        self._in_place = in_place
        self._emitter, self._losses, self._progress = emitter, losses, progress
        self._root = os.fsencode(self._order.subject.root)
        self._home = os.fsencode(self._order.subject.home)
        self._exchanges = Exchanges(self._order.host, host, self._order.spool, emitter)
        #: How much of it is written into the home.
        self._file_bytes = 0

    def run(self, store: Store, spool: Path) -> RestoreResult:
        """Plan, and unless only the plan was asked for, carry it out."""
        _check_host(self._host)
        summary = self._planned(spool)
        if self._in_place.plan_only or not summary.changes:
            return self._result(summary, 0, False)
        return self._carried_out(store, spool, summary)

    def _writer(self, folder: bytes, spool: Path) -> StagingWriter:
        return StagingWriter(
            LocalTree(folder),
            spool,
            self._emitter,
            self._losses,
            self._progress,
            self._plan.with_special_modes,
            self._order.owners,
        )

    # The plan --------------------------------------------------------------------

    def _planned(self, spool: Path) -> PlanSummary:
        self._progress.stage = "planning"
        self._emitter.emit(self._progress)
        (spool / "journal").touch()
        (spool / "staged").touch()
        with open(self._in_place.plan, "wb") as lines:
            summary = PlanSummary()
            if self._in_place.with_files:
                summary = self._planned_files(lines, spool)
            self._file_bytes = summary.write_bytes
            summary.include(self._exchanges.plan(self._plan, lines))
        summary.free_bytes = self._free()
        self._emitter.info(_words(summary))
        return summary

    def _planned_files(self, lines: BinaryIO, spool: Path) -> PlanSummary:
        writer = self._writer(os.fsencode(spool / "new"), spool)
        try:
            return self._compared(writer, lines, spool)
        finally:
            writer.close()

    def _compared(self, writer: StagingWriter, lines: BinaryIO, spool: Path) -> PlanSummary:
        order, wanted = self._in_place, WantedEntries(self._plan)
        chooser = FileSelector(order.rules, time.time_ns()) if order.remove_extra else None
        excluded = ExcludedPaths([*order.own_folders, *order.excluded]).below(self._root)
        live = LiveTree(self._host, self._order.subject, chooser, excluded, self._emitter.warn)
        owner = writer.tree.owner_of if writer.tree.sets_owners else None
        likeness = Likeness(
            owner,
            live.digest if order.compare_contents else None,
            self._plan.with_special_modes,
        )
        log = SpecialModesLog(self._emitter, self._plan.with_special_modes)

        def allowed(entry: Entry) -> Entry:
            log.see(entry)
            return writer.allowed(entry)

        with ExitStack() as stack:
            journal = stack.enter_context((spool / "journal").open("wb"))
            staged = stack.enter_context((spool / "staged").open("wb"))
            dressed = stack.enter_context(tempfile.TemporaryFile(dir=spool))
            planner = InPlacePlanner(
                wanted,
                live,
                likeness,
                self._rules(),
                allowed,
                owner,
                lines,
                journal,
                staged,
                dressed,
            )
            summary = planner.run()
        log.finish()
        if not (planner.found or self._plan.databases):
            raise SettingError(
                "Nothing in the bundle matches what was asked for.",
                "Look at its listing for the right paths.",
                field="paths",
            )
        return summary

    def _rules(self) -> PlanRules:
        contents = self._plan.manifest.contents.get("files")
        unreadable = contents.unreadable if contents is not None else []
        return PlanRules(
            self._in_place.conflicts,
            self._in_place.remove_extra,
            frozenset(text.rpartition(": ")[0] for text in unreadable),
            f"from-{self._order.bundle[:17]}",
        )

    def _free(self) -> int:
        there = self._root
        while not os.path.isdir(there):
            there = os.path.dirname(there)
        info = os.statvfs(there)
        return info.f_bavail * info.f_frsize

    # Carrying it out -------------------------------------------------------------

    def _carried_out(self, store: Store, spool: Path, summary: PlanSummary) -> RestoreResult:
        free = summary.free_bytes or 0
        if free < self._file_bytes:
            raise StoreFullError(
                f"{os.fsdecode(self._root)} has {format_size(free)} free, and "
                f"{format_size(self._file_bytes)} are to be written.",
                "Make room, or restore less.",
            )
        try:
            # A missing home is created; its owner and mode are restored with the rest.
            os.close(make_root(self._root, self._home))
            side = side_folder(self._root, self._home, self._in_place.side.encode())
            make_side_folder(side)
        except OSError as error:
            raise SettingError(
                f"Nothing can be set aside next to {os.fsdecode(self._root)}: {error.strerror}.",
                "Restore into another folder (--to), and move files from there.",
                field="in_place",
            ) from error
        try:
            shutil.copyfile(spool / "journal", os.fsdecode(side) + "/journal")
            count = self._staged(store, spool, side, summary.write_bytes)
            if self._losses:
                raise DamagedError(
                    "Nothing was changed: " + self._losses.sentence(store.spec.name, count)
                )
        except BaseException:
            with suppress(FasciculusError):
                self._exchanges.drop()
            with suppress(OSError):
                remove_side_folder(side)
            raise
        self._progress.stage = "switching"
        self._emitter.emit(self._progress)
        try:
            problems = switched(self._root, self._home, side)
        except OSError as error:
            problems = [(self._order.subject.root, f"the switch stopped: {error.strerror}")]
            self._emitter.error("Undo it with --force (fasciculus restores undo), then try again.")
        for path, why in problems + self._exchanges.run(Path(os.fsdecode(side))):
            self._losses.not_written(path, why)
        self._emitter.info(f"what was replaced is set aside in {os.fsdecode(side)}")
        return self._result(summary, count, True)

    def _staged(self, store: Store, spool: Path, side: bytes, total: int) -> int:
        """Write everything into the side folder; if any of it is damaged, nothing is switched."""
        self._progress.stage, self._progress.total = "files", total
        writer = self._writer(side + b"/new", spool)
        writer.link_to_live(self._root, self._home)
        try:
            with BundleReader(unsealed(store), self._order.subject.ref(), spool) as reader:
                count = stage(spool / "staged", writer, reader, self._emitter, self._progress)
                return count + self._exchanges.stage(
                    self._plan, reader, Path(os.fsdecode(side)), self._losses, self._progress
                )
        finally:
            writer.close()

    def _result(self, summary: PlanSummary, count: int, has_set_aside: bool) -> RestoreResult:
        return RestoreResult(
            outcome="failed" if self._losses else "warned" if self._emitter.warnings else "done",
            error=self._losses.sentence(self._order.store.name, count) if self._losses else "",
            entries=count,
            bytes=self._progress.bytes,
            plan=summary,
            has_set_aside=has_set_aside,
        )


def switched(root: bytes, home: bytes, side: bytes) -> list[tuple[str, str]]:
    """Switch everything staged in a side folder; return the paths that failed, with the reasons."""
    switch = Switch(root, home, side)
    try:
        try:
            switch.run()
        except CancelledError:
            # Too late: what has begun is finished.
            switch.recover()
        return switch.problems
    finally:
        switch.close()


def _check_host(host: HostConnection) -> None:
    if not host.is_local:
        raise SettingError(
            "A restore in place needs the service's own machine.",
            "Restore into a folder (--to), and copy it to the host.",
            field="in_place",
        )


def _words(summary: PlanSummary) -> str:
    return (
        f"plan: {format_count(summary.created, 'entry', 'entries')} created, "
        f"{summary.replaced:,} replaced, {summary.removed:,} removed, "
        f"{summary.attributes:,} with other attributes, {summary.kept:,} kept, "
        f"{summary.unchanged:,} unchanged; {format_size(summary.write_bytes)} to write, "
        f"{format_size(summary.aside_bytes)} to set aside"
    )
