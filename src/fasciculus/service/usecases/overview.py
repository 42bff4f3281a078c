"""Operations of the overview."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from itertools import islice
from urllib.parse import quote

from ...core.outcome import worst
from ...core.subject import Subject
from ...models import Overview, Run, Upcoming
from ...models.runs import Attention, Night, StoreFill, SubjectNights
from ...records import inventory, search
from ...records.bundles import bundles
from ...records.jobs import jobs, pauses
from ...records.messages import alerts
from ...records.paging import PageRequest
from ...records.runs import past_runs, recoveries, runs
from ...records.stores import stores
from .. import timetables
from .caller import Caller

_NIGHTS = 14
_STARTS = 50
_SHOWN = 60


def overview(caller: Caller) -> Overview:
    """Return overview: alerts, next starts, recent runs."""
    db = caller.reader
    now = datetime.now(UTC)
    counted = search.totals(db, caller.scope)
    return Overview(
        now=now,
        attention=_attention(caller, now),
        running=_active(caller),
        upcoming=_upcoming(caller, now),
        recent=runs.runs(db, caller.scope, PageRequest(limit=8), state="ended").items,
        nights=_nights(caller, now),
        stores=_fills(caller),
        hosts=inventory.host_count(db) if caller.scope.is_everything else 0,
        accounts=counted.accounts,
        sites=counted.sites,
        jobs=counted.jobs,
        bundles=bundles.count(db, caller.scope),
        scheduler_alive=caller.service.scheduler.alive,
    )


def _fills(caller: Caller) -> list[StoreFill]:
    """Return the usage of each store, the day it will be full, and its missed bundles."""
    if not caller.scope.is_everything:
        return []
    found = stores.fills(caller.reader, caller.cipher)
    statuses = caller.service.statuses.recent()
    for row in found:
        if status := statuses.get(row.name):
            row.full_on, row.lag = status.full_on, status.lag
    return found


def _active(caller: Caller) -> list[Run]:
    db = caller.reader
    return [
        *runs.runs(db, caller.scope, PageRequest(limit=20), state="running").items,
        *runs.runs(db, caller.scope, PageRequest(limit=20), state="queued").items,
    ]


def _attention(caller: Caller, now: datetime) -> list[Attention]:
    """Return the present findings of the standing checks, with the open alerts."""
    db = caller.reader
    if not caller.scope.is_everything:
        # Findings are of hosts, stores and jobs, which belong to all accounts together.
        return []
    known = alerts.open_by_key(db)
    rows = [
        Attention(
            level=finding.level,
            text=finding.text,
            link=finding.link,
            alert=known[finding.key].id if finding.key in known else None,
            acknowledged_by=known[finding.key].acknowledged_by if finding.key in known else "",
            note=known[finding.key].note if finding.key in known else "",
        )
        for finding in caller.service.watch.found(now)
    ]
    for pause in pauses.pauses(db, now):
        what = f"Job {pause.job} is paused" if pause.job else "Everything is paused"
        until = f" until {pause.until:%Y-%m-%d %H:%M} UTC" if pause.until else ""
        link = f"/jobs/{quote(pause.job)}" if pause.job else "/calendar"
        why = f": {pause.reason}" if pause.reason else ""
        rows.append(Attention(level="look", text=f"{what}{until}{why}.", link=link))
    for host in recoveries.open_hosts(db):
        text = f"Host {host} is being recovered; no run begins on it. Continue: fasciculus "
        rows.append(Attention(level="look", text=f"{text}recoveries run {host}", link="/restores"))
    # Acknowledged alerts come last.
    return sorted(rows, key=lambda row: (bool(row.acknowledged_by), row.level))


def _upcoming(caller: Caller, now: datetime) -> list[Upcoming]:
    db = caller.reader
    rows = []
    paused = pauses.pauses(db, now)
    for job in jobs.within(db, caller.scope):
        if not job.enabled:
            continue
        last = past_runs.last_ended(db, job.name)
        expected = None
        if last and last["started"] and last["ended"]:
            expected = (
                datetime.fromisoformat(last["ended"]) - datetime.fromisoformat(last["started"])
            ).total_seconds()
        for at in islice(timetables.of_job(job, paused).starts(now), _STARTS):
            if at > now + timedelta(hours=24):
                break
            rows.append(Upcoming(at=at, job=job.name, zone=job.zone, expected=expected))
    return sorted(rows, key=lambda row: row.at)[:_STARTS]


def _nights(caller: Caller, now: datetime) -> list[SubjectNights]:
    """Return the worst outcome of each subject on each of the last days, by UTC."""
    first = (now - timedelta(days=_NIGHTS - 1)).date()
    by_subject: dict[Subject, dict[str, list[str]]] = {}
    for kind, subject, at, outcome in past_runs.nights(
        caller.reader, first.isoformat(), _shown_subjects(caller, now)
    ):
        by_subject.setdefault(Subject.of(kind, subject), {}).setdefault(at[:10], []).append(outcome)
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
    return rows[:_SHOWN]


def _shown_subjects(caller: Caller, now: datetime) -> list[Subject]:
    """Return the subjects whose nights are shown, without looking at the tasks of all: those with
    trouble today, then others by name. Of the latter, some may have had no task for long.
    """
    bad = past_runs.troubled(caller.reader, caller.scope, now.date().isoformat(), _SHOWN)
    others = past_runs.with_tasks(caller.reader, caller.scope, 4 * _SHOWN)
    return list(dict.fromkeys([*bad, *others]))
