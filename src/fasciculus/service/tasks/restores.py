"""Restores: a bundle, or part of it, brought back."""

from __future__ import annotations

import shutil
from collections.abc import Callable

from ...contracts.events import DamageMet, Event, Log, StoreSeen
from ...contracts.orders import Order
from ...contracts.results import AnyResult, RestoreResult
from ...core.subject import Subject
from ...models import Restore
from ...records import inventory
from ...records.runs import restores
from ...records.stores import store_days
from .handler import HandlerBase
from .orders.restore import restore_order
from .progress import TaskProgress
from .queued import RESTORES, QueuedRestore


class RestoreHandler(HandlerBase[QueuedRestore]):
    """Begins, records, shows and ends restores."""

    cancelled = "Cancelled. Files restored so far are kept; --resume continues."
    aftermath = "Files that are there are whole; take it up again with --resume."

    def queued(self, restore: Restore) -> QueuedRestore:
        """Return a restore that waits. It waits for no other task of its host or store, but they
        for it: no more of them begin than these take together.
        """
        subject = Subject.of(restore.subject_kind, restore.subject)
        return QueuedRestore(
            number=restore.id,
            subject=subject,
            priority=RESTORES,
            host=inventory.host_of_subject(self._records.reader, *subject) or "",
            store_limits={restore.store: 0},
        )

    def begin(self, task: QueuedRestore) -> Order:
        with self._records.write() as db:
            restores.begin(db, task.number)
        task.shown = restores.restore(self._records.reader, task.number)
        self.show(task)
        return restore_order(self._sources(), task.shown)

    def take(self, task: QueuedRestore, event: Event) -> None:
        if isinstance(event, Log):
            self._log(task, event, "restore", task.number)
        elif isinstance(event, DamageMet):
            task.damaged.add((event.store, event.bundle))
        elif isinstance(event, StoreSeen):
            with self._records.write() as db:
                store_days.seen(db, event.store, event.sent, event.received, event.free)

    def endings(self, task: QueuedRestore, result: AnyResult) -> list[Callable[[], None]]:
        return [
            lambda: self._end(task, result),
            lambda: self._verify_damaged(task, f"restore {task.number}"),
        ]

    def _end(self, task: QueuedRestore, result: AnyResult) -> None:
        made = result if isinstance(result, RestoreResult) else None
        with self._records.write() as db:
            restores.end(
                db,
                task.number,
                result.outcome,
                result.error,
                made.entries if made else 0,
                made.bytes if made else 0,
            )
        task.shown = restores.restore(self._records.reader, task.number)
        self.show(task)

    def clear(self, task: QueuedRestore) -> None:
        shutil.rmtree(self._config.spool / f"restore-{task.number}", ignore_errors=True)

    def show(self, task: QueuedRestore) -> None:
        if task.shown is not None:
            if task.progress is not None and task.shown.state == "running":
                with_progress(task.shown, task.progress)
            self._events.tell("restore", task.shown, subject=task.subject)

    def unfinished(self) -> list[QueuedRestore]:
        return [self.queued(row) for row in restores.unfinished(self._records.reader)]


def with_progress(shown: Restore, live: TaskProgress) -> None:
    """Put the live numbers into the output model of a restore."""
    shown.stage, shown.total = live.progress.stage, live.progress.total
    shown.entries, shown.bytes = live.progress.entries, live.progress.bytes
