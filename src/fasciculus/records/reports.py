"""Reports and the outbox."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

from ..core.errors import MissingError
from ..models import (
    OutboxItem,
    Page,
    Report,
    ReportDetail,
)
from .db import now, stamp
from .paging import (
    PageRequest,
    Query,
    like,
    page,
)


def _fields(row: sqlite3.Row) -> dict[str, object]:
    return {
        "id": row["id"],
        "run": row["run_id"],
        "job": row["job"],
        "at": row["at"],
        "kind": row["kind"],
        "channel": row["channel"],
        "title": row["title"],
        "recipients": json.loads(row["recipients"]),
        "state": row["state"],
        "sent": row["sent"],
        "last_error": row["last_error"],
    }


def reports(
    db: sqlite3.Connection, paging: PageRequest, job: str = "", words: str = ""
) -> Page[Report]:
    query = Query("report.*", "report", "report.id", {"id": "report.id"}, "-id")
    if job:
        query.only("report.job = ?", job)
    if words:
        query.only(
            "report.title LIKE ? ESCAPE '\\' OR recipients LIKE ? ESCAPE '\\'",
            like(words),
            like(words),
        )
    return page(db, query, paging, lambda row: Report.model_validate(_fields(row)))


def report(db: sqlite3.Connection, report_id: int) -> ReportDetail:
    row = db.execute("SELECT * FROM report WHERE id=?", (report_id,)).fetchone()
    if row is None:
        raise MissingError(
            f"There is no report {report_id}.", "“fasciculus reports list” names them."
        )
    return ReportDetail.model_validate({**_fields(row), "text": row["text"], "html": row["html"]})


@dataclass(frozen=True, slots=True)
class NewReport:
    """A message to be sent: to addresses, or to a channel. ``message`` is what is handed over,
    ``text`` and ``html`` what is shown of it; ``instead_of`` the report that could not be
    delivered otherwise."""

    kind: str
    title: str
    text: str
    html: str
    message: bytes
    recipients: Sequence[str] = ()
    channel: str = ""
    run: int | None = None
    job: str = ""
    instead_of: int | None = None


def add(db: sqlite3.Connection, new: NewReport) -> int:
    """A report that waits to be sent."""
    moment = now()
    return int(
        db.execute(
            "INSERT INTO report (run_id, job, at, kind, title, recipients, channel, text, html, "
            "message, state, next_try, instead_of) "
            "VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, 'waiting', ?, ?)",
            (
                new.run,
                new.job,
                moment,
                new.kind,
                new.title,
                json.dumps(list(new.recipients)),
                new.channel,
                new.text,
                new.html,
                new.message,
                moment,
                new.instead_of,
            ),
        ).lastrowid
        or 0
    )


def outbox(db: sqlite3.Connection) -> list[OutboxItem]:
    rows = db.execute("SELECT * FROM report WHERE state='waiting' ORDER BY next_try")
    return [
        OutboxItem(
            id=row["id"],
            report=row["id"],
            title=row["title"],
            recipients=json.loads(row["recipients"]),
            channel=row["channel"],
            attempts=row["attempts"],
            next_try=row["next_try"],
            last_error=row["last_error"],
        )
        for row in rows
    ]


@dataclass(frozen=True, slots=True)
class DueReport:
    """A report that is to be sent now."""

    id: int
    at: datetime
    title: str
    text: str
    message: bytes
    recipients: list[str]
    channel: str
    attempts: int
    has_second_way: bool


def due(db: sqlite3.Connection) -> list[DueReport]:
    """What is to be sent now, oldest first."""
    return [
        DueReport(
            row["id"],
            datetime.fromisoformat(row["at"]),
            row["title"],
            row["text"],
            row["message"],
            json.loads(row["recipients"]),
            row["channel"],
            row["attempts"],
            bool(row["second"]),
        )
        for row in db.execute(
            "SELECT report.*, EXISTS (SELECT 1 FROM report AS other WHERE "
            "other.instead_of=report.id) OR instead_of IS NOT NULL AS second FROM report "
            "WHERE state='waiting' AND next_try <= ? ORDER BY id LIMIT 50",
            (now(),),
        )
    ]


def next_due(db: sqlite3.Connection) -> datetime | None:
    row = db.execute("SELECT min(next_try) AS at FROM report WHERE state='waiting'").fetchone()
    return datetime.fromisoformat(row["at"]) if row["at"] else None


def sent(db: sqlite3.Connection, report_id: int) -> None:
    db.execute(
        "UPDATE report SET state='sent', sent=?, next_try=NULL, last_error='' WHERE id=?",
        (now(), report_id),
    )


def put_off(db: sqlite3.Connection, report_id: int, until: datetime, error: str) -> None:
    db.execute(
        "UPDATE report SET attempts=attempts+1, next_try=?, last_error=? WHERE id=?",
        (stamp(until), error, report_id),
    )


def give_up(db: sqlite3.Connection, report_id: int) -> None:
    """A report that nobody took in days is tried no more."""
    db.execute("UPDATE report SET state='undeliverable', next_try=NULL WHERE id=?", (report_id,))


def hurry(db: sqlite3.Connection) -> int:
    """Make all that waits due now; returns how many."""
    return db.execute("UPDATE report SET next_try=? WHERE state='waiting'", (now(),)).rowcount


def undeliverable(db: sqlite3.Connection) -> int:
    """How many reports of the last week could be delivered on no way."""
    since = stamp(datetime.now(UTC) - timedelta(days=7))
    row = db.execute(
        "SELECT count(*) FROM report WHERE state='undeliverable' AND at > ?", (since,)
    ).fetchone()
    return int(row[0])
