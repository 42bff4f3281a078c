"""Reports and the outbox."""

from __future__ import annotations

import json
import sqlite3
from datetime import datetime

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


def add(
    db: sqlite3.Connection,
    run_id: int | None,
    job: str,
    title: str,
    recipients: list[str],
    text: str,
    html: str,
    message: bytes,
) -> int:
    """A report that waits to be sent."""
    moment = now()
    return int(
        db.execute(
            "INSERT INTO report (run_id, job, at, title, recipients, text, html, message, state, "
            "next_try) VALUES (?, ?, ?, ?, ?, ?, ?, ?, 'waiting', ?)",
            (run_id, job, moment, title, json.dumps(recipients), text, html, message, moment),
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
            attempts=row["attempts"],
            next_try=row["next_try"],
            last_error=row["last_error"],
        )
        for row in rows
    ]


def due(db: sqlite3.Connection) -> list[tuple[int, bytes, list[str], int]]:
    """(id, message, recipients, attempts) of what is to be sent now."""
    return [
        (row["id"], row["message"], json.loads(row["recipients"]), row["attempts"])
        for row in db.execute(
            "SELECT * FROM report WHERE state='waiting' AND next_try <= ? ORDER BY id LIMIT 50",
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


def hurry(db: sqlite3.Connection) -> int:
    """Make all that waits due now; returns how many."""
    return db.execute("UPDATE report SET next_try=? WHERE state='waiting'", (now(),)).rowcount
