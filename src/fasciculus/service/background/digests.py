"""Digests: all runs of a day or a week in one message, at seven in the morning."""

from __future__ import annotations

import sqlite3
from datetime import datetime, timedelta

from ...core import schedule
from ...core.digest import Digest, JobDigest, StoreTotal
from ...models import JobInput
from ...records import alerts, jobs, pauses, runs, settings, stores
from ...records.db import Records, stamp
from ...records.encryption import SecretCipher
from .. import timetables
from ..reports.reporter import Reporter, report_of

_KEY = "digests"
_TIMES = {"daily": "daily 07:00", "weekly": "weekly mon 07:00"}
_LONGEST = {"daily": timedelta(days=2), "weekly": timedelta(days=14)}

#: Who gets a digest together: when, in which zone, and to whom.
_Group = tuple[str, str, tuple[str, ...]]


def send_due(records: Records, cipher: SecretCipher, reporter: Reporter, now: datetime) -> int:
    """Write the digests that are due; returns how many. Each is written once, whatever ends the
    service in between: what was sent last stands in the records with it.
    """
    count = 0
    for group, members in _groups(records.reader).items():
        with records.write() as db:
            if _send_if_due(db, cipher, reporter, group, members, now):
                count += 1
    return count


def _groups(db: sqlite3.Connection) -> dict[_Group, list[JobInput]]:
    found: dict[_Group, list[JobInput]] = {}
    for job in jobs.jobs(db):
        if job.report_when in _TIMES and job.report_to:
            key = (job.report_when, job.zone, tuple(sorted(job.report_to)))
            found.setdefault(key, []).append(job)
    return found


def _send_if_due(
    db: sqlite3.Connection,
    cipher: SecretCipher,
    reporter: Reporter,
    group: _Group,
    members: list[JobInput],
    now: datetime,
) -> bool:
    when, zone, people = group
    name = " ".join((when, zone, *people))
    sent: dict[str, str] = settings.get(db, _KEY) or {}
    if name not in sent:
        # The first one comes at its next time, with what was since now.
        settings.put(db, _KEY, {**sent, name: stamp(now)})
        return False
    begin = datetime.fromisoformat(sent[name])
    table = schedule.parse(_TIMES[when])
    due = next(schedule.starts(table, schedule.zone(zone), begin), None)
    if due is None or due > now:
        return False
    digest = _digest(db, cipher, group, members, max(begin, now - _LONGEST[when]), now)
    ways = sorted({name for job in members for name in job.channels})
    reporter.digest(db, digest, people, ways)
    settings.put(db, _KEY, {**sent, name: stamp(now)})
    return True


def _digest(
    db: sqlite3.Connection,
    cipher: SecretCipher,
    group: _Group,
    members: list[JobInput],
    begin: datetime,
    now: datetime,
) -> Digest:
    paused = pauses.pauses(db, now)
    names = {job.name for job in members}
    return Digest(
        group[0],
        begin,
        now,
        group[1],
        [
            JobDigest(
                job.name,
                [
                    report_of(runs.run(db, number))
                    for number in runs.ended_between(db, job.name, stamp(begin), stamp(now))
                ],
                timetables.next_start(job, paused, now),
            )
            for job in members
        ],
        [
            alert.text
            for alert in alerts.open_by_key(db).values()
            if not alert.job or alert.job in names
        ],
        [StoreTotal(row.name, row.copies, row.bytes) for row in stores.fills(db, cipher)],
    )
