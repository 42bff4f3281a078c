"""Jobs: their settings, their summary, and starting them."""

from __future__ import annotations

import sqlite3
from dataclasses import replace
from datetime import UTC, datetime

from ....core import job_summary, retention, schedule
from ....core.bundle.seal.sealing import Sealer
from ....core.errors import SettingError
from ....core.selection import SubjectFacts
from ....models import Job, JobCopy, JobDefaults, JobInput, JobStart, Page
from ....models.queries import JobsQuery
from ....records.jobs import changes, jobs, pauses
from ....records.messages import channels
from ....records.paging import PageRequest
from ....records.runs import past_runs, runs
from ....records.stores import stores
from ... import timetables
from ...tasks.backups import RunStart
from ..caller import Caller

_GOOD = ("done", "warned")


def jobs_list(caller: Caller, query: JobsQuery) -> Page[Job]:
    """Return jobs."""
    known: dict[str, list[SubjectFacts]] = {}
    rows = [_row(caller, job, known) for job in jobs.jobs(caller.reader) if query.q in job.name]
    sort = query.sort
    if sort.lstrip("-") == "next":
        far = datetime.max.replace(tzinfo=UTC)
        rows.sort(key=lambda row: row.next_start or far)
    if sort.startswith("-"):
        rows.reverse()
    return Page(items=rows, total=len(rows))


def _row(caller: Caller, job: JobInput, known: dict[str, list[SubjectFacts]] | None = None) -> Job:
    db = caller.reader
    last = past_runs.last_ended(db, job.name)
    covers = len(jobs.covers(db, job, known))
    now = datetime.now(UTC)
    paused = pauses.pauses(db, now)
    pause = timetables.pause_of(job.name, paused)
    return Job(
        **job.model_dump(),
        summary=sentence_of(job, covers),
        covers=covers,
        next_start=timetables.next_start(job, paused, now),
        paused=(pause.reason or "paused") if pause else "",
        paused_until=pause.until if pause else None,
        last_run=last["id"] if last else None,
        last_outcome=last["outcome"] if last else None,
        last_ended=last["ended"] if last else None,
        running=runs.active(db, job.name) is not None,
    )


def sentence_of(job: JobInput, covers: int) -> str:
    """Return what a job that covers so many subjects says it will do."""
    starting = job.starting
    return job_summary.summary(
        subjects=job.subjects,
        choice=job.choice,
        names=job.names,
        covers=covers,
        contents=job.contents,
        messages=job.messages,
        rules=job.rules.as_core(),
        databases=job.databases.as_core(),
        hold_page=job.hold_page,
        full_every=job.full_every if job.mode == "incremental" else 0,
        timetable=schedule.parse(job.timetable),
        zone=job.zone,
        held=job_summary.held_back(
            starting.first_day,
            starting.last_day,
            starting.hours,
            len(starting.days_off),
            starting.spread,
        ),
        stores=job.stores,
        keep={name: retention.parse(job.keep_for(name)) for name in job.stores},
        report_to=job.report_to,
        report_when=job.report_when,
        enabled=job.enabled,
    )


def job_defaults(caller: Caller) -> JobDefaults:
    """Return defaults of a new job."""
    known = stores.stores(caller.reader, caller.cipher, PageRequest(limit=2))
    # Where there is one store alone, it is the one that is meant.
    only = [store.name for store in known.items] if known.total == 1 else []
    return JobDefaults.model_construct(name="", stores=only)


def jobs_add(caller: Caller, body: JobInput) -> Job:
    """Add a job."""
    with caller.write() as db:
        _save(caller, db, body)
    return _saved(caller, body.name, "added job")


def _save(
    caller: Caller, db: sqlite3.Connection, job: JobInput, old_name: str | None = None
) -> None:
    """Save a job, and note what it was before."""
    _check_owners(db, job)
    channels.check_known(db, job.channels, "channels")
    before = jobs.find(db, old_name) if old_name else None
    jobs.save_job(db, job, old_name)
    changes.add(db, caller.name, "job", job.name, before, job)


def _check_owners(db: sqlite3.Connection, job: JobInput) -> None:
    """Check that an enabled job writes only to this service's own stores, and seals to
    real keys.
    """
    if job.recipients:
        Sealer(job.recipients)
    others = stores.foreign(db, job.stores) if job.enabled else {}
    for name, owner in others.items():
        raise SettingError(
            f"Store “{name}” is read only: it belongs to {owner}.",
            f"Take it over first (fasciculus stores claim {name}), or choose another one.",
            field="stores",
        )


def jobs_show(caller: Caller, name: str) -> Job:
    """Return one job."""
    return _row(caller, jobs.job(caller.reader, name))


def jobs_change(caller: Caller, name: str, body: JobInput) -> Job:
    """Change a job."""
    with caller.write() as db:
        _save(caller, db, body, name)
    return _saved(caller, name, "changed job")


def jobs_remove(caller: Caller, name: str) -> None:
    """Remove a job; the bundles it made stay."""
    with caller.write() as db:
        if going := runs.active(db, name):
            raise SettingError(
                f"Job “{name}” is running, as run {going}.", "Wait for its end, or cancel it."
            )
        before = jobs.job(db, name)
        jobs.remove_job(db, name)
        changes.add(db, caller.name, "job", name, before, None)
    caller.note("removed job", name)
    caller.service.scheduler.refresh()
    caller.changed("jobs")


def jobs_copy(caller: Caller, name: str, body: JobCopy) -> Job:
    """Make a new job from another one's settings."""
    with caller.write() as db:
        old = jobs.job(db, name)
        fields = {**old.model_dump(), **body.model_dump(exclude_none=True)}
        if body.stores is not None:
            fields["keep_on"] = {k: v for k, v in old.keep_on.items() if k in body.stores}
        _save(caller, db, JobInput(**fields))
    return _saved(caller, body.name, f"copied job {name} to")


def jobs_revert(caller: Caller, name: str, change: int) -> Job:
    """Revert a job to what it was before a change."""
    with caller.write() as db:
        before = JobInput.model_validate_json(changes.before(db, "job", name, change))
        _save(caller, db, before, name if jobs.find(db, name) is not None else None)
    return _saved(caller, name, f"took back change {change} of job")


def _saved(caller: Caller, name: str, action: str) -> Job:
    caller.note(action, name)
    caller.service.scheduler.refresh()
    caller.changed("jobs")
    return jobs_show(caller, name)


def jobs_start(caller: Caller, name: str, body: JobStart, key: str | None) -> int:
    """Start a job now."""
    key = key
    options = options_of(body)
    if body.failed_of:
        options = replace(options, names=_failed_of(caller, name, body.failed_of))
    run_id = caller.service.tasks.start_run(RunStart(name, caller.name, key), options)
    caller.note("started job", name)
    return run_id


def _failed_of(caller: Caller, job: str, run_id: int) -> tuple[str, ...]:
    """Return the subjects that did not end well in a run of a job, as far as the job still covers
    them.
    """
    db = caller.reader
    run = runs.run(db, run_id)
    if run.job != job:
        raise SettingError(
            f"Run {run_id} is none of job “{job}”.",
            "Name a run of this job, or start the other job.",
            field="failed_of",
        )
    covered = set(jobs.covers(db, jobs.job(db, job)))
    failed = [task.subject for task in run.tasks if task.outcome not in _GOOD]
    names = tuple(name for name in failed if name in covered)
    if not names:
        raise SettingError(
            f"Nothing of run {run_id} failed that job “{job}” still covers.",
            "Start all of the job.",
            field="failed_of",
        )
    return names


def options_of(body: JobStart) -> runs.RunOptions:
    """Return what was asked of a run, for the records."""
    return runs.RunOptions(body.full, body.compare, tuple(body.names), body.label, body.keep_days)
