"""Starts what is due."""

from __future__ import annotations

import logging
import threading
import time
from collections.abc import Callable
from datetime import UTC, datetime, timedelta

from ...core.errors import FasciculusError
from ...core.formatting import format_duration
from ...core.schedule import Due, StartPlan, Timed
from ...records import jobs, log_lines, pauses, runs, settings, stores
from ...records.db import Records, stamp
from ...records.maintenance import MaintenanceOptions
from .. import timetables
from ..tasks.backups import BY_TIMETABLE, AlreadyRunningError, RunStart
from ..tasks.queue import Paused
from ..tasks.service import Tasks

log = logging.getLogger(__name__)

_LONGEST_WAIT = 20.0
_AFTER_FAILURE = 5.0
#: From when on a scheduler that does not look is called stopped: seen within a minute.
_LATE = 45.0
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


#: What starts: “job” or “store”, and its name.
Started = tuple[str, str]


class Scheduler:
    """Wakes at the next start of any job, or of copying between stores. ``refresh`` after one was
    changed.
    """

    def __init__(self, records: Records, tasks: Tasks, report: Callable[[int], None]) -> None:
        self._records, self._tasks, self._report = records, tasks, report
        self._changed = threading.Condition()
        self._stale = True
        self._closing = False
        self.plan: StartPlan[Started] = StartPlan()
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
                    self.renew(since)
                self.tick(moment)
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
        soonest = self.plan.soonest
        if soonest is None:
            return _LONGEST_WAIT
        # Never long: the clock may be set, or the machine sleep.
        left = (soonest - datetime.now(UTC)).total_seconds()
        return min(max(left, 0.05), _LONGEST_WAIT)

    # Starting --------------------------------------------------------------------

    def renew(self, after: datetime) -> None:
        """Plan anew when jobs, and the copying between stores, start next after a moment."""
        db = self._records.reader
        paused = pauses.pauses(db, after)
        timed: dict[Started, Timed] = {
            ("job", job.name): timetables.of_job(job, paused)
            for job in jobs.jobs(db)
            if job.enabled
        }
        timed |= {("store", store.name): timetables.of_store(store) for store in stores.copying(db)}
        self.plan.renew(timed, after)

    def tick(self, moment: datetime) -> None:
        """Start what is due at a moment, and note that it was looked at."""
        self._tell_pauses(moment)
        for due in self.plan.due(moment):
            what, name = due.what
            if what == "job":
                self._start(name, due)
            else:
                self._copy(name)
        with self._records.write() as db:
            settings.put(db, _KEY, stamp(moment))

    def _tell_pauses(self, moment: datetime) -> None:
        """Hold back the waiting tasks of what is paused."""
        names = {row.job for row in pauses.pauses(self._records.reader, moment)}
        self._tasks.pause(Paused(pauses.ALL in names, frozenset(names - {pauses.ALL})))

    def _copy(self, name: str) -> None:
        """Bring what a store is to have from another one."""
        store = stores.fields(self._records.reader, name)
        options = MaintenanceOptions(source=store.copy_from, move=store.copy_move)
        try:
            self._tasks.start_maintenance("transfer", store.name, BY_TIMETABLE, options=options)
        except FasciculusError as error:
            log.info("store %s: nothing was copied: %s", store.name, error.sentence())

    def _start(self, name: str, due: Due[Started]) -> None:
        job = jobs.job(self._records.reader, name)
        passed = due.earlier + due.missed
        if due.missed and job.starting.missed == "skip":
            self._skip(name, f"{_passed(passed)} while the service was down: not caught up.")
            return
        by = f"{BY_TIMETABLE}, made up for a missed start" if due.missed else BY_TIMETABLE
        key = f"{BY_TIMETABLE} {name} {stamp(due.moment)}"
        note = (
            f"{_passed(passed)} while the service was down; this run stands for all."
            if passed
            else ""
        )
        try:
            self._tasks.start_run(RunStart(name, by, key, by_timetable=True, note=note))
        except AlreadyRunningError as error:
            self._skip(name, error.message)
        except FasciculusError as error:
            self._skip(name, error.sentence())

    def _skip(self, name: str, reason: str) -> None:
        """A start that could not be is a run of its own in the records, so that it is seen."""
        with self._records.write() as db:
            job = jobs.job(db, name)
            run_id = runs.add(db, job, BY_TIMETABLE, [])
            log_lines.add(db, "run", run_id, "error", reason)
            runs.end(db, run_id, "skipped", f"{name}: not started. {reason}")
        self._report(run_id)
        log.warning("job %s was not started: %s", name, reason)


def _passed(count: int) -> str:
    return "Its start passed" if count == 1 else f"{count} starts passed"
