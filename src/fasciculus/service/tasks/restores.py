"""Restores: a bundle, or part of it, brought back."""

from __future__ import annotations

import logging
import shutil
import sqlite3
from collections.abc import Callable

import msgspec

from ...contracts.events import DamageMet, Event, Log, StoreSeen
from ...contracts.orders import DropOrder, Order, RecoverOrder, UndoOrder
from ...contracts.results import AnyResult, RestoreResult, SideResult
from ...core.errors import SettingError
from ...core.restore.plan_line import PlanSummary
from ...core.restore.restore_kind import RestoreKind, SetAside
from ...core.subject import SubjectKind
from ...models import Restore, RestorePlan
from ...records import inventory
from ...records.runs import restores, runs
from ...records.stores import store_days
from .handler import HandlerBase
from .orders.restore import clear_order, left_plan, place_of, restore_order, side_order
from .progress import TaskProgress
from .queued import RESTORES, QueuedRestore

log = logging.getLogger(__name__)


class RestoreHandler(HandlerBase[QueuedRestore]):
    """Begins, records, shows and ends restores."""

    cancelled = "Cancelled. Files restored so far are kept; --resume continues."
    aftermath = (
        "Files in a new folder are whole; take that up again with --resume. A restore in place is "
        "finished or rolled back; its log says which."
    )

    def queued(self, restore: Restore) -> QueuedRestore:
        """Return a restore that waits. It waits for no other task of its host or store, but they
        for it: no more of them begin than these take together.
        """
        subject = place_of(restore)
        return QueuedRestore(
            number=restore.id,
            subject=subject,
            priority=RESTORES,
            host=inventory.host_of_subject(self._records.reader, *subject) or "",
            store_limits={restore.store: 0},
            after_run=restore.after_run,
        )

    def begin(self, task: QueuedRestore) -> Order:
        """Record that the task runs, and return its order."""
        self._check_bundle_first(task)
        with self._records.write() as db:
            restores.begin(db, task.number)
        task.shown = restores.restore(self._records.reader, task.number)
        self.show(task)
        return self._order(task.shown)

    def _check_bundle_first(self, task: QueuedRestore) -> None:
        """Check that there is the bundle of the present state that was asked for."""
        if not task.after_run:
            return
        found = runs.tasks(self._records.reader, task.after_run)
        if not found or any(t.outcome not in ("done", "warned") for t in found):
            raise SettingError(
                f"Nothing was changed: the bundle of the present state failed (run "
                f"{task.after_run}).",
                "Look at that run, or restore without a bundle first.",
            )

    def _order(self, restore: Restore) -> Order:
        sources = self._sources()
        match restore.kind:
            case RestoreKind.UNDO:
                return side_order(sources, restore, UndoOrder, force=restore.resume)
            case RestoreKind.DROP:
                return side_order(sources, restore, DropOrder)
        self._config.under_way.mkdir(parents=True, exist_ok=True)
        return restore_order(sources, restore)

    def after_failure(
        self, task: QueuedRestore, carry_out: Callable[[Order], AnyResult | None]
    ) -> None:
        """Finish or roll back a restore in place whose worker was killed."""
        restore = restores.restore(self._records.reader, task.number)
        if restore.kind == RestoreKind.DRILL:
            carry_out(clear_order(self._sources(), restore))
            return
        if restore.subject_kind == SubjectKind.HOST:
            # Each of its settings was written whole, or not at all.
            return
        changes = restore.in_place is not None and restore.kind == RestoreKind.RESTORE
        if not changes and restore.kind != RestoreKind.UNDO:
            return
        result = carry_out(side_order(self._sources(), restore, RecoverOrder))
        if isinstance(result, SideResult):
            with self._records.write() as db:
                restores.set_aside(db, restore.of_restore or restore.id, result.state)
                restores.settled(db, restore.id, *_settled(result, restore.kind))

    def take(self, task: QueuedRestore, event: Event) -> None:
        """Record an event of a task."""
        if isinstance(event, Log):
            self._log(task, event, "restore", task.number)
        elif isinstance(event, DamageMet):
            task.damaged.add((event.store, event.bundle))
        elif isinstance(event, StoreSeen):
            with self._records.write() as db:
                store_days.seen(db, event.store, event.sent, event.received, event.free)

    def endings(self, task: QueuedRestore, result: AnyResult) -> list[Callable[[], None]]:
        """Return the writes that end a task."""
        return [
            lambda: self._end(task, result),
            lambda: self._verify_damaged(task, f"restore {task.number}"),
        ]

    def _end(self, task: QueuedRestore, result: AnyResult) -> None:
        made = result if isinstance(result, RestoreResult) else None
        if made is not None and made.plan is not None:
            plan = self._config.restore_plan(task.number)
            plan.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
            self.collect(left_plan(self._config, task.number), plan)
        with self._records.write() as db:
            if made is not None and made.plan is not None:
                restores.planned(db, task.number, self._plan(db, made.plan))
            if made is not None and made.drill is not None:
                restores.drilled(db, task.number, msgspec.json.encode(made.drill).decode())
            if made is not None and made.has_set_aside:
                restores.set_aside(db, task.number, SetAside.KEPT)
            if isinstance(result, SideResult) and task.shown is not None:
                restores.set_aside(db, task.shown.of_restore or task.number, result.state)
            restores.end(
                db,
                task.number,
                result.outcome,
                result.error,
                made.entries if made else 0,
                made.bytes if made else 0,
            )
            # In the same transaction as its end, so that it is reported exactly once.
            self._report(db, restores.restore(db, task.number))
        self.on_reported()
        task.shown = restores.restore(self._records.reader, task.number)
        self.show(task)

    def _report(self, db: sqlite3.Connection, row: Restore) -> None:
        """Write the report; a failure must not keep the restore from ending."""
        try:
            self.reports.restore(db, row)
        except sqlite3.Error:
            raise
        except Exception:
            log.exception("restore %s: its report could not be written", row.id)

    @staticmethod
    def _plan(db: sqlite3.Connection, found: PlanSummary) -> str:
        rate = restores.rate(db)
        plan = RestorePlan.model_validate(msgspec.structs.asdict(found))
        plan.seconds = round(found.write_bytes / rate, 1) if rate else None
        return plan.model_dump_json()

    def clear(self, task: QueuedRestore) -> None:
        """Remove the temporary files of a task."""
        shutil.rmtree(self._config.spool / f"restore-{task.number}", ignore_errors=True)

    def show(self, task: QueuedRestore) -> None:
        """Send the present state to open consoles."""
        if task.shown is not None:
            if task.progress is not None and task.shown.state == "running":
                with_progress(task.shown, task.progress)
            self._events.tell("restore", task.shown, subject=task.subject)

    def unfinished(self) -> list[QueuedRestore]:
        """Return the queued and running tasks of the records."""
        return [self.queued(row) for row in restores.unfinished(self._records.reader)]


def _settled(result: SideResult, kind: RestoreKind) -> tuple[str, str]:
    """Return the outcome and the sentence for an interrupted restore in place, or its undo."""
    if kind == RestoreKind.UNDO:
        if result.state == SetAside.UNDONE:
            return result.outcome, ""
        return "failed", "It was interrupted before anything was undone. Undo it again."
    if result.state == SetAside.KEPT:
        return "warned", "It was interrupted, and finished afterwards."
    return "failed", "It was interrupted, and rolled back: nothing was changed. Start it again."


def with_progress(shown: Restore, live: TaskProgress) -> None:
    """Put the live numbers into the output model of a restore."""
    shown.stage, shown.total = live.progress.stage, live.progress.total
    shown.entries, shown.bytes = live.progress.entries, live.progress.bytes
