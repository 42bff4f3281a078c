"""The standing checks, each of which says what is wrong now."""

from __future__ import annotations

import logging
import sqlite3
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from urllib.parse import quote

from ...config import Config
from ...core.coverage import CoverageResult
from ...core.formatting import format_count, format_list, format_size
from ...core.outcome import OUTCOMES
from ...core.reports.report_rules import tells_of_trouble
from ...core.scope import EVERYTHING
from ...core.watch import BROKEN, FAILED, LOOK, PARTLY_FAILED, Finding
from ...models import JobInput, WatchSettings
from ...records import discoveries, inventory, odd_rows, search
from ...records.bundles import change_alarms, damage
from ...records.db import Records
from ...records.jobs import changes, jobs, pauses
from ...records.messages import certificates, reports
from ...records.runs import past_runs, restores
from ...records.secret_cipher import SecretCipher
from ...records.stores import stores as store_records
from .. import records_copy, recovery_sheet, timetables
from ..coverage import covered
from ..stores.store_status import StoreStatuses
from .bundles import UnusualBundles
from .store_answers import StoreAnswers

log = logging.getLogger(__name__)

#: How late a start may be before it is missing.
_LATE = timedelta(minutes=15)
_UNDELIVERED = timedelta(hours=1)
#: For how long a store must not answer: so that a restart of it is no alert.
_SILENT = timedelta(minutes=20)
#: The checks whose end is reported by the next good run.
#: For how long a host must be away: so that a restart of it is no alert.
_BLIND = timedelta(days=1)
#: The notice before set-aside data is removed.
_EXPIRES_SOON = timedelta(days=2)
_QUIET_OUTCOMES = ("done", "warned", "cancelled")


@dataclass(frozen=True, slots=True)
class Watched:
    """The inputs of the checks."""

    config: Config
    records: Records
    cipher: SecretCipher
    statuses: StoreStatuses
    unusual: UnusualBundles
    answers: StoreAnswers
    settings: WatchSettings
    scheduler_alive: bool
    clock_trouble: str
    now: datetime
    #: What background work could not do, by the name of its loop.
    troubles: Mapping[str, list[str]] = field(default_factory=dict)

    @property
    def db(self) -> sqlite3.Connection:
        """Return the reader connection."""
        return self.records.reader


def findings(watched: Watched) -> list[Finding]:
    """Return the findings of all checks, broken things first."""
    rows: list[Finding] = []
    for check in CHECKS:
        try:
            rows += check(watched)
        except Exception as error:
            # What one check cannot look at must not hide what the others find.
            name = check.__name__.strip("_")
            log.exception("the check %s failed", name)
            text = f"The check “{name}” failed ({type(error).__name__}). The log has more."
            rows.append(
                Finding(f"check {name}", "background", BROKEN, "the watch", text, "/alerts")
            )
    return sorted(rows, key=lambda row: row.level)


# The service itself ----------------------------------------------------------------


def _scheduler(watched: Watched) -> Iterator[Finding]:
    if not watched.scheduler_alive:
        text = "The scheduler does not run: no job starts by itself. Restart the service."
        yield Finding("scheduler", "scheduler", BROKEN, "the service", text, "/settings")
    if watched.clock_trouble:
        text = f"{watched.clock_trouble} Look at the time service of the machine."
        yield Finding("clock", "clock", LOOK, "the service", text, "/settings")


def _records(watched: Watched) -> Iterator[Finding]:
    if trouble := watched.records.trouble:
        text = f"The records cannot be written: {trouble}. Free space on the disk of the home."
        yield Finding("records", "records", BROKEN, "the service", text, "/settings")
    for name in records_copy.overdue(watched.config, watched.records):
        text = f"Store {name} has no copy of the records of the last two days."
        yield Finding(f"records-copy {name}", "records", LOOK, name, text, "/settings")
    has_copies = bool(records_copy.wanted(watched.config, watched.db))
    if has_copies and not recovery_sheet.is_saved(watched.db, watched.cipher):
        text = (
            "The recovery sheet is not saved: without it, nobody can open the copies of the "
            "records. Print it on this machine: fasciculus admin recovery-sheet"
        )
        yield Finding("recovery-sheet", "recovery-sheet", LOOK, "the service", text, "/settings")


def _background(watched: Watched) -> Iterator[Finding]:
    """Yield what background work could not do, and rows of the records that cannot be read."""
    for name, troubles in watched.troubles.items():
        if troubles:
            more = f" and {len(troubles) - 1} more" if len(troubles) > 1 else ""
            text = f"{name.capitalize()}: {troubles[0]}{more}. Everything else goes on."
            yield Finding(f"background {name}", "background", BROKEN, name, text, "/alerts")
    for kind, name, reason in odd_rows.find(watched.db):
        text = f"The {kind} “{name}” cannot be read from the records: {reason}. Save it again."
        yield Finding(f"odd {kind} {name}", "records", BROKEN, f"{kind} {name}", text, "/alerts")


def _outbox(watched: Watched) -> Iterator[Finding]:
    waiting = [row for row in reports.outbox(watched.db) if row.attempts]
    if waiting:
        text = (
            f"{format_count(len(waiting), 'report')} could not be sent yet. {waiting[0].last_error}"
        )
        yield Finding("outbox", "outbox", LOOK, "the outbox", text, "/reports", after=_UNDELIVERED)
    if lost := reports.undeliverable(watched.db):
        text = f"{format_count(lost, 'report')} could not be delivered at all in days of trying."
        yield Finding("undeliverable", "outbox", BROKEN, "the outbox", text, "/reports")


# Jobs ------------------------------------------------------------------------------


def _jobs(watched: Watched) -> Iterator[Finding]:
    db = watched.db
    paused = pauses.pauses(db, watched.now)
    for job in jobs.jobs(db):
        yield from _subjects(db, job)
        yield from _last_run(db, job)
        if job.enabled and timetables.pause_of(job.name, paused) is None:
            yield from _missing_run(watched, job)


def _link(page: str, name: str) -> str:
    return f"/{page}/{quote(name)}"


def _subjects(db: sqlite3.Connection, job: JobInput) -> Iterator[Finding]:
    if absent := jobs.gone_subjects(db, job):
        verb = "is" if len(absent) == 1 else "are"
        text = f"Job {job.name} names {format_list(absent)}, which {verb} gone."
        yield Finding(
            f"gone {job.name}", "subjects", LOOK, job.name, text, _link("jobs", job.name), job.name
        )


def _last_run(db: sqlite3.Connection, job: JobInput) -> Iterator[Finding]:
    last = past_runs.last_ended(db, job.name)
    if last is None:
        if job.enabled:
            yield Finding(
                f"never {job.name}",
                "never run",
                LOOK,
                job.name,
                f"Job {job.name} has never run. Start it once and watch.",
                _link("jobs", job.name),
                job.name,
                silent=True,
            )
    elif last["outcome"] not in _QUIET_OUTCOMES:
        yield Finding(
            f"run {job.name}",
            FAILED if last["outcome"] != "partial" else PARTLY_FAILED,
            BROKEN,
            job.name,
            f"Job {job.name}: {OUTCOMES[last['outcome']].word}.",
            f"/runs/{last['id']}",
            job.name,
            told_by_report=tells_of_trouble(job.report_when),
        )
    elif last["outcome"] == "warned":
        yield Finding(
            f"warned {job.name}",
            "warnings",
            LOOK,
            job.name,
            f"Job {job.name}: done, with warnings.",
            f"/runs/{last['id']}",
            job.name,
            silent=True,
        )


def _missing_run(watched: Watched, job: JobInput) -> Iterator[Finding]:
    """Yield starts by the timetable without a run, for whatever reason."""
    db = watched.db
    since = max(
        filter(
            None,
            (
                past_runs.last_started_by_timetable(db, job.name),
                changes.last(db, "job", job.name),
                pauses.last_end(db, job.name),
            ),
        ),
        default=None,
    )
    if since is None:
        return
    expected = next(timetables.of_job(job).starts(datetime.fromisoformat(since)), None)
    if expected is not None and watched.now - expected > _LATE:
        text = (
            f"Job {job.name} should have started at {expected:%Y-%m-%d %H:%M} UTC, and no run is "
            "on record. Look at the service's log."
        )
        yield Finding(
            f"missing {job.name}",
            "missing run",
            BROKEN,
            job.name,
            text,
            _link("jobs", job.name),
            job.name,
        )


def _unusual(watched: Watched) -> Iterator[Finding]:
    for alarm in change_alarms.unacknowledged(watched.db):
        yield Finding(
            alarm.key,
            "changes",
            LOOK,
            alarm.subject,
            f"The bundle {alarm.bundle} of {alarm.subject} by job {alarm.job} has "
            f"{alarm.words}. Copies from before it stay until you acknowledge this.",
            f"/bundles/{alarm.bundle_id}" if alarm.bundle_id else _link("jobs", alarm.job),
            alarm.job,
        )
    for row in watched.unusual.look():
        yield Finding(
            f"unusual {row.job} {row.kind} {row.subject} {row.what}",
            row.what,
            LOOK,
            row.subject,
            f"The last bundle of {row.subject} by job {row.job} is unlike those before it: "
            f"{row.words}.",
            f"/bundles/{row.bundle}",
            row.job,
        )


# Hosts ------------------------------------------------------------------------------


def _discovery(watched: Watched) -> Iterator[Finding]:
    """Accounts that came and went on hosts, and what a database user does not see there."""
    for host, found in discoveries.by_host(watched.db).items():
        link = f"/hosts/{quote(host)}/discovery"
        said = [
            f"{format_count(len(names), what)} ({', '.join(names[:3])}"
            f"{', …' if len(names) > 3 else ''})"
            for names, what in (
                (found.new, "new account"),
                (found.changed, "changed account"),
                (
                    found.gone,
                    "deleted account",
                ),
            )
            if names
        ]
        if said:
            text = (
                f"Host {host} has {format_list(said)}. Accept what was found: fasciculus hosts "
                f"take-over {host} --all"
            )
            yield Finding(f"discovery {host}", "discovery", LOOK, host, text, link)
        if found.error:
            text = f"Host {host} could not be looked through for accounts: {found.error}"
            yield Finding(f"blind {host}", "discovery", LOOK, host, text, link, after=_BLIND)
    for host, words in inventory.hidden(watched.db).items():
        link = f"/hosts/{quote(host)}"
        yield Finding(
            f"hidden {host}", "database rights", LOOK, host, f"Host {host}: {words}", link
        )


# Coverage --------------------------------------------------------------------------


def _coverage(watched: Watched) -> Iterator[Finding]:
    found = covered(watched.records)
    totals = search.totals(watched.db, EVERYTHING)
    if not found and totals.accounts and not totals.jobs:
        text = "No job covers the accounts."
        yield Finding("coverage none", "coverage", LOOK, "the accounts", text, "/jobs/new")
    for state, level, words in (
        ("bare", LOOK, "no job"),
        ("late", BROKEN, "newest copy older than the jobs allow"),
    ):
        rows = [row for row in found if row.state == state]
        if rows:
            text = f"{_things(rows)} {words}, {rows[0].thing.name} for one."
            link = f"/coverage?state={state}"
            yield Finding(
                f"coverage {state}",
                "coverage" if state == "bare" else "copy age",
                level,
                format_list(sorted({row.thing.account for row in rows})[:3]),
                text,
                link,
            )


def _things(rows: list[CoverageResult]) -> str:
    kinds = [
        format_count(n, kind)
        for kind in ("account", "site", "database", "mail domain")
        if (n := sum(row.thing.kind == kind for row in rows))
    ]
    return f"{format_list(kinds)} {'has' if len(rows) == 1 else 'have'}"


# Stores ----------------------------------------------------------------------------


def _stores(watched: Watched) -> Iterator[Finding]:
    statuses = watched.statuses.current()
    settings = watched.settings
    for name in store_records.never_tried(watched.db):
        text = f"Store {name} was never tried."
        yield Finding(f"untried {name}", "store", LOOK, name, text, _link("stores", name))
    for name, status in statuses.items():
        link = _link("stores", name)
        if status.lag:
            what = format_count(status.lag, "bundle")
            yield Finding(
                f"lag {name}",
                "store lagging",
                LOOK,
                name,
                f"Store {name} lacks {what} of its jobs.",
                link,
                after=timedelta(hours=settings.lag_hours),
            )
        soon = watched.now.date() + timedelta(days=settings.full_days)
        if settings.full_days and status.full_on is not None and status.full_on <= soon:
            text = f"Store {name} will be full on {status.full_on:%-d %B} at this pace."
            yield Finding(f"full {name}", "store filling", LOOK, name, text, link)


def _unreachable(watched: Watched) -> Iterator[Finding]:
    failing = past_runs.failing_stores(watched.db)
    for name, error in failing.items():
        text = f"Store {name} took no copy the last time: {error}"
        yield Finding(
            f"store {name}", "store unreachable", BROKEN, name, text, _link("stores", name)
        )
    for name, error in watched.answers.troubles().items():
        if name not in failing:
            yield Finding(
                f"silent {name}",
                "store unreachable",
                BROKEN,
                name,
                f"Store {name} does not answer: {error}",
                _link("stores", name),
                after=_SILENT,
            )


def _drills(watched: Watched) -> Iterator[Finding]:
    """Yield the subjects whose last drill failed."""
    for row in restores.last_drills(watched.db):
        if row.outcome == "failed":
            text = f"The drill of {row.subject} failed: {row.error or 'its log says why.'}"
            link = f"/restores/{row.id}"
            yield Finding(f"drill {row.subject}", "drill", BROKEN, row.subject, text, link)


def _set_aside(watched: Watched) -> Iterator[Finding]:
    """Yield what restores have set aside and will soon be removed."""
    days = watched.config.set_aside_days
    for row in restores.kept_aside(watched.db) if days else ():
        until = (row.ended or watched.now) + timedelta(days=days)
        if until - watched.now < _EXPIRES_SOON:
            kept = format_size(row.plan.aside_bytes) if row.plan else "the replaced files"
            text = (
                f"Restore {row.id} of {row.subject}: {kept} set aside are removed on "
                f"{until:%Y-%m-%d}. After that it can no longer be undone."
            )
            link = f"/restores/{row.id}"
            yield Finding(f"set aside {row.id}", "set aside", LOOK, row.subject, text, link)


def _verification(watched: Watched) -> Iterator[Finding]:
    for name, files, subjects, first in damage.by_store(watched.db):
        whose = (
            first if subjects == 1 else f"{first} and {format_count(subjects - 1, 'other subject')}"
        )
        verb = "is" if files == 1 else "are"
        text = (
            f"On store {name} {format_count(files, 'file')} of {whose} {verb} missing or altered."
        )
        # Report recipients of the jobs are notified when it is found.
        yield Finding(
            f"damage {name}",
            "damage",
            BROKEN,
            name,
            text,
            _link("stores", name),
            told_by_report=True,
        )
    statuses = watched.statuses.current()
    for name, days in store_records.verify_days(watched.db).items():
        oldest = statuses[name].oldest_read if name in statuses else None
        if not days or oldest is None:
            continue
        if watched.now - oldest > timedelta(days=days + watched.settings.verify_days):
            text = (
                f"Store {name} has copies that were last read through on {oldest:%Y-%m-%d}; "
                f"every {days} days is what is set."
            )
            yield Finding(f"read {name}", "verification", LOOK, name, text, _link("stores", name))


def _certificates(watched: Watched) -> Iterator[Finding]:
    days = watched.settings.certificate_days
    for place, ends in certificates.ends(watched.db).items():
        left = ends - watched.now
        if days and left <= timedelta(days=days):
            when = (
                f"ended on {ends:%Y-%m-%d}" if left < timedelta(0) else f"ends on {ends:%Y-%m-%d}"
            )
            yield Finding(
                f"certificate {place}",
                "certificate",
                BROKEN if left < timedelta(0) else LOOK,
                place,
                f"The certificate of {place} {when}. Renew it there.",
                _link("stores", place.removeprefix("store "))
                if place.startswith("store ")
                else "/settings",
            )


CHECKS: tuple[Callable[[Watched], Iterator[Finding]], ...] = (
    _scheduler,
    _records,
    _background,
    _jobs,
    _unusual,
    _discovery,
    _coverage,
    _verification,
    _drills,
    _set_aside,
    _unreachable,
    _stores,
    _outbox,
    _certificates,
)
