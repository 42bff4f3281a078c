"""Timetables of jobs with their start conditions."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from datetime import UTC, datetime

from ..core import schedule
from ..core.schedule import Timed
from ..models import JobInput, Pause
from ..models.stores import StoreFields
from ..records.jobs import pauses

_FOR_EVER = datetime.max.replace(tzinfo=UTC)


def pause_of(job: str, paused: Iterable[Pause]) -> Pause | None:
    """Return the pause that holds a job back for longest, if any does."""
    found = [row for row in paused if row.job in (pauses.ALL, job)]
    return max(found, key=lambda row: row.until or _FOR_EVER, default=None)


def of_job(job: JobInput, paused: Iterable[Pause] = ()) -> Timed:
    """Return the timetable of a job."""
    held = job.starting.restrictions(job.zone)
    if pause := pause_of(job.name, paused):
        held = replace(held, paused_until=pause.until or _FOR_EVER)
    return Timed(schedule.parse(job.timetable), schedule.zone(job.zone), held)


def of_store(store: StoreFields) -> Timed:
    """Return the timetable of copying to a store."""
    return Timed(schedule.parse(store.copy_timetable), schedule.zone(store.copy_zone))


def next_start(job: JobInput, paused: Iterable[Pause], after: datetime) -> datetime | None:
    """Return the next start of a job, None for one that is off or started by hand."""
    return next(of_job(job, paused).starts(after), None) if job.enabled else None
