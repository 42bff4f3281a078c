"""Carries out all tasks: one queue, one way to begin, log, report progress, end and recover."""

from __future__ import annotations

import logging
import threading
import time
from collections.abc import Callable, Iterable, Mapping
from datetime import UTC, datetime
from functools import partial
from typing import Any

from ...contracts.events import CopyResult, Log, Progress, StoreSeen
from ...contracts.orders import BackupOrder, Order
from ...contracts.results import AnyResult, Failure
from ...core.errors import FasciculusError
from ...core.formatting import format_count
from ...core.subject import Subject
from ...worker.pool import Workers
from .handler import Handler
from .journal import Gathering, Journal
from .progress import TaskProgress
from .queue import Paused, TaskQueue
from .queued import Lane, QueuedTask

log = logging.getLogger(__name__)

_GRACE = 45.0
_WATCH_EVERY = 15.0
_LOOK_EVERY = 5.0
#: Events that are recorded shortly after, many at a time.
_GATHERED = (Log, CopyResult, StoreSeen)
_STOPPED = "The service was stopped while this was running."


class TaskRunner:
    """Tasks from queued to ended, of all types. The only part that starts workers for them.

    ``limits`` says how many threads, and so how many tasks at once, there are in each lane. The
    runner knows workers by what they send alone, so that they may be on another machine:
    ``slots`` says how many tasks the workers of a queue take, and ``elsewhere`` how many there are
    at most of all queues.
    """

    def __init__(
        self,
        workers: Workers,
        handlers: Mapping[type[QueuedTask], Handler[Any]],
        limits: Mapping[Lane, int],
        slots: Callable[[str], int] = lambda queue: 1,
        elsewhere: int = 0,
    ) -> None:
        self._workers, self._handlers = workers, handlers
        self._queue = TaskQueue(limits, slots)
        self._changed = threading.Condition()
        self._gathering = Gathering()
        self._unwritten: list[tuple[QueuedTask, Journal]] = []
        self._adrift: set[tuple[str, int]] = set()
        self._closing = False
        self._threads = [
            threading.Thread(target=self._work, name=f"tasks-{number}", daemon=True)
            for number in range(sum(limits.values()) + elsewhere)
        ]
        self._watcher = threading.Thread(target=self._watch, name="task-watch", daemon=True)

    # Starting and stopping -------------------------------------------------------

    def start(self) -> None:
        """End what an earlier life left unfinished, then begin to work."""
        self.recover(at_start=True)
        self._gathering.start()
        for thread in (*self._threads, self._watcher):
            thread.start()

    @property
    def alive(self) -> bool:
        """Return whether all its threads are running."""
        threads = (*self._threads, self._watcher)
        return self._gathering.is_alive() and all(thread.is_alive() for thread in threads)

    def stop(self) -> None:
        """Cancel what is running and wait for it, so that nothing is left behind."""
        with self._changed:
            self._closing = True
            running = self._queue.running()
            self._changed.notify_all()
        for task in running:
            self._cancel_running(task)
        deadline = time.monotonic() + _GRACE
        with self._changed:
            while self._queue.running() and time.monotonic() < deadline:
                self._changed.wait(0.5)
            for task in self._queue.running():
                if task.worker is not None:
                    task.worker.kill()
        for thread in self._threads:
            thread.join(max(0.0, deadline - time.monotonic()))
        self._gathering.close()
        self._workers.close()

    # Adding and cancelling ---------------------------------------------------------

    def add(self, tasks: Iterable[QueuedTask]) -> None:
        """Queue tasks that the records know already."""
        with self._changed:
            self._queue.add(tasks)
            self._changed.notify_all()

    def cancel(self, matches: Callable[[QueuedTask], bool]) -> None:
        """Cancel the tasks that match, waiting or running."""
        with self._changed:
            withdrawn = self._queue.withdraw(matches)
            running = [task for task in self._queue.running() if matches(task)]
        for task in withdrawn:
            self._end(task, Failure(outcome="cancelled", error="Cancelled before it began."))
        for task in running:
            self._cancel_running(task)

    @staticmethod
    def _cancel_running(task: QueuedTask) -> None:
        task.cancelled = True
        if task.worker is not None:
            task.worker.cancel()

    def pause(self, paused: Paused) -> None:
        """Say what is not to begin from now on; what runs goes on."""
        with self._changed:
            if self._queue.paused != paused:
                self._queue.paused = paused
                self._changed.notify_all()

    def busy(self) -> set[Subject]:
        """Return the subjects of which something is queued or running."""
        with self._changed:
            return self._queue.busy()

    def progress_of(self, key: tuple[str, int]) -> TaskProgress | None:
        """Return the progress of a running task."""
        with self._changed:
            task = self._queue.find(key)
        return task.progress if task is not None else None

    # Carrying out ------------------------------------------------------------------

    def _work(self) -> None:
        while True:
            with self._changed:
                task = None
                while not self._closing and (task := self._queue.next()) is None:
                    self._changed.wait(self._pause())
                if task is None:
                    return
            self._carry_out(task)

    def _pause(self) -> float | None:
        """Return the seconds until a waiting task may start; None if there are none."""
        now = datetime.now(UTC)
        soonest = self._queue.soonest(now)
        # Never long: the clock may be set.
        return None if soonest is None else min((soonest - now).total_seconds() + 0.01, _LOOK_EVERY)

    def _carry_out(self, task: QueuedTask) -> None:
        handler = self._handlers[type(task)]
        journal = Journal(handler.transaction)
        result: AnyResult = Failure(outcome="failed", error="The worker gave no answer.")
        try:
            order = handler.begin(task)
            result = self._worked(task, order, handler, journal)
        except FasciculusError as error:
            result = Failure(outcome="failed", error=error.sentence())
            journal.write(lambda: handler.take(task, Log("error", result.error)))
        except Exception as error:
            log.exception("task %s", task.key)
            text = f"Unexpected: {type(error).__name__}: {error}."
            result = Failure(outcome="failed", error=text)
        finally:
            # Before a line is written that the task is tried again.
            journal.flush()
            if (moment := self._again(task, result, handler)) is not None:
                self._put_back(task, moment, handler)
            else:
                self._end(task, result, journal)

    def _again(self, task: QueuedTask, result: AnyResult, handler: Handler[Any]) -> datetime | None:
        """Return the time of a failed task's retry, None for never."""
        if task.cancelled or self._closing:
            return None
        try:
            return handler.again(task, result)
        except Exception:
            log.exception("task %s: whether it is tried again", task.key)
            return None

    def _put_back(self, task: QueuedTask, moment: datetime, handler: Handler[Any]) -> None:
        task.progress = task.worker = None
        task.stopped_by = ""
        handler.clear(task)
        with self._changed:
            self._queue.put_back(task, moment)
            self._changed.notify_all()

    def _worked(
        self, task: QueuedTask, order: Order, handler: Handler[Any], journal: Journal
    ) -> AnyResult:
        if isinstance(order, BackupOrder):
            # Tasks that run at the same time share the cores.
            with self._changed:
                here = sum(not running.queue for running in self._queue.running())
                order.threads = max(1, order.threads // max(1, here))
        worker = task.worker = self._workers.start(order)
        if task.cancelled:
            worker.cancel()
        for event in worker.events():
            if isinstance(event, Progress):
                if task.progress is None:
                    task.progress = TaskProgress(event)
                else:
                    task.progress.update(event)
                handler.show(task)
                continue
            action = partial(handler.take, task, event)
            if isinstance(event, _GATHERED):
                self._gathering.gather(journal, action)
            else:
                journal.write(action)
        if task.stopped_by and (worker.result is None or worker.result.outcome == "cancelled"):
            handler.after_failure(task, lambda order: self._clear_up(task, order, handler, journal))
            journal.write(lambda: handler.take(task, Log("error", task.stopped_by)))
            return Failure(outcome="failed", error=task.stopped_by)
        if worker.result is not None:
            if self._closing and worker.result.outcome == "cancelled":
                # Nobody cancelled it: the service ends.
                return Failure(outcome="interrupted", error=f"{_STOPPED} {handler.aftermath}")
            return worker.result
        handler.after_failure(task, lambda order: self._clear_up(task, order, handler, journal))
        if task.cancelled and not self._closing:
            return Failure(outcome="cancelled", error=handler.cancelled)
        text = f"The worker {worker.ended}. {handler.aftermath}"
        journal.write(lambda: handler.take(task, Log("error", text)))
        return Failure(outcome="interrupted", error=text, passing=worker.passes)

    def _clear_up(
        self, task: QueuedTask, order: Order, handler: Handler[Any], journal: Journal
    ) -> AnyResult | None:
        """Carry out an order that clears up after a task, and return its result."""
        worker = self._workers.start(order)
        for event in worker.events():
            if isinstance(event, Log):
                journal.write(partial(handler.take, task, event))
        return worker.result

    # Ending ------------------------------------------------------------------------

    def _end(self, task: QueuedTask, result: AnyResult, journal: Journal | None = None) -> None:
        """Write how a task ended; what cannot be written now is written later."""
        handler = self._handlers[type(task)]
        journal = journal or Journal(handler.transaction)
        task.progress = None
        written = [journal.write(ending) for ending in handler.endings(task, result)]
        handler.clear(task)
        with self._changed:
            if all(written):
                self._queue.done(task)
            else:
                # The subject stays taken: what was made must be known before the next one begins.
                if task in self._queue.running():
                    self._queue.settle(task)
                self._unwritten.append((task, journal))
            self._changed.notify_all()

    # Watching ----------------------------------------------------------------------

    def _watch(self) -> None:
        due = time.monotonic() + _WATCH_EVERY
        while True:
            with self._changed:
                if self._closing:
                    return
                self._changed.wait(1.0 if self._unwritten else _LOOK_EVERY)
            self.write_pending()
            self.enforce_limits(datetime.now(UTC))
            if time.monotonic() >= due:
                due = time.monotonic() + _WATCH_EVERY
                try:
                    self.recover()
                except Exception:
                    log.exception("unfinished tasks could not be looked for; it is tried again")

    def enforce_limits(self, now: datetime) -> None:
        """End what has taken too long, and what may begin no more."""
        with self._changed:
            expired = self._queue.expired(now)
            running = self._queue.running()
        for task in expired:
            self._end(task, Failure(outcome="skipped", error=task.expiry))
        for task in running:
            if not task.stopped_by and (reason := _too_long(task, now)):
                task.stopped_by = reason
                if task.worker is not None:
                    task.worker.cancel()

    def write_pending(self) -> None:
        """Try again to write endings that could not be written."""
        with self._changed:
            pending = list(self._unwritten)
        for task, journal in pending:
            if journal.flush():
                with self._changed:
                    self._unwritten.remove((task, journal))
                    self._queue.done(task)
                    self._changed.notify_all()

    def recover(self, at_start: bool = False) -> None:
        """End tasks that are unfinished in the records and that nothing runs.

        Once the service runs, a task must be missed twice: one that was just recorded is not queued
        yet.
        """
        adrift: set[tuple[str, int]] = set()
        for handler in self._handlers.values():
            unfinished = handler.unfinished()
            with self._changed:
                known = self._queue.keys()
            for task in unfinished:
                if task.key in known:
                    continue
                if at_start and handler.resumes(task):
                    self.add([task])
                elif at_start or task.key in self._adrift:
                    self._interrupt(task, handler)
                else:
                    adrift.add(task.key)
        self._adrift = adrift

    def _interrupt(self, task: QueuedTask, handler: Handler[Any]) -> None:
        journal, text = Journal(handler.transaction), f"{_STOPPED} {handler.aftermath}"
        journal.write(lambda: handler.take(task, Log("error", text)))
        self._end(task, Failure(outcome="interrupted", error=text), journal)
        threading.Thread(
            target=handler.after_failure,
            args=(task, lambda order: self._clear_up(task, order, handler, journal)),
            daemon=True,
        ).start()


def _too_long(task: QueuedTask, now: datetime) -> str:
    """Why a running task is to be stopped, empty when it is not."""
    if task.deadline is not None and task.deadline <= now:
        return task.overdue
    progress = task.progress
    if task.step_seconds and progress is not None and progress.step_seconds > task.step_seconds:
        return (
            f"The step “{progress.progress.stage}” took longer than its job allows "
            f"({format_count(round(task.step_seconds / 60), 'minute')})."
        )
    return ""
