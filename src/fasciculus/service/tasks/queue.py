"""Which task may begin next. No threads and no I/O here: decisions alone."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable, Mapping

from .queued import Lane, QueuedTask, Subject


class TaskQueue:
    """Tasks in the order in which they came.

    ``limits`` says how many run at once in each lane. Two exclusive tasks of one subject never run
    at the same time, nor more tasks of a host than that takes.
    """

    def __init__(self, limits: Mapping[Lane, int]) -> None:
        self._limits = dict(limits)
        self._waiting: list[QueuedTask] = []
        self._running: list[QueuedTask] = []
        # Ended, but what they came to could not be written yet.
        self._settling: list[QueuedTask] = []

    def add(self, tasks: Iterable[QueuedTask]) -> None:
        """Let tasks wait."""
        self._waiting.extend(tasks)

    def next(self) -> QueuedTask | None:
        """The first that may begin, which is running from now on; None when none may."""
        lanes = Counter(task.lane for task in self._running)
        hosts = Counter(task.host for task in self._running if task.host)
        busy = {task.subject for task in (*self._running, *self._settling) if task.exclusive}
        for task in self._waiting:
            if lanes[task.lane] >= self._limits[task.lane]:
                continue
            if task.exclusive and task.subject in busy:
                continue
            if task.host and task.at_once and hosts[task.host] >= task.at_once:
                continue
            self._waiting.remove(task)
            self._running.append(task)
            return task
        return None

    def settle(self, task: QueuedTask) -> None:
        """A running task has ended, and its end is still to be written."""
        self._running.remove(task)
        self._settling.append(task)

    def done(self, task: QueuedTask) -> None:
        """A task has ended for good."""
        for tasks in (self._running, self._settling):
            if task in tasks:
                tasks.remove(task)

    def withdraw(self, matches: Callable[[QueuedTask], bool]) -> list[QueuedTask]:
        """Take waiting tasks out; they count as settling until they are done."""
        found = [task for task in self._waiting if matches(task)]
        self._waiting = [task for task in self._waiting if not matches(task)]
        self._settling += found
        return found

    def running(self) -> list[QueuedTask]:
        """The running tasks."""
        return list(self._running)

    def find(self, key: tuple[str, int]) -> QueuedTask | None:
        """The task of a key, while it waits, runs or settles."""
        return next((task for task in self._all() if task.key == key), None)

    def busy(self) -> set[Subject]:
        """The subjects of which something is queued or running."""
        return {task.subject for task in self._all()}

    def _all(self) -> list[QueuedTask]:
        return [*self._running, *self._settling, *self._waiting]
