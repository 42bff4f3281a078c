"""Coverage of all subjects, from the records."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from functools import lru_cache

from ..core import schedule
from ..core.coverage import CoverageResult, CoveringJob, cover, max_age_of
from ..core.selection import SubjectFacts, chosen
from ..core.subject import BUNDLED
from ..models import JobInput
from ..records import inventory
from ..records.bundles import bundles
from ..records.db import Records
from ..records.jobs import jobs

_STARTS = 9


def covered(records: Records, host: str = "", account: str = "") -> list[CoverageResult]:
    """Everything that wants protection, with how it is protected."""
    # Overview and coverage are asked for by everybody who looks: computed once a change, or a
    # minute.
    moment = datetime.now(UTC)
    key = (id(records), records.version, moment.replace(second=0, microsecond=0))
    if key not in _computed:
        found = _computed_now(records, moment)
        _computed.clear()
        _computed[key] = found
    else:
        found = _computed[key]
    return [
        row
        for row in found
        if (not host or row.thing.host == host) and (not account or row.thing.account == account)
    ]


_computed: dict[tuple[int, int, datetime], list[CoverageResult]] = {}


def _computed_now(records: Records, moment: datetime) -> list[CoverageResult]:
    db = records.reader
    known = {kind: inventory.subjects(db, kind) for kind in BUNDLED}
    protectors = [
        _protector(job, known[job.subject_kind], moment) for job in jobs.jobs(db) if job.enabled
    ]
    return cover(inventory.things(db), protectors, bundles.newest_by_job(db), moment)


@lru_cache(maxsize=1024)
def _usual_max_age(text: str, zone: str, day: datetime) -> timedelta | None:
    return max_age_of(schedule.next_starts(schedule.parse(text), schedule.zone(zone), day, _STARTS))


def _protector(job: JobInput, known: list[SubjectFacts], moment: datetime) -> CoveringJob:
    max_copy_age = (
        timedelta(hours=job.max_copy_age)
        if job.max_copy_age
        else _usual_max_age(
            job.timetable, job.zone, moment.replace(hour=0, minute=0, second=0, microsecond=0)
        )
    )
    covers = frozenset(chosen(jobs.selection_of(job), known))
    return CoveringJob(
        job.name,
        job.subjects,
        covers,
        frozenset(job.contents),
        job.databases.as_core(),
        max_copy_age,
    )
