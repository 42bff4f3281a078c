"""Restores in place: plans, stages, and switches."""

from __future__ import annotations

import os
import tempfile
import time
from collections.abc import Callable
from contextlib import ExitStack, closing, suppress
from pathlib import Path
from typing import BinaryIO

from ....bundles.files import unsealed
from ....contracts.events import Progress
from ....contracts.orders import InPlaceOrder
from ....contracts.results import RestoreResult
from ....core.bundle.entry import DIR, Entry
from ....core.bundle.reader import BundleReader
from ....core.errors import (
    ConnectionLostError,
    DamagedError,
    FasciculusError,
    SettingError,
    StoreFullError,
    UnreachableError,
)
from ....core.file_filters import FileSelector
from ....core.formatting import format_count, format_size
from ....core.restore.likeness import Likeness
from ....core.restore.plan_line import PlanSummary
from ....core.selection import ExcludedPaths
from ....hosts.base import HostConnection, Problems, SideFolder
from ....hosts.switch import STAGING
from ....stores.base import Store
from ...emitter import Emitter
from ...errors import CancelledError
from ...task_hooks import TaskHooks
from ..losses import Losses
from ..lost_account import LostAccount
from ..plan import RestorePlan
from ..special_modes import SpecialModesLog
from ..writer import allowed_entry
from .databases import Exchanges
from .live_tree import LiveTree
from .planner import InPlacePlanner, PlanRules
from .relocating import FileRewriter
from .staging import StagingWriter, stage
from .wanted import WantedEntries

_CHUNK = 1024 * 1024
#: Pauses before asking again a host that is out of reach during a switch, in seconds.
_PAUSES = (2, 5, 15, 60)


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
        self._exchanges = Exchanges(
            self._order.host, host, self._order.spool, Path(in_place.kept), emitter
        )
        self._side: SideFolder
        lost = self._order.lost_account
        self._lost = LostAccount(plan, lost, host, emitter, losses, progress) if lost else None
        #: How much of it is written into the home.
        self._file_bytes = 0
        #: Why the databases do not fit, empty if they do.
        self._shortage = ""

    def run(self, store: Store, spool: Path) -> RestoreResult:
        """Plan, and unless only the plan was asked for, carry it out."""
        subject = self._order.subject
        self._side = self._host.side_folder(subject.root, subject.home, self._in_place.side)
        with closing(self._side):
            return self._run(store, spool)

    def _run(self, store: Store, spool: Path) -> RestoreResult:
        if self._lost is not None and not self._in_place.plan_only:
            # Its files belong to it.
            self._lost.make_user(store, spool)
        summary = self._planned(spool)
        if self._in_place.plan_only or not summary.changes:
            return self._result(summary, 0, False)
        return self._finished(store, spool, self._carried_out(store, spool, summary))

    def _finished(self, store: Store, spool: Path, result: RestoreResult) -> RestoreResult:
        """Bring the rest of a lost account back."""
        if self._lost is None:
            return result
        count = self._lost.finish(store, spool)
        return self._result(result.plan or PlanSummary(), result.entries + count, True)

    # The plan --------------------------------------------------------------------

    def _planned(self, spool: Path) -> PlanSummary:
        self._progress.stage = "planning"
        self._emitter.emit(self._progress)
        (spool / "journal").touch()
        (spool / "staged").touch()
        with open(self._in_place.plan, "wb") as lines:
            summary = PlanSummary()
            if self._in_place.with_files:
                self._check_place()
                summary = self._planned_files(lines, spool)
            self._file_bytes = summary.write_bytes
            summary.include(self._exchanges.plan(self._plan, lines))
            if self._lost is not None:
                summary.include(self._lost.plan(lines))
        summary.free_bytes = self._side.free
        self._shortage = self._exchanges.shortage()
        summary.notes = [*self._side.limits, *filter(None, [self._shortage])]
        self._emitter.info(_words(summary))
        return summary

    def _check_place(self) -> None:
        """Check that there is a folder for what moves, and that nothing is where a copy goes."""
        moves = self._order.relocation
        if moves is None or not moves.to_folder:
            return
        path = os.fsencode(moves.to_folder)
        above = self._side.describe(path.rpartition(b"/")[0], self._emitter.warn)
        if above is None or above.type != DIR:
            raise SettingError(
                f"There is no folder for {moves.to_folder} in {self._order.subject.root}.",
                "Name a folder in an existing one.",
                field="to_folder",
            )
        if moves.beside and self._side.describe(path, self._emitter.warn) is not None:
            raise SettingError(
                f"{os.path.join(self._order.subject.root, moves.to_folder)} exists already.",
                "Name another folder for the copy.",
                field="to_folder",
            )

    def _planned_files(self, lines: BinaryIO, spool: Path) -> PlanSummary:
        order, wanted = self._in_place, WantedEntries(self._plan)
        chooser = FileSelector(order.rules, time.time_ns()) if order.remove_extra else None
        excluded = ExcludedPaths([*order.own_folders, *order.excluded]).below(self._root)
        live = LiveTree(
            self._host, self._side, self._order.subject, chooser, excluded, self._emitter.warn
        )
        owner = self._side.owner_of if self._side.sets_owners else None
        likeness = Likeness(
            owner,
            live.digest if order.compare_contents else None,
            self._plan.with_special_modes,
        )
        log = SpecialModesLog(self._emitter, self._plan.with_special_modes)

        def allowed(entry: Entry) -> Entry:
            log.see(entry)
            return allowed_entry(entry, self._order.owners, self._plan.with_special_modes)

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

    # Carrying it out -------------------------------------------------------------

    def _carried_out(self, store: Store, spool: Path, summary: PlanSummary) -> RestoreResult:
        free = summary.free_bytes
        if free is not None and free < self._file_bytes:
            raise StoreFullError(
                f"{os.fsdecode(self._root)} has {format_size(free)} free, and "
                f"{format_size(self._file_bytes)} are to be written.",
                "Make room, or restore less.",
            )
        if self._shortage:
            raise StoreFullError(self._shortage, "Make room, or restore without databases.")
        try:
            self._side.make()
        except OSError as error:
            raise SettingError(
                f"Nothing can be set aside next to {os.fsdecode(self._root)}: {error.strerror}.",
                "Restore into another folder (--to), and move files from there.",
                field="in_place",
            ) from error
        try:
            self._send_journal(spool / "journal")
            count = self._staged(store, spool, summary.write_bytes)
            if self._losses:
                raise DamagedError(
                    "Nothing was changed: " + self._losses.sentence(store.spec.name, count)
                )
            hooks = TaskHooks(
                self._order.commands, self._order.hold_flags, self._host, self._emitter
            )
            stack = ExitStack()
            stack.enter_context(hooks.task())
        except BaseException:
            self._clear()
            raise
        with stack:
            self._exchange()
        self._emitter.info(f"what was replaced is set aside in {self._side.path}")
        return self._result(summary, count, True)

    def _exchange(self) -> None:
        """Exchange everything that was staged."""
        self._progress.stage = "switching"
        self._emitter.emit(self._progress)
        try:
            problems = self._switched()
        except OSError as error:
            problems = [(self._order.subject.root, f"the switch stopped: {error.strerror}")]
            self._emitter.error("Undo it with --force (fasciculus restores undo), then try again.")
        for path, why in problems + _to_the_end(self._exchanges.run):
            self._losses.not_written(path, why)

    def _clear(self) -> None:
        """Remove what was staged; nothing was exchanged yet."""
        with suppress(FasciculusError):
            self._exchanges.drop()
        try:
            self._side.remove()
        except (FasciculusError, OSError):
            self._emitter.warn("The staged data could not be removed; “restores drop” removes it.")

    def _send_journal(self, journal: Path) -> None:
        with journal.open("rb") as file:
            # There is one, even if only databases are exchanged.
            self._side.add_to_journal(b"")
            while data := file.read(_CHUNK):
                self._side.add_to_journal(data)

    def _staged(self, store: Store, spool: Path, total: int) -> int:
        """Write everything into the side folder; if any of it is damaged, nothing is switched."""
        self._progress.stage, self._progress.total = "files", total
        writer = StagingWriter(
            self._side.staging(),
            spool,
            self._emitter,
            self._losses,
            self._progress,
            self._plan.with_special_modes,
            self._order.owners,
        )
        writer.link_to_live(self._root, self._home)
        moves = self._order.relocation
        try:
            with BundleReader(unsealed(store), self._order.source, spool) as reader:
                rewriter = None
                if moves is not None:
                    names = self._exchanges.rename_users(self._plan, moves, reader)
                    names |= self._order.databases
                    rewriter = FileRewriter(moves, names, spool, self._emitter)
                count = stage(
                    spool / "staged", writer, reader, rewriter, self._emitter, self._progress
                )
                return count + self._exchanges.stage(
                    self._plan, reader, self._losses, self._progress
                )
        finally:
            writer.close()

    def _switched(self) -> Problems:
        """Exchange everything; return what failed. Once it has begun it is finished, even if the
        task is cancelled or the connection lost.
        """
        try:
            return self._side.switch()
        except (CancelledError, ConnectionLostError):
            for pause in _PAUSES:
                try:
                    self._host.connect()
                    state, problems = self._side.recover()
                    # It may have been lost before the first exchange.
                    return self._side.switch() if state == STAGING else problems
                except UnreachableError as error:
                    self._emitter.info(f"{error.message} Trying again in {pause} s.")
                    time.sleep(pause)
            why = "the host did not answer again; what it has begun, it finishes by itself"
            self._emitter.error(f"Undo it once {self._order.host.name} answers (restores undo).")
            return [(self._order.subject.root, why)]

    def _result(self, summary: PlanSummary, count: int, has_set_aside: bool) -> RestoreResult:
        return RestoreResult(
            outcome="failed" if self._losses else "warned" if self._emitter.warnings else "done",
            error=self._losses.sentence(self._order.store.name, count) if self._losses else "",
            entries=count,
            bytes=self._progress.bytes,
            plan=summary,
            has_set_aside=has_set_aside,
        )


def _to_the_end(step: Callable[[], Problems]) -> Problems:
    """Carry out a step that must not stop halfway; it may be repeated."""
    try:
        return step()
    except CancelledError:
        return step()


def _words(summary: PlanSummary) -> str:
    return (
        f"plan: {format_count(summary.created, 'entry', 'entries')} created, "
        f"{summary.replaced:,} replaced, {summary.removed:,} removed, "
        f"{summary.attributes:,} with other attributes, {summary.kept:,} kept, "
        f"{summary.unchanged:,} unchanged; {format_size(summary.write_bytes)} to write, "
        f"{format_size(summary.aside_bytes)} to set aside"
    )
