"""Digests: all runs of a day, a week or a month in one message."""

from __future__ import annotations

import logging
import sqlite3
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta

from ...core import schedule
from ...core.formatting import format_duration
from ...core.reports.digest import Digest, JobDigest, StoreTotal
from ...core.restore.drill import DrillFigures
from ...core.schedule import Schedule
from ...models import JobInput, MailServer, Restore
from ...records import settings
from ...records.db import Records, stamp
from ...records.jobs import jobs, pauses
from ...records.messages import alerts
from ...records.runs import past_runs, restores, runs
from ...records.secret_cipher import SecretCipher
from ...records.stores import stores
from .. import timetables
from ..notifications.messages import Audience
from ..notifications.reporter import Reporter, report_of
from ..settings.mail_settings import mail_server

log = logging.getLogger(__name__)

_KEY = "digests"
_LONGEST = {"daily": timedelta(days=2), "weekly": timedelta(days=14), "monthly": timedelta(days=62)}


@dataclass(frozen=True, slots=True)
class _Group:
    """The key of a digest of several jobs: its time, zone and recipients."""

    when: str
    zone: str
    audience: Audience


def send_due(records: Records, cipher: SecretCipher, reporter: Reporter, now: datetime) -> int:
    """Write the digests that are due; returns how many. Each is written exactly once, even if the
    service ends in between: the records note up to which run each job was reported.
    """
    with records.write() as db:
        known: dict[str, str] = settings.get(db, _KEY) or {}
        members = [job for job in jobs.jobs(db) if _has_digest(job)]
        # The first one comes at its next time, with what was since now.
        told = {job.name: known.get(job.name, stamp(now)) for job in members}
        tables = _tables(mail_server(db, cipher))
        due = [job for job in members if _is_due(job, tables, told[job.name], now)]
        groups = _groups(due)
        for group, its in groups.items():
            try:
                digest = _digest(db, cipher, group, [(job, told[job.name]) for job in its], now)
                reporter.digest(db, digest, group.audience)
            except Exception:
                # One odd job or run costs this digest; the others are written.
                names = ", ".join(job.name for job in its)
                log.exception("the %s digest of %s could not be written", group.when, names)
        told |= {job.name: stamp(now) for job in due}
        if told != known:
            settings.put(db, _KEY, told)
    return len(groups)


def _has_digest(job: JobInput) -> bool:
    return job.report_when in _LONGEST and bool(job.report_to or job.channels)


def _tables(server: MailServer) -> dict[str, Schedule]:
    """Return the times of digests, by their rhythm."""
    return {
        "daily": schedule.parse(f"daily {server.digest_time}"),
        "weekly": schedule.parse(f"weekly {server.digest_day} {server.digest_time}"),
        "monthly": schedule.parse(f"monthly 1 {server.digest_time}"),
    }


def _is_due(job: JobInput, tables: Mapping[str, Schedule], told: str, now: datetime) -> bool:
    starts = schedule.starts(
        tables[job.report_when], schedule.zone(job.zone), datetime.fromisoformat(told)
    )
    due = next(starts, None)
    return due is not None and due <= now


def _groups(members: list[JobInput]) -> dict[_Group, list[JobInput]]:
    """Return the digests of jobs: one for each set of addresses and one for each channel."""
    found: dict[_Group, list[JobInput]] = {}
    for job in members:
        audience = Audience(tuple(sorted(job.report_to)), tuple(job.channels))
        for part in audience.parts():
            found.setdefault(_Group(job.report_when, job.zone, part), []).append(job)
    return found


def _digest(
    db: sqlite3.Connection,
    cipher: SecretCipher,
    group: _Group,
    told: list[tuple[JobInput, str]],
    now: datetime,
) -> Digest:
    """Return the runs of each job since its last digest."""
    paused = pauses.pauses(db, now)
    since = {
        job.name: max(datetime.fromisoformat(moment), now - _LONGEST[group.when])
        for job, moment in told
    }
    return Digest(
        group.when,
        min(since.values()),
        now,
        group.zone,
        [
            JobDigest(
                job.name,
                [
                    report_of(runs.run(db, number))
                    for number in past_runs.ended_between(
                        db, job.name, stamp(since[job.name]), stamp(now)
                    )
                ],
                timetables.next_start(job, paused, now),
            )
            for job, _ in told
        ],
        [
            alert.text
            for alert in alerts.open_by_key(db).values()
            if not alert.job or alert.job in since
        ],
        [StoreTotal(row.name, row.copies, row.bytes) for row in stores.fills(db, cipher)],
        [_drill_line(row) for row in restores.drills_between(db, min(since.values()), now)],
    )


def _drill_line(row: Restore) -> str:
    """Return a drill in one line."""
    took = (row.ended - row.started).total_seconds() if row.ended and row.started else 0.0
    if row.outcome not in ("done", "warned") or row.drill is None:
        return f"{row.subject}: {row.outcome}. {row.error}"
    figures = DrillFigures(**row.drill.model_dump())
    return f"{row.subject} came back in {format_duration(took)}: {figures.words}"
