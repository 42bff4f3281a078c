"""Jobs: their settings, their summary, and starting them."""

from __future__ import annotations

import sqlite3
from datetime import UTC, datetime

from flask import request

from ...core import job_summary, retention, schedule, store_advice
from ...core.bundle.layout import moment_of
from ...core.bundle.sealing import Sealer
from ...core.errors import SettingError
from ...models import (
    Job,
    JobDefaults,
    JobInput,
    JobStart,
    JobSummary,
    Page,
    Retiring,
    Started,
)
from ...models.queries import JobsQuery, RetiringQuery
from ...records import (
    bundles,
    jobs,
    runs,
    stores,
)
from ...records.paging import PageRequest
from ..background.scheduler import next_start
from ..context import context
from ..operations import (
    PREFIX,
    operation,
    principal,
)
from ..space_needed import needed
from ..store_facts import facts
from .auth import note


@operation(
    "GET",
    "/jobs",
    "Jobs",
    response=Page[Job],
    query=JobsQuery,
)
def jobs_list(query: JobsQuery) -> Page[Job]:
    rows = [_row(job) for job in jobs.jobs(context().records.reader) if query.q in job.name]
    sort = query.sort
    if sort.lstrip("-") == "next":
        far = datetime.max.replace(tzinfo=UTC)
        rows.sort(key=lambda row: row.next_start or far)
    if sort.startswith("-"):
        rows.reverse()
    return Page(items=rows, total=len(rows))


def _row(job: JobInput) -> Job:
    db = context().records.reader
    last = runs.last_ended(db, job.name)
    covers = len(jobs.covers(db, job))
    return Job(
        **job.model_dump(),
        summary=_sentence(job, covers),
        covers=covers,
        next_start=next_start(job.timetable, job.zone, datetime.now(UTC)) if job.enabled else None,
        last_run=last["id"] if last else None,
        last_outcome=last["outcome"] if last else None,
        last_ended=last["ended"] if last else None,
        running=runs.active(db, job.name) is not None,
    )


def _sentence(job: JobInput, covers: int) -> str:
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
        stores=job.stores,
        keep=job.keep,
        report_to=job.report_to,
        report_when=job.report_when,
        enabled=job.enabled,
    )


@operation("GET", "/defaults/job", "What a new job starts from", response=JobDefaults)
def job_defaults() -> JobDefaults:
    known = stores.stores(context().records.reader, context().cipher, PageRequest(limit=2))
    # Where there is one store alone, it is the one that is meant.
    only = [store.name for store in known.items] if known.total == 1 else []
    return JobDefaults.model_construct(name="", stores=only)


@operation("POST", "/jobs", "Add a job", body=JobInput, response=Job, status=201)
def jobs_add(body: JobInput) -> Job:
    with context().records.write() as db:
        _check_owners(db, body)
        jobs.save_job(db, body)
    return _saved(body.name, "added job")


def _check_owners(db: sqlite3.Connection, job: JobInput) -> None:
    """A job that is switched on writes to stores of this service alone, sealed to real keys."""
    if job.recipients:
        Sealer(job.recipients)
    others = stores.foreign(db, job.stores) if job.enabled else {}
    for name, owner in others.items():
        raise SettingError(
            f"Store “{name}” is read only: it belongs to {owner}.",
            f"Take it over first (fasciculus stores take-over {name}), or choose another one.",
            field="stores",
        )


@operation("GET", "/jobs/{name}", "One job", response=Job)
def jobs_show(name: str) -> Job:
    return _row(jobs.job(context().records.reader, name))


@operation("PUT", "/jobs/{name}", "Change a job", body=JobInput, response=Job)
def jobs_change(name: str, body: JobInput) -> Job:
    with context().records.write() as db:
        _check_owners(db, body)
        jobs.save_job(db, body, name)
    return _saved(name, "changed job")


@operation("DELETE", "/jobs/{name}", "Remove a job; the bundles it made stay")
def jobs_remove(name: str) -> None:
    with context().records.write() as db:
        if going := runs.active(db, name):
            raise SettingError(
                f"Job “{name}” is running, as run {going}.", "Wait for its end, or cancel it."
            )
        jobs.remove_job(db, name)
    note("removed job", name)
    context().scheduler.refresh()
    context().events.changed("jobs")


def _saved(name: str, action: str) -> Job:
    note(action, name)
    context().scheduler.refresh()
    context().events.changed("jobs")
    return jobs_show(name)


@operation(
    "POST", "/jobs/{name}/start", "Start a job now", body=JobStart, response=Started, status=202
)
def jobs_start(name: str, body: JobStart) -> Started:
    key = request.headers.get("Idempotency-Key")
    run_id = context().tasks.start_run(
        name, principal().name, key, runs.RunOptions(body.full, body.compare)
    )
    note("started job", name)
    return Started(id=run_id, url=f"{PREFIX}/runs/{run_id}")


@operation(
    "GET",
    "/jobs/{name}/retiring",
    "What would retire now, and what that would free; nothing is removed",
    response=Page[Retiring],
    query=RetiringQuery,
)
def jobs_retiring(name: str, query: RetiringQuery) -> Page[Retiring]:
    db = context().records.reader
    job = jobs.job(db, name)
    keep = query.keep or job.keep
    kind = job.subjects[:-1]
    rows = [
        row
        for subject in bundles.subjects_of(db, kind, name)
        for store in job.stores
        for row in _retiring(db, kind, subject, name, store, keep)
    ]
    return Page(items=rows, total=len(rows))


def _retiring(
    db: sqlite3.Connection, kind: str, subject: str, job: str, store: str, keep: int
) -> list[Retiring]:
    copies = [
        retention.RetentionCopy(bundle, pinned)
        for bundle, pinned in bundles.known_on(db, kind, subject, job, store)
        if moment_of(bundle) is not None
    ]
    going = retention.retiring(copies, keep)
    freed = retention.freed(
        [copy.name for copy in going], bundles.pieces_on(db, kind, subject, store)
    )
    return [
        Retiring(
            subject_kind=kind,
            subject=subject,
            store=store,
            bundle=copy.name,
            moment=moment,
            frees=freed[copy.name],
        )
        for copy in going
        if (moment := moment_of(copy.name)) is not None
    ]


@operation(
    "POST",
    "/jobs/summary",
    "What a job would do, before it is saved",
    body=JobInput,
    response=JobSummary,
)
def jobs_summary(body: JobInput) -> JobSummary:
    db = context().records.reader
    jobs.check_subjects(db, body, body.name)
    covers = jobs.covers(db, body)
    table = schedule.parse(body.timetable)
    zone = schedule.zone(body.zone)
    contents: list[str] = list(body.contents)
    measured = [bundles.measured(db, body.subjects[:-1], name, contents) for name in covers]
    known = [row for row in measured if row is not None]
    others = [
        (job.name, start)
        for job in jobs.jobs(db)
        if job.name != body.name
        and job.enabled
        and (start := next_start(job.timetable, job.zone, datetime.now(UTC)))
    ]
    targets = [stores.store(db, context().cipher, name) for name in body.stores]
    starts = schedule.next_starts(table, zone, datetime.now(UTC), 5)
    packed = sum(row[1] for row in known)
    advice = job_summary.advice(
        contents=body.contents,
        timetable_text=table.text,
        keep=body.keep,
        report_to=body.report_to,
        starts=starts,
        others=others,
        covers=len(covers),
        enabled=body.enabled,
        includes=bool(body.rules.includes),
    )
    known_facts = [facts(db, store) for store in targets]
    advice = [*store_advice.of_stores(known_facts, packed, body.keep), *advice]
    if packed:
        advice.append(job_summary.fill_words(packed, body.keep, body.stores))
    return JobSummary(
        sentence=_sentence(body, len(covers)),
        starts=starts,
        covers=covers[:500],
        bytes=sum(row[0] for row in known),
        packed=packed,
        unmeasured=len(covers) - len(known),
        advice=advice,
        space=needed(context().config, body, targets, packed, len(known)),
    )
