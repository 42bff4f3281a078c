"""Plans of a job before it is saved: its summary, retiring copies, the coming year."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from itertools import islice

from ....core import job_summary, retention, schedule, store_advice
from ....core.retention import KeepRule
from ....core.retention.simulation import SimulatedDay, Sizes, simulate
from ....core.subject import Subject, SubjectKind
from ....models import (
    JobInput,
    JobSimulation,
    JobSummary,
    Page,
    Retiring,
    SimulationDay,
    SimulationQuery,
    StoreSimulation,
    StoreSimulationDay,
)
from ....models.queries import RetiringQuery
from ....records import inventory
from ....records.bundles import bundle_sizes, bundles
from ....records.jobs import jobs, pauses
from ....records.stores import stores
from ... import timetables
from ..caller import Caller
from ..stores.facts import facts
from .jobs import sentence_of
from .space_needed import needed

_DAYS = 365


def jobs_retiring(caller: Caller, name: str, query: RetiringQuery) -> Page[Retiring]:
    """Return copies that would retire now, and the space freed; nothing is removed."""
    db = caller.reader
    job = jobs.job(db, name)
    asked = retention.parse(query.keep) if query.keep else None
    kind = job.subject_kind
    rows = [
        row
        for subject in bundles.subjects_of(db, kind, name)
        for store in job.stores
        for row in _retiring(
            db, kind, subject, job, store, asked or retention.parse(job.keep_for(store))
        )
    ]
    return Page(items=rows, total=len(rows))


def _retiring(
    db: sqlite3.Connection,
    kind: SubjectKind,
    subject: str,
    job: JobInput,
    store: str,
    rule: KeepRule,
) -> list[Retiring]:
    copies = bundles.known_on(db, kind, subject, job.name, store)
    going = retention.retiring(copies, rule, schedule.zone(job.zone))
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


def jobs_summary(caller: Caller, body: JobInput) -> JobSummary:
    """Return the summary of a job, before it is saved."""
    db = caller.reader
    jobs.check_subjects(db, body, body.name)
    covers = jobs.covers(db, body)
    contents: list[str] = list(body.contents)
    measured = [bundle_sizes.measured(db, body.subject_kind, name, contents) for name in covers]
    known = [row for row in measured if row is not None]
    now = datetime.now(UTC)
    paused = pauses.pauses(db, now)
    others = [
        (job.name, start)
        for job in jobs.jobs(db)
        if job.name != body.name and (start := timetables.next_start(job, paused, now))
    ]
    targets = [stores.store(db, caller.cipher, name) for name in body.stores]
    starts = list(islice(timetables.of_job(body, paused).starts(now), 5))
    packed = sum(row[1] for row in known)
    most = max(_copies_in_a_year(body, name, now) for name in body.stores)
    advice = job_summary.advice(
        contents=body.contents,
        timetable_text=body.timetable,
        keep=most,
        report_to=body.report_to,
        starts=starts,
        others=others,
        covers=len(covers),
        enabled=body.enabled,
        includes=bool(body.rules.includes),
        matching_nothing=jobs.selectors_without_match(db, body),
    )
    where = schedule.zone(body.zone)
    advice += schedule.advice(schedule.parse(body.timetable), starts, now.astimezone(where))
    if "databases" in body.contents:
        on = {host.name for host in inventory.hosts_of(db, body.subject_kind).values()}
        advice += [words for host, words in inventory.hidden(db).items() if host in on]
    known_facts = [facts(db, store) for store in targets]
    advice = [*store_advice.of_stores(known_facts, packed, most), *advice]
    if packed:
        advice.append(job_summary.fill_words(packed, most, body.stores))
    return JobSummary(
        sentence=sentence_of(body, len(covers)),
        starts=starts,
        covers=covers[:500],
        bytes=sum(row[0] for row in known),
        packed=packed,
        unmeasured=len(covers) - len(known),
        advice=advice,
        space=needed(caller.config, body, targets, packed, len(known)),
    )


def _copies_in_a_year(job: JobInput, store: str, now: datetime) -> int:
    """Return how many copies of a subject a store will have in a year; of a job by hand, what its
    rule says.
    """
    rule = retention.parse(job.keep_for(store))
    timed = timetables.of_job(job)
    if rule.plain or not timed.timetable.automatic:
        return min(rule.bound, 10_000)
    days = list(simulate([], timed.starts(now), rule, Sizes(0), timed.where, now.date(), _DAYS))
    return max(1, len(days[-1].copies))


def jobs_simulate(caller: Caller, query: SimulationQuery, body: JobInput) -> JobSimulation:
    """Return how many copies a job will have on each day of the coming year."""
    db = caller.reader
    store = query.store or body.stores[0]
    kind = body.subject_kind
    covers = jobs.covers(db, body)
    subject = query.subject or (covers[0] if covers else "")
    now = datetime.now(UTC)
    sizes, packed = _sizes(db, body, kind, subject)
    days = list(_days(db, body, store, Subject.of(kind, subject), sizes, now))
    scale = _of_all(db, body, covers) / packed if packed else 0.0
    free = stores.store(db, caller.cipher, store).free
    return JobSimulation(
        store=store,
        subject=subject,
        subjects=len(covers),
        rule=body.keep_for(store),
        free=free,
        days=[
            SimulationDay(
                day=day.day,
                copies=len(day.copies),
                bytes=day.bytes,
                bytes_of_all=int(day.bytes * scale),
                moments=list(day.copies) if query.day == day.day else None,
            )
            for day in days
        ],
    )


def _of_all(db: sqlite3.Connection, job: JobInput, covers: list[str]) -> int:
    """Return the packed size of full bundles of all subjects of a job, estimated from the last
    ones.
    """
    kind = job.subject_kind
    contents: list[str] = list(job.contents)
    rows = [bundle_sizes.measured(db, kind, name, contents) for name in covers]
    return sum(row[1] for row in rows if row is not None)


def stores_simulate(caller: Caller, name: str) -> StoreSimulation:
    """Return how full a store will be on each day of the coming year, by the keep rules."""
    db, now = caller.reader, datetime.now(UTC)
    store = stores.store(db, caller.cipher, name)
    of_it = [job for job in jobs.jobs(db) if name in job.stores]
    totals = [0] * (_DAYS + 1)
    for job in of_it:
        for number, taken in enumerate(_taken(db, job, name, now)):
            totals[number] += taken
    days = [
        StoreSimulationDay(day=now.date() + timedelta(days=number), bytes=taken)
        for number, taken in enumerate(totals)
    ]
    room = None if store.free is None else store.bytes + max(0, store.free - store.reserve)
    full = [day.day for day in days if room is not None and day.bytes > room]
    return StoreSimulation(
        name=name,
        bytes=store.bytes,
        room=room,
        full_on=full[0] if full else None,
        jobs=[job.name for job in of_it],
        days=days,
    )


def _taken(db: sqlite3.Connection, job: JobInput, store: str, now: datetime) -> Iterator[int]:
    """Yield what all subjects of a job will take on a store on each day, by the first one that has
    been measured.
    """
    kind, covers = job.subject_kind, jobs.covers(db, job)
    for subject in covers:
        sizes, packed = _sizes(db, job, kind, subject)
        if packed:
            scale = _of_all(db, job, covers) / packed
            for day in _days(db, job, store, Subject.of(kind, subject), sizes, now):
                yield int(day.bytes * scale)
            return


def _sizes(
    db: sqlite3.Connection, job: JobInput, kind: SubjectKind, subject: str
) -> tuple[Sizes, int]:
    """Return the size of a subject's bundle and the packed size of a full one, estimated from the
    last ones.
    """
    row = bundle_sizes.measured(db, kind, subject, list(job.contents)) if subject else None
    packed = row[1] if row is not None else 0
    if job.mode == "full":
        return Sizes(packed), packed
    new = bundle_sizes.usual_growth(db, kind, subject, job.name)
    return Sizes(packed, new, job.full_every), packed


def _days(
    db: sqlite3.Connection,
    job: JobInput,
    store: str,
    subject: Subject,
    sizes: Sizes,
    now: datetime,
) -> Iterator[SimulatedDay]:
    timed = timetables.of_job(job, pauses.pauses(db, now))
    known = bundles.known_on(db, *subject, job.name, store)
    first = now.astimezone(timed.where).date()
    starts = timed.starts(now) if job.enabled else iter(())
    rule = retention.parse(job.keep_for(store))
    return simulate(known, starts, rule, sizes, timed.where, first, _DAYS + 1)
