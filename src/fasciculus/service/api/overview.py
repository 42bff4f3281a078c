"""What needs attention, at a glance."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from itertools import islice
from urllib.parse import quote

from ...core import schedule
from ...core.formatting import format_count, format_list
from ...core.run_report import OUTCOMES, worst
from ...models import (
    Overview,
    Run,
    Upcoming,
)
from ...models.runs import Attention, Night, StoreFill, SubjectNights
from ...records import (
    bundles,
    inventory,
    jobs,
    maintenance,
    reports,
    runs,
    search,
    stores,
)
from ...records.paging import PageRequest
from ..background import records_copy
from ..context import context
from ..operations import operation
from .discovery import covered

_NIGHTS = 14
_SOON_FULL = timedelta(days=14)
_STARTS = 50


@operation("GET", "/overview", "What needs attention, what comes next, what was", response=Overview)
def overview() -> Overview:
    db = context().records.reader
    now = datetime.now(UTC)
    counted = search.totals(db)
    return Overview(
        now=now,
        attention=_attention(now),
        running=_active(),
        upcoming=_upcoming(now),
        recent=runs.runs(db, PageRequest(limit=8), state="ended").items,
        nights=_nights(now),
        stores=_fills(),
        hosts=inventory.host_count(db),
        accounts=counted.accounts,
        sites=counted.sites,
        jobs=counted.jobs,
        bundles=bundles.count(db),
        scheduler_alive=context().scheduler.alive,
    )


def _fills() -> list[StoreFill]:
    """What each store holds, when it will be full, and what it missed."""
    found, glances = stores.fills(context().records.reader, context().cipher), context().glances
    for row in found:
        if glance := glances.all().get(row.name):
            row.full_on, row.lag = glance.full_on, glance.lag
    return found


def _active() -> list[Run]:
    db = context().records.reader
    return [
        *runs.runs(db, PageRequest(limit=20), state="running").items,
        *runs.runs(db, PageRequest(limit=20), state="queued").items,
    ]


def _attention(now: datetime) -> list[Attention]:
    db = context().records.reader
    rows = []
    if not context().scheduler.alive:
        rows.append(
            Attention(
                level="broken",
                text="The scheduler does not run: no job starts by itself. Restart the service.",
                link="/settings",
            )
        )
    rows += _of_the_machine()
    for job in jobs.jobs(db):
        last = runs.last_ended(db, job.name)
        if absent := jobs.gone_subjects(db, job):
            verb = "is" if len(absent) == 1 else "are"
            rows.append(
                Attention(
                    level="look",
                    link=f"/jobs/{quote(job.name)}",
                    text=f"Job {job.name} names {format_list(absent)}, which {verb} gone.",
                )
            )
        if last and last["outcome"] not in ("done", "warned", "cancelled"):
            rows.append(
                Attention(
                    level="broken",
                    link=f"/runs/{last['id']}",
                    text=f"Job {job.name}: {OUTCOMES[last['outcome']]}.",
                )
            )
        elif last and last["outcome"] == "warned":
            rows.append(
                Attention(
                    level="look",
                    link=f"/runs/{last['id']}",
                    text=f"Job {job.name}: done, with warnings.",
                )
            )
        elif last is None:
            rows.append(
                Attention(
                    level="look",
                    link=f"/jobs/{quote(job.name)}",
                    text=f"Job {job.name} has never run. Start it once and watch.",
                )
            )
    rows += _uncovered() + _damaged() + _lagging_or_full(now)
    waiting = reports.outbox(db)
    if waiting:
        rows.append(
            Attention(
                level="look",
                link="/reports",
                text=(
                    f"{len(waiting)} report{'s' if len(waiting) > 1 else ''} could not be sent "
                    "yet. "
                    f"{waiting[0].last_error}"
                ),
            )
        )
    return sorted(rows, key=lambda row: row.level)


def _of_the_machine() -> list[Attention]:
    """The records' disk, their copies, and the clock."""
    rows = []
    if trouble := context().records.trouble:
        text = f"The records cannot be written: {trouble}. Free space on the disk of the home."
        rows.append(Attention(level="broken", text=text, link="/settings"))
    for name in records_copy.overdue(context().config, context().records):
        text = f"Store {name} has no copy of the records of the last two days."
        rows.append(Attention(level="look", text=text, link="/settings"))
    if trouble := context().scheduler.clock_trouble:
        text = f"{trouble} Look at the time service of the machine."
        rows.append(Attention(level="look", text=text, link="/settings"))
    return rows


def _uncovered() -> list[Attention]:
    """What no job protects, and what has no copy as new as its jobs promise."""
    found = covered()
    totals = search.totals(context().records.reader)
    if not found and totals.accounts and not totals.jobs:
        return [Attention(level="look", text="No job covers the accounts.", link="/jobs/new")]
    rows = []
    for state, words in (("bare", "no job"), ("late", "no copy as new as the jobs promise")):
        things = [row.thing for row in found if row.state == state]
        if things:
            kinds = [
                format_count(n, kind)
                for kind in ("site", "database", "mail domain")
                if (n := sum(thing.kind == kind for thing in things))
            ]
            verb = "has" if len(things) == 1 else "have"
            rows.append(
                Attention(
                    level="look" if state == "bare" else "broken",
                    link=f"/coverage?state={state}",
                    text=f"{format_list(kinds)} {verb} {words}, {things[0].name} for one.",
                )
            )
    return rows


def _damaged() -> list[Attention]:
    """Stores on which something is missing or altered."""
    rows = []
    for name, files, subjects, first in maintenance.damage_by_store(context().records.reader):
        whose = (
            first if subjects == 1 else f"{first} and {format_count(subjects - 1, 'other subject')}"
        )
        verb = "is" if files == 1 else "are"
        rows.append(
            Attention(
                level="broken",
                link=f"/stores/{quote(name)}",
                text=(
                    f"On store {name} {format_count(files, 'file')} of {whose} {verb} missing or "
                    "altered."
                ),
            )
        )
    return rows


def _lagging_or_full(now: datetime) -> list[Attention]:
    """Stores that missed bundles, will soon be full, or were never tried."""
    rows = []
    for store in _fills():
        link = f"/stores/{quote(store.name)}"
        if store.lag:
            what = format_count(store.lag, "bundle")
            rows.append(
                Attention(
                    level="look", link=link, text=f"Store {store.name} lacks {what} of its jobs."
                )
            )
        if store.full_on is not None and store.full_on <= now.date() + _SOON_FULL:
            rows.append(
                Attention(
                    level="look",
                    link=link,
                    text=f"Store {store.name} will be full on {store.full_on:%-d %B} at this pace.",
                )
            )
        if not store.tried:
            rows.append(
                Attention(level="look", link=link, text=f"Store {store.name} was never tried.")
            )
    return rows


def _upcoming(now: datetime) -> list[Upcoming]:
    db = context().records.reader
    rows = []
    for job in jobs.jobs(db):
        if not job.enabled:
            continue
        last = runs.last_ended(db, job.name)
        expected = None
        if last and last["started"] and last["ended"]:
            expected = (
                datetime.fromisoformat(last["ended"]) - datetime.fromisoformat(last["started"])
            ).total_seconds()
        table = schedule.parse(job.timetable)
        for at in islice(schedule.starts(table, schedule.zone(job.zone), now), _STARTS):
            if at > now + timedelta(hours=24):
                break
            rows.append(Upcoming(at=at, job=job.name, zone=job.zone, expected=expected))
    return sorted(rows, key=lambda row: row.at)[:_STARTS]


def _nights(now: datetime) -> list[SubjectNights]:
    """The worst outcome of each subject on each of the last days, by UTC."""
    first = (now - timedelta(days=_NIGHTS - 1)).date()
    by_subject: dict[tuple[str, str], dict[str, list[str]]] = {}
    for kind, subject, at, outcome in runs.nights(context().records.reader, first.isoformat()):
        by_subject.setdefault((kind, subject), {}).setdefault(at[:10], []).append(outcome)
    days = [(first + timedelta(days=n)).isoformat() for n in range(_NIGHTS)]
    rows = [
        SubjectNights(
            subject_kind=kind,
            subject=subject,
            nights=[
                Night(day=day, outcome=worst(found[day]) if day in found else "") for day in days
            ],
        )
        for (kind, subject), found in by_subject.items()
    ]
    bad = {"failed", "partial", "interrupted"}
    rows.sort(key=lambda r: (r.nights[-1].outcome not in bad, r.subject))
    return rows[:60]
