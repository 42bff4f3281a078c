"""Jobs that start nothing by themselves for a while."""

from __future__ import annotations

import sqlite3
from datetime import UTC, datetime

from ...models import Pause
from ..db import now, stamp

#: The name under which everything is paused.
ALL = ""


def pauses(db: sqlite3.Connection, moment: datetime | None = None) -> list[Pause]:
    """Return the pauses that have not ended, that of everything first."""
    moment = moment or datetime.now(UTC)
    rows = db.execute(
        "SELECT * FROM pause WHERE until IS NULL OR until > ? ORDER BY job", (stamp(moment),)
    )
    return [Pause.model_validate(dict(row)) for row in rows]


def pause(db: sqlite3.Connection, job: str, until: datetime | None, reason: str, who: str) -> None:
    """Pause a job, or all jobs, until a time or until resumed."""
    db.execute(
        "INSERT INTO pause VALUES (?, ?, ?, ?, ?) ON CONFLICT (job) DO UPDATE SET "
        "until=excluded.until, reason=excluded.reason, who=excluded.who, since=excluded.since",
        (job, stamp(until) if until else None, reason, who, now()),
    )


def lift(db: sqlite3.Connection, job: str) -> bool:
    """End a pause now; False when there was none. That it was there stays on record: what it held
    back is not missing.
    """
    moment = now()
    return bool(
        db.execute(
            "UPDATE pause SET until=? WHERE job=? AND (until IS NULL OR until > ?)",
            (moment, job, moment),
        ).rowcount
    )


def last_end(db: sqlite3.Connection, job: str) -> str | None:
    """Return when the last pause of a job, or of everything, ended."""
    row = db.execute(
        "SELECT max(until) FROM pause WHERE job IN ('', ?) AND until <= ?", (job, now())
    ).fetchone()
    return row[0] if row else None
