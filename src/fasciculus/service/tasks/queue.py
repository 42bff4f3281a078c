"""The queue: decides which task may start next. No threads and no I/O here: decisions alone."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from datetime import UTC, datetime

from ...core.subject import Subject
from .queued import Lane, QueuedBackup, QueuedTask


@dataclass(frozen=True, slots=True)
class Paused:
    """Pauses: tasks of some jobs, of all, or on some hosts do not start. Restores always may."""

    everything: bool = False
    jobs: frozenset[str] = frozenset()
    hosts: frozenset[str] = frozenset()

    def __contains__(self, task: QueuedTask) -> bool:
        is_paused = self.everything or task.job_name in self.jobs or task.host in self.hosts
        return bool(task.job_name) and is_paused


class TaskQueue:
    """Tasks that wait, run, or are being ended.

    ``limits`` says how many run at once in each lane, ``slots`` how many of a queue of workers. Two
    exclusive tasks of one subject never run at the same time, nor more tasks of a host or to a
    store than that takes. Of the tasks that may start, the order is: higher priority, the job with
    the fewest running tasks, the longest wait since its last turn, first come.
    """

    def __init__(
        self, limits: Mapping[Lane, int], slots: Callable[[str], int] = lambda queue: 1
    ) -> None:
        self._limits, self._slots = dict(limits), slots
        self._waiting: list[QueuedTask] = []
        self._running: list[QueuedTask] = []
        # Ended, but what they came to could not be written yet.
        self._settling: list[QueuedTask] = []
        self._turns: dict[str, int] = {}
        self._turn = 0
        self.paused = Paused()

    def add(self, tasks: Iterable[QueuedTask]) -> None:
        """Let tasks wait."""
        self._waiting.extend(tasks)

    def next(self, now: datetime | None = None) -> QueuedTask | None:
        """Return the one that may begin, which is running from now on; None when none may."""
        now = now or datetime.now(UTC)
        load = _Load(self._running, self._settling, self._waiting)
        jobs = Counter(task.job_name for task in self._running)
        found: QueuedTask | None = None
        best: tuple[int, int, int] | None = None
        for task in self._waiting:
            rank = (task.priority, jobs[task.job_name], self._turns.get(task.job_name, 0))
            if best is not None and rank >= best:
                continue
            if self._may_begin(task, load, now):
                found, best = task, rank
        if found is not None:
            self._waiting.remove(found)
            self._running.append(found)
            self._turn += 1
            self._turns[found.job_name] = self._turn
        return found

    def _may_begin(self, task: QueuedTask, load: _Load, now: datetime) -> bool:
        has_room = (
            load.queues[task.queue] < self._slots(task.queue)
            if task.queue
            else load.lanes[task.lane] < self._limits[task.lane]
        )
        return (
            has_room
            and (task.not_before is None or task.not_before <= now)
            and task not in self.paused
            and load.is_turn(task)
            and task.after_run not in load.runs
            and load.takes(task)
        )

    def soonest(self, now: datetime) -> datetime | None:
        """Return the next time at which a waiting task may start, or can no longer start."""
        moments = [
            moment
            for task in self._waiting
            for moment in (task.not_before, task.not_after)
            if moment is not None and moment > now
        ]
        return min(moments, default=None)

    def settle(self, task: QueuedTask) -> None:
        """Note that a running task has ended; its end is not recorded yet."""
        self._running.remove(task)
        self._settling.append(task)

    def done(self, task: QueuedTask) -> None:
        """Note that a task has ended and that its end is recorded."""
        for tasks in (self._running, self._settling):
            if task in tasks:
                tasks.remove(task)

    def withdraw(self, matches: Callable[[QueuedTask], bool]) -> list[QueuedTask]:
        """Take waiting tasks out; they count as settling until they are done."""
        found = [task for task in self._waiting if matches(task)]
        self._waiting = [task for task in self._waiting if not matches(task)]
        self._settling += found
        return found

    def put_back(self, task: QueuedTask, not_before: datetime) -> None:
        """Requeue a running task for a later retry."""
        self._running.remove(task)
        task.not_before = not_before
        self._waiting.append(task)

    def expired(self, now: datetime) -> list[QueuedTask]:
        """Take out the waiting tasks that may begin no more; they count as settling until they are
        done.
        """
        return self.withdraw(lambda task: task.not_after is not None and task.not_after <= now)

    def running(self) -> list[QueuedTask]:
        """Return the running tasks."""
        return list(self._running)

    def find(self, key: tuple[str, int]) -> QueuedTask | None:
        """Return the task of a key, while it waits, runs or settles."""
        return next((task for task in self._all() if task.key == key), None)

    def keys(self) -> set[tuple[str, int]]:
        """Return the keys of all tasks that wait, run or settle."""
        return {task.key for task in self._all()}

    def busy(self) -> set[Subject]:
        """Return the subjects of which something is queued or running."""
        return {task.subject for task in self._all()}

    def _all(self) -> list[QueuedTask]:
        return [*self._running, *self._settling, *self._waiting]


class _Load:
    """The numbers of running tasks by limit."""

    def __init__(
        self,
        running: list[QueuedTask],
        settling: list[QueuedTask],
        waiting: list[QueuedTask],
    ) -> None:
        self.lanes = Counter(task.lane for task in running if not task.queue)
        self.queues = Counter(task.queue for task in running)
        self._hosts = Counter(task.host for task in running if task.host)
        self._stores = Counter(name for task in running for name in task.store_limits)
        self._busy = {task.subject for task in (*running, *settling) if task.exclusive}
        self._turns: dict[str, int] = {}
        self.runs: set[int] = set()
        for task in (*running, *settling, *waiting):
            if isinstance(task, QueuedBackup):
                self.runs.add(task.run)
            if task.job_name:
                turn = self._turns.get(task.job_name, task.turn)
                self._turns[task.job_name] = min(turn, task.turn)

    def is_turn(self, task: QueuedTask) -> bool:
        """Return whether no earlier run of its job is in progress: a job never overlaps itself."""
        return self._turns.get(task.job_name, task.turn) == task.turn

    def takes(self, task: QueuedTask) -> bool:
        """Return whether its subject, host and stores have room for a task."""
        if task.exclusive and task.subject in self._busy:
            return False
        if task.host and task.max_concurrent and self._hosts[task.host] >= task.max_concurrent:
            return False
        return all(
            not limit or self._stores[name] < limit for name, limit in task.store_limits.items()
        )
