"""Starts what is due."""

from __future__ import annotations

import heapq
import logging
import threading
import time
from collections.abc import Callable
from datetime import UTC, datetime, timedelta

from ...core import schedule
from ...core.errors import FasciculusError
from ...core.formatting import format_duration
from ...models.stores import StoreFields
from ...records import jobs, runs, settings, stores
from ...records.db import Records, stamp
from ...records.maintenance import MaintenanceOptions
from ..tasks.backups import AlreadyRunningError
from ..tasks.service import Tasks

log = logging.getLogger(__name__)

_LONGEST_WAIT = 20.0
_AFTER_FAILURE = 5.0
_LATE = 90.0
_KEY = "scheduler.last_look"
_NONE = timedelta(0)
#: What a clock that is kept right is never set by.
_CLOCK = timedelta(minutes=5)
_SAID_FOR = 86_400.0


class Clock:
    """Tells how far the clock was set since it was last asked, by one that nobody sets."""

    def __init__(self) -> None:
        self._wall = datetime.now(UTC)
        self._ticks = _ticks()

    def set_by(self, moment: datetime) -> timedelta:
        """How far the clock is from where it would be."""
        ticks = _ticks()
        gone = timedelta(seconds=ticks - self._ticks)
        found = moment - self._wall - gone
        self._wall, self._ticks = moment, ticks
        return found


def _ticks() -> float:
    """Seconds that pass while the machine sleeps too."""
    return time.clock_gettime(time.CLOCK_BOOTTIME)


class Scheduler:
    """Wakes at the next start of any job, or of copying between stores. ``refresh`` after one was
    changed.
    """

    def __init__(self, records: Records, tasks: Tasks, report: Callable[[int], None]) -> None:
        self._records, self._tasks, self._report = records, tasks, report
        self._changed = threading.Condition()
        self._stale = True
        self._closing = False
        self._heap: list[tuple[datetime, str, str]] = []
        self._looked = time.monotonic()
        self.clock_set, self._clock_set_at = "", 0.0
        self._thread = threading.Thread(target=self._loop, name="scheduler", daemon=True)

    def start(self) -> None:
        self._thread.start()

    def stop(self) -> None:
        with self._changed:
            self._closing = True
            self._changed.notify_all()
        self._thread.join(10)

    def refresh(self) -> None:
        with self._changed:
            self._stale = True
            self._changed.notify_all()

    @property
    def alive(self) -> bool:
        """Whether it has looked lately."""
        return self._thread.is_alive() and time.monotonic() - self._looked < _LATE

    def _loop(self) -> None:
        last = settings.get(self._records.reader, _KEY)
        # What was missed while the service was down is made up for, once a job.
        since = datetime.fromisoformat(last) if last else datetime.now(UTC)
        if since > datetime.now(UTC):
            self._clock_set(datetime.now(UTC) - since)
            since = datetime.now(UTC)
        watch = Clock()
        while True:
            with self._changed:
                if self._closing:
                    return
                stale, self._stale, failed = self._stale, False, False
            try:
                moment = datetime.now(UTC)
                if abs(set_by := watch.set_by(moment)) > _CLOCK:
                    self._clock_set(set_by)
                    # Starts between the old time and the new one are still to come.
                    since, stale = min(since, moment), True
                if stale:
                    self._heap = self._next_starts(since)
                self._start_due(moment)
                with self._records.write() as db:
                    settings.put(db, _KEY, stamp(moment))
                since = moment
            except Exception:
                log.exception("the scheduler failed; it looks again")
                # Nothing that was due in between may be forgotten.
                with self._changed:
                    self._stale, failed = True, True
            self._looked = time.monotonic()
            with self._changed:
                if failed and not self._closing:
                    self._changed.wait(_AFTER_FAILURE)
                elif not self._stale and not self._closing:
                    self._changed.wait(self._pause())

    def _clock_set(self, by: timedelta) -> None:
        """Note that the clock was set, for the watch."""
        where = "forward" if by > _NONE else "back"
        said = f"The clock was set {where} by {format_duration(abs(by).total_seconds())}"
        log.warning("%s", said)
        self.clock_set = f"{said} on {datetime.now(UTC):%Y-%m-%d at %H:%M} UTC."
        self._clock_set_at = time.monotonic()

    @property
    def clock_trouble(self) -> str:
        """What happened to the clock in the last day, empty when nothing did."""
        return self.clock_set if time.monotonic() - self._clock_set_at < _SAID_FOR else ""

    def _pause(self) -> float:
        if not self._heap:
            return _LONGEST_WAIT
        # Never long: the clock may be set, or the machine sleep.
        left = (self._heap[0][0] - datetime.now(UTC)).total_seconds()
        return min(max(left, 0.05), _LONGEST_WAIT)

    def _next_starts(self, after: datetime) -> list[tuple[datetime, str, str]]:
        """When jobs and the copying between stores are due next: the moment, which, its name."""
        db = self._records.reader
        heap = [
            (start, "job", job.name)
            for job in jobs.jobs(db)
            if job.enabled and (start := next_start(job.timetable, job.zone, after))
        ]
        heap += [
            (start, "store", store.name)
            for store in stores.copying(db)
            if (start := next_start(store.copy_timetable, store.copy_zone, after))
        ]
        heapq.heapify(heap)
        return heap

    def _start_due(self, moment: datetime) -> None:
        while self._heap and self._heap[0][0] <= moment:
            due, what, name = heapq.heappop(self._heap)
            if what == "job":
                self._start(name, due, moment)
                job = jobs.job(self._records.reader, name)
                timetable, zone = job.timetable, job.zone
            else:
                store = stores.fields(self._records.reader, name)
                self._copy(store)
                timetable, zone = store.copy_timetable, store.copy_zone
            if following := next_start(timetable, zone, moment):
                heapq.heappush(self._heap, (following, what, name))

    def _copy(self, store: StoreFields) -> None:
        """Bring what a store is to have from another one."""
        options = MaintenanceOptions(source=store.copy_from, move=store.copy_move)
        try:
            self._tasks.start_maintenance("transfer", store.name, "timetable", options=options)
        except FasciculusError as error:
            log.info("store %s: nothing was copied: %s", store.name, error.sentence())

    def _start(self, name: str, due: datetime, moment: datetime) -> None:
        late = moment - due > timedelta(minutes=2)
        by = "timetable, made up for a missed start" if late else "timetable"
        try:
            self._tasks.start_run(name, by, key=f"timetable {name} {stamp(due)}")
        except AlreadyRunningError as error:
            self._skip(name, error.message)
        except FasciculusError as error:
            self._skip(name, error.sentence())

    def _skip(self, name: str, reason: str) -> None:
        """A start that could not be is a run of its own in the records, so that it is seen."""
        with self._records.write() as db:
            job = jobs.job(db, name)
            run_id = runs.add(db, job, "timetable", [])
            runs.log(db, "run", run_id, "error", reason)
            runs.end(db, run_id, "skipped", f"{name}: not started. {reason}")
        self._report(run_id)
        log.warning("job %s was not started: %s", name, reason)


def next_start(timetable: str, zone: str, after: datetime) -> datetime | None:
    """The next start after a moment, None for what is started by hand."""
    table = schedule.parse(timetable)
    found = schedule.next_starts(table, schedule.zone(zone), after, 1)
    return found[0] if found else None
