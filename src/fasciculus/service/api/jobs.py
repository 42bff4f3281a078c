"""Jobs: their settings, their summary, and starting them."""

from __future__ import annotations

import sqlite3
from datetime import UTC, datetime

from flask import request

from ...core import job_summary, retention, schedule
from ...core.bundle.layout import moment_of
from ...core.errors import SettingError
from ...models import (
    Job,
    JobRow,
    JobStart,
    JobSummary,
    Page,
    Retiring,
    Started,
)
from ...records import (
    bundles,
    jobs,
    runs,
    stores,
)
from ..background.scheduler import next_start
from ..context import context
from ..operations import (
    PREFIX,
    arg,
    operation,
    visitor,
)
from .auth import note


@operation(
    "GET",
    "/jobs",
    "Jobs",
    gives=Page[JobRow],
    query={"q": "words that the name holds", "sort": "name or next; “-” before it for backwards"},
)
def jobs_list() -> Page[JobRow]:
    rows = [_row(job) for job in jobs.jobs(context().records.reader) if arg("q") in job.name]
    sort = arg("sort") or "name"
    if sort.lstrip("-") not in ("name", "next"):
        raise SettingError(
            f"This list cannot be sorted by “{sort}”.", "Choose name or next.", field="sort"
        )
    if sort.lstrip("-") == "next":
        far = datetime.max.replace(tzinfo=UTC)
        rows.sort(key=lambda row: row.next_start or far)
    if sort.startswith("-"):
        rows.reverse()
    return Page(items=rows, total=len(rows))


def _row(job: Job) -> JobRow:
    db = context().records.reader
    last = runs.last_ended(db, job.name)
    try:
        covers = len(jobs.covers(db, job))
    except SettingError:
        covers = len(job.names)
    return JobRow(
        **job.model_dump(),
        summary=_sentence(job, covers),
        covers=covers,
        next_start=next_start(job, datetime.now(UTC)) if job.enabled else None,
        last_run=last["id"] if last else None,
        last_outcome=last["outcome"] if last else None,
        last_ended=last["ended"] if last else None,
        running=runs.active(db, job.name) is not None,
    )


def _sentence(job: Job, covers: int) -> str:
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


@operation("POST", "/jobs", "Add a job", takes=Job, gives=JobRow, status=201)
def jobs_add(body: Job) -> JobRow:
    with context().records.write() as db:
        jobs.save_job(db, body)
    return _saved(body.name, "added job")


@operation("GET", "/jobs/{name}", "One job", gives=JobRow)
def jobs_show(name: str) -> JobRow:
    return _row(jobs.job(context().records.reader, name))


@operation("PUT", "/jobs/{name}", "Change a job", takes=Job, gives=JobRow)
def jobs_change(name: str, body: Job) -> JobRow:
    with context().records.write() as db:
        jobs.save_job(db, body, name)
    return _saved(name, "changed job")


@operation("DELETE", "/jobs/{name}", "Remove a job; the bundles it made stay")
def jobs_remove(name: str) -> None:
    with context().records.write() as db:
        if going := runs.active(db, name):
            raise SettingError(
                f"Job “{name}” is going on, as run {going}.", "Wait for its end, or cancel it."
            )
        jobs.remove_job(db, name)
    note("removed job", name)
    context().scheduler.refresh()
    context().events.changed("jobs")


def _saved(name: str, action: str) -> JobRow:
    note(action, name)
    context().scheduler.refresh()
    context().events.changed("jobs")
    return jobs_show(name)


@operation(
    "POST", "/jobs/{name}/start", "Start a job now", takes=JobStart, gives=Started, status=202
)
def jobs_start(name: str, body: JobStart) -> Started:
    key = request.headers.get("Idempotency-Key")
    run_id = context().dispatcher.start_run(name, visitor().name, key, body.full, body.compare)
    note("started job", name)
    return Started(id=run_id, url=f"{PREFIX}/runs/{run_id}")


@operation(
    "GET",
    "/jobs/{name}/retiring",
    "What would retire now, and what that would free; nothing is removed",
    gives=Page[Retiring],
    query={"keep": "as if so many copies were kept; else as the job says"},
)
def jobs_retiring(name: str) -> Page[Retiring]:
    db = context().records.reader
    job = jobs.job(db, name)
    text = arg("keep") or str(job.keep)
    if not text.isdigit():
        raise SettingError(
            f"“{text}” is not a number of copies.", "Give a number from 1 to 10,000.", field="keep"
        )
    keep = retention.check(int(text))
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
        retention.RetentionCopy(bundle, moment, pinned)
        for bundle, pinned in bundles.known_on(db, kind, subject, job, store)
        if (moment := moment_of(bundle))
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
            moment=copy.moment,
            frees=freed[copy.name],
        )
        for copy in going
    ]


@operation(
    "POST", "/jobs/summary", "What a job would do, before it is saved", takes=Job, gives=JobSummary
)
def jobs_summary(body: Job) -> JobSummary:
    db = context().records.reader
    covers = jobs.covers(db, body)
    table = schedule.parse(body.timetable)
    zone = schedule.zone(body.zone)
    contents: list[str] = list(body.contents)
    measured = [bundles.measured(db, body.subjects[:-1], name, contents) for name in covers]
    known = [row for row in measured if row is not None]
    others = [
        (job.name, start)
        for job in jobs.jobs(db)
        if job.name != body.name and job.enabled and (start := next_start(job, datetime.now(UTC)))
    ]
    targets = [stores.store(db, context().cipher, name) for name in body.stores]
    starts = schedule.next_starts(table, zone, datetime.now(UTC), 5)
    packed = sum(row[1] for row in known)
    advice = job_summary.advice(
        contents=body.contents,
        timetable_text=table.text,
        keep=body.keep,
        store_kinds=[store.kind for store in targets],
        report_to=body.report_to,
        starts=starts,
        others=others,
        covers=len(covers),
        enabled=body.enabled,
        includes=bool(body.rules.includes),
    )
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
    )
