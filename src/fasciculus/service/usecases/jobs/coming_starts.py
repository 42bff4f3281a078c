"""The calendar of upcoming starts, from the records."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterable
from datetime import datetime, timedelta
from itertools import islice
from zoneinfo import ZoneInfo

from icalendar import Calendar as ICalendar
from icalendar import Event

from ....core.formatting import format_count, format_list
from ....core.schedule.collisions import Collision, ExpectedRun, collisions, expected_duration
from ....core.scope import Scope
from ....core.selection import SubjectFacts
from ....models import Calendar, CalendarCollision, CalendarStart, JobInput
from ....records import inventory
from ....records.db import stamp
from ....records.jobs import jobs, pauses
from ....records.runs import past_runs
from ... import timetables

_REMEMBERED = timedelta(days=60)
_WEEK = timedelta(days=7)
#: Of one job: what starts every minute would drown all others.
_MOST_OF_A_JOB = 400
_MOST = 5000
_MOST_MOMENTS = 200


def calendar(db: sqlite3.Connection, scope: Scope, now: datetime, days: int) -> Calendar:
    """Return the starts of the coming days of jobs in the scope, with how long the runs will take,
    and how they collide.
    """
    end = now + timedelta(days=days)
    past = past_runs.durations(db, stamp(now - _REMEMBERED))
    paused = pauses.pauses(db, now)
    known = [job for job in jobs.within(db, scope) if job.enabled]
    everything = _Places(db)
    found: list[CalendarStart] = []
    expected: list[ExpectedRun] = []
    for job in known:
        took = expected_duration(past.get(job.name, []))
        if took is not None:
            # The last task begins at the end of the spread, however short all of them are.
            took = max(took, timedelta(minutes=job.starting.spread))
        places = everything.of(job)
        timed = timetables.of_job(job, paused)
        for moment in islice(timed.starts(now), _MOST_OF_A_JOB):
            if moment > end:
                break
            found.append(_start(job, moment, took))
            if moment <= now + _WEEK:
                over = moment + (took or timedelta(0))
                expected.append(ExpectedRun(job.name, moment, over, places))
    found.sort(key=lambda start: start.at)
    by_name = {job.name: job for job in known}
    rules = {job.name: job.starting.restrictions(job.zone) for job in known}

    def may_start(job: str, moment: datetime) -> bool:
        return rules[job].allows(moment)

    return Calendar(
        begin=now,
        end=end,
        starts=found[:_MOST],
        more=max(0, len(found) - _MOST),
        collisions=[_collision(row, by_name) for row in collisions(expected, may_start)],
    )


def _start(job: JobInput, moment: datetime, took: timedelta | None) -> CalendarStart:
    seconds = took.total_seconds() if took is not None else None
    return CalendarStart(job=job.name, at=moment, zone=job.zone, seconds=seconds)


class _Places:
    """The hosts and stores that jobs use, looked up once for all of them."""

    def __init__(self, db: sqlite3.Connection) -> None:
        self._db = db
        self._known: dict[str, list[SubjectFacts]] = {}
        self._hosts: dict[str, dict[str, inventory.SubjectHost]] = {}

    def of(self, job: JobInput) -> frozenset[str]:
        """Return the hosts and stores that a job's runs use."""
        kind = job.subject_kind
        if kind not in self._hosts:
            self._hosts[kind] = inventory.hosts_of(self._db, kind)
        hosts = self._hosts[kind]
        names = {
            hosts[name].name for name in jobs.covers(self._db, job, self._known) if name in hosts
        }
        return frozenset(
            [f"host {name}" for name in names] + [f"store {name}" for name in job.stores]
        )


def _collision(row: Collision, known: dict[str, JobInput]) -> CalendarCollision:
    first = min(row.moments)
    often = "once" if len(row.moments) == 1 else f"{len(row.moments)} times"
    sentence = (
        f"Jobs {row.first} and {row.second} will run at the same time "
        f"{often} in the coming week, on "
        f"{format_list(sorted(row.places))}."
    )
    if row.by is not None:
        minutes = row.by.total_seconds() / 60
        way = "later" if minutes > 0 else "earlier"
        local = ((row.start or first) + row.by).astimezone(ZoneInfo(known[row.second].zone))
        sentence += (
            f" Start {row.second} {format_count(abs(int(minutes)), 'minute')} {way}"
            f" (at {local:%H:%M}), and they do not meet."
        )
    return CalendarCollision(
        first=row.first,
        second=row.second,
        places=sorted(row.places),
        count=len(row.moments),
        at=first,
        moments=sorted(row.moments)[:_MOST_MOMENTS],
        move=None if row.by is None else int(row.by.total_seconds() // 60),
        sentence=sentence,
    )


def as_icalendar(starts: Iterable[CalendarStart], now: datetime, link: str) -> bytes:
    """Return starts as an iCalendar feed (RFC 5545)."""
    feed = ICalendar()
    feed.add("prodid", "-//Fasciculus//Calendar//EN")
    feed.add("version", "2.0")
    feed.add("x-wr-calname", "Fasciculus")
    for start in starts:
        event = Event()
        event.add("uid", f"{start.job}-{start.at:%Y%m%dT%H%M%SZ}@fasciculus")
        event.add("dtstamp", now)
        event.add("dtstart", start.at)
        event.add("dtend", start.at + timedelta(seconds=max(start.seconds or 0, 60)))
        event.add("summary", f"Job {start.job}")
        # Nobody is busy while a job runs.
        event.add("transp", "TRANSPARENT")
        if link:
            event.add("url", f"{link}/#/jobs/{start.job}")
        feed.add_component(event)
    found: bytes = feed.to_ical()
    return found
