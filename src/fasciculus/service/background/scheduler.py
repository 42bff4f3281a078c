"""Starts what is due."""

from __future__ import annotations

import logging
import sqlite3
import time
from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from functools import partial

from ...core import schedule
from ...core.errors import FasciculusError
from ...core.formatting import format_duration
from ...core.schedule import Due, StartPlan, Timed
from ...models import JobInput
from ...models.stores import StoreFields
from ...records import settings
from ...records.db import Records, stamp
from ...records.jobs import jobs, pauses
from ...records.runs import log_lines, recoveries, restores, runs
from ...records.runs.maintenance import MaintenanceOptions
from ...records.stores import stores
from .. import timetables
from ..drills import drill_settings, next_drill, timed_copy
from ..tasks.backups import BY_TIMETABLE, AlreadyRunningError, RunStart
from ..tasks.queue import Paused
from ..tasks.service import Tasks
from .loop import BackgroundLoop, words

log = logging.getLogger(__name__)

_LONGEST_WAIT = 20.0
_AFTER_FAILURE = 5.0
#: From when on a scheduler that does not look is called stopped: seen within a minute.
_LATE = 45.0
_KEY = "scheduler.last_look"
_NONE = timedelta(0)
_DOWN, _CLOCK_SET = "while the service was down", "when the clock was set forward"
#: What a clock that is kept right is never set by.
_CLOCK = timedelta(minutes=5)
_SAID_FOR = 86_400.0
#: For how long a start that fails is tried again.
_TRIED_FOR = timedelta(hours=1)
_MOMENT = timedelta(microseconds=1)


class Clock:
    """Tells how far the clock was set since it was last asked, by one that nobody sets."""

    def __init__(self) -> None:
        self._wall = datetime.now(UTC)
        self._ticks = _ticks()

    def set_by(self, moment: datetime) -> timedelta:
        """Return the difference of the clock from the expected time."""
        ticks = _ticks()
        gone = timedelta(seconds=ticks - self._ticks)
        found = moment - self._wall - gone
        self._wall, self._ticks = moment, ticks
        return found


def _ticks() -> float:
    """Return seconds that pass while the machine sleeps too."""
    return time.clock_gettime(time.CLOCK_BOOTTIME)


#: What starts: “job”, “store” or “drills”, and its name.
Started = tuple[str, str]
DRILLS = "drills"


@dataclass(frozen=True, slots=True)
class _Waiting:
    """A start that is due, and since when it is tried."""

    due: Due[Started]
    since: datetime


class Scheduler:
    """Wakes at the next start of any job, or of copying between stores. ``refresh`` after one was
    changed.
    """

    def __init__(self, records: Records, tasks: Tasks, report: Callable[[int], None]) -> None:
        self._records, self._tasks, self._report = records, tasks, report
        self._stale = True
        self._failed = False
        self._again: list[_Waiting] = []
        self.plan: StartPlan[Started] = StartPlan()
        self.clock_set, self._clock_set_at = "", 0.0
        self._since: datetime | None = None
        self._clock = Clock()
        self._why_missed = _DOWN
        self._loop = BackgroundLoop("scheduler", {"starting": self._round}, self._pause, late=_LATE)

    def start(self) -> None:
        """Start the thread."""
        self._loop.start()

    def stop(self) -> None:
        """Stop the thread."""
        self._loop.stop()

    def refresh(self) -> None:
        """Read the jobs again."""
        self._stale = True
        self._loop.wake()

    @property
    def loop(self) -> BackgroundLoop:
        """Return the loop that it runs in."""
        return self._loop

    @property
    def alive(self) -> bool:
        """Return whether it has looked lately."""
        return self._loop.alive

    def _round(self) -> None:
        if self._since is None:
            self._since = self._begin()
        moment, stale, self._stale = datetime.now(UTC), self._stale or self._failed, False
        # Nothing that is due may be forgotten if this fails.
        self._failed = True
        self._why_missed = _DOWN
        if abs(set_by := self._clock.set_by(moment)) > _CLOCK:
            self._why_missed = _CLOCK_SET
            self._clock_set(set_by)
            # Starts between the old time and the new one are still to come.
            self._since, stale = min(self._since, moment), True
        if stale:
            self.renew(self._since)
        self.tick(moment)
        self._since, self._failed = moment, False

    def _begin(self) -> datetime:
        """Return the time up to which starts were handled: missed starts are caught up once per
        job.
        """
        last = settings.get(self._records.reader, _KEY)
        since = datetime.fromisoformat(last) if last else datetime.now(UTC)
        self._clock = Clock()
        if since > datetime.now(UTC):
            self._clock_set(datetime.now(UTC) - since)
            since = datetime.now(UTC)
        return since

    def _clock_set(self, by: timedelta) -> None:
        """Note that the clock was set, for the watch."""
        where = "forward" if by > _NONE else "back"
        said = f"The clock was set {where} by {format_duration(abs(by).total_seconds())}"
        log.warning("%s", said)
        self.clock_set = f"{said} on {datetime.now(UTC):%Y-%m-%d at %H:%M} UTC."
        self._clock_set_at = time.monotonic()

    @property
    def clock_trouble(self) -> str:
        """Return a sentence about clock changes in the last day; empty if there were none."""
        return self.clock_set if time.monotonic() - self._clock_set_at < _SAID_FOR else ""

    def _pause(self) -> float:
        if self._failed or self._again:
            return _AFTER_FAILURE
        soonest = self.plan.soonest
        if soonest is None:
            return _LONGEST_WAIT
        # Never long: the clock may be set, or the machine sleep.
        left = (soonest - datetime.now(UTC)).total_seconds()
        return min(max(left, 0.05), _LONGEST_WAIT)

    # Starting --------------------------------------------------------------------

    def renew(self, after: datetime) -> None:
        """Plan the next starts of jobs, and of copying between stores, after a time."""
        db = self._records.reader
        paused = pauses.pauses(db, after)
        timed: dict[Started, Timed] = {}

        def of_job(job: JobInput) -> None:
            timed["job", job.name] = timetables.of_job(job, paused)

        def of_store(store: StoreFields) -> None:
            timed["store", store.name] = timetables.of_store(store)

        enabled = [job for job in jobs.jobs(db) if job.enabled]
        self._loop.each("timetable of job", enabled, lambda job: job.name, of_job)
        self._loop.each("timetable of store", stores.copying(db), lambda one: one.name, of_store)
        self._loop.each("timetable of", [DRILLS], str, lambda name: _drills(db, timed))
        self.plan.renew(timed, after)

    def tick(self, moment: datetime) -> None:
        """Start everything that is due at a time, and note that it was handled."""
        self._tell_pauses(moment)
        again, self._again = self._again, []
        rows = [*again, *(_Waiting(due, moment) for due in self.plan.due(moment))]
        self._loop.each("start of", rows, lambda row: row.due.what[1], partial(self._try, moment))
        # What could not be started yet is due after a restart too.
        looked = min([moment, *(row.due.moment - _MOMENT for row in self._again)])
        with self._records.write() as db:
            settings.put(db, _KEY, stamp(looked))

    def _try(self, moment: datetime, row: _Waiting) -> None:
        """Start something; what fails is tried again for an hour, and then skipped."""
        try:
            self._due(row.due)
        except Exception as error:
            if moment - row.since < _TRIED_FOR:
                self._again.append(row)
            elif row.due.what[0] == "job":
                self._skip(row.due.what[1], words(error))
            raise

    def _due(self, due: Due[Started]) -> None:
        what, name = due.what
        if what == "job":
            self._start(name, due)
        elif what == DRILLS:
            self._drill()
        else:
            self._copy(name)

    def _drill(self) -> None:
        """Start a drill of the subject whose last one is the longest ago."""
        db = self._records.reader
        wanted = drill_settings(db)
        try:
            bundle = next_drill(db, wanted.subjects)
        except FasciculusError as error:
            log.info("no drill was started: %s", error.sentence())
            return
        store = next((copy.store for copy in bundle.copies if copy.sound), bundle.copies[0].store)
        copy = timed_copy(db, bundle, wanted.page)
        web_address = wanted.page.web_address if wanted.page else ""
        with self._records.write() as writer:
            number = restores.add_drill(writer, bundle, store, BY_TIMETABLE, copy, web_address)
        self._tasks.start_restore(restores.restore(db, number))

    def _tell_pauses(self, moment: datetime) -> None:
        """Hold back the waiting tasks of what is paused, and of hosts that are being recovered."""
        db = self._records.reader
        names = {row.job for row in pauses.pauses(db, moment)}
        hosts = frozenset(recoveries.open_hosts(db))
        self._tasks.pause(Paused(pauses.ALL in names, frozenset(names - {pauses.ALL}), hosts))

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
            self._skip(name, f"{_passed(passed)} {self._why_missed}: not caught up.")
            return
        by = f"{BY_TIMETABLE}, made up for a missed start" if due.missed else BY_TIMETABLE
        key = f"{BY_TIMETABLE} {name} {stamp(due.moment)}"
        note = f"{_passed(passed)} {self._why_missed}; this run stands for all." if passed else ""
        try:
            self._tasks.start_run(RunStart(name, by, key, by_timetable=True, note=note))
        except AlreadyRunningError as error:
            self._skip(name, error.message)
        except FasciculusError as error:
            self._skip(name, error.sentence())

    def _skip(self, name: str, reason: str) -> None:
        """Record a start that failed as a run, so that it is visible."""
        with self._records.write() as db:
            job = jobs.job(db, name)
            run_id = runs.add(db, job, BY_TIMETABLE, [])
            log_lines.add(db, "run", run_id, "error", reason)
            runs.end(db, run_id, "skipped", f"{name}: not started. {reason}")
        self._report(run_id)
        log.warning("job %s was not started: %s", name, reason)


def _drills(db: sqlite3.Connection, timed: dict[Started, Timed]) -> None:
    """Add the timetable of drills."""
    found = drill_settings(db)
    if found.timetable != "by hand":
        timed[DRILLS, DRILLS] = Timed(schedule.parse(found.timetable), schedule.zone(found.zone))


def _passed(count: int) -> str:
    return "Its start passed" if count == 1 else f"{count} starts passed"
