"""Reports and the outbox."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

from ...core.errors import MissingError
from ...models import OutboxItem, Page, Report, ReportDetail
from ..db import now, stamp
from ..paging import PageRequest, Query, like, page

#: All but the texts and the message, which may be large.
_COLUMNS = (
    "report.id, report.run_id, report.job, report.at, report.kind, report.channel, report.title, "
    "report.recipients, report.state, report.sent, report.last_error, report.attempts, "
    "report.next_try"
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
    """Return a page of the reports that match, newest first."""
    query = Query(_COLUMNS, "report", "report.id", {"id": "report.id"}, "-id")
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
    """Return a report with its text. Raises ``MissingError``."""
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
    """Return a report that waits to be sent."""
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
    """Return the reports that wait to be sent, the next one first."""
    rows = db.execute(f"SELECT {_COLUMNS} FROM report WHERE state='waiting' ORDER BY next_try, id")
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
    kind: str
    title: str
    text: str
    message: bytes
    recipients: list[str]
    channel: str
    attempts: int
    has_fallback: bool


def due(db: sqlite3.Connection) -> list[int]:
    """Return the numbers of what is to be sent now, oldest first. Messages may be large, so that
    each is read when its turn comes.
    """
    rows = db.execute(
        "SELECT id FROM report WHERE state='waiting' AND next_try <= ? ORDER BY id", (now(),)
    )
    return [row["id"] for row in rows]


def waiting(db: sqlite3.Connection, report_id: int) -> DueReport | None:
    """Return a report that waits; None when it does so no more."""
    row = db.execute(
        "SELECT report.*, EXISTS (SELECT 1 FROM report AS other WHERE "
        "other.instead_of=report.id) OR instead_of IS NOT NULL AS second FROM report "
        "WHERE state='waiting' AND id=?",
        (report_id,),
    ).fetchone()
    if row is None:
        return None
    return DueReport(
        row["id"],
        datetime.fromisoformat(row["at"]),
        row["kind"],
        row["title"],
        row["text"],
        row["message"],
        json.loads(row["recipients"]),
        row["channel"],
        row["attempts"],
        bool(row["second"]),
    )


def next_due(db: sqlite3.Connection) -> datetime | None:
    """Return when the next report is to be sent, None if none waits."""
    row = db.execute("SELECT min(next_try) AS at FROM report WHERE state='waiting'").fetchone()
    return datetime.fromisoformat(row["at"]) if row["at"] else None


def give_up_old(db: sqlite3.Connection, report_id: int, oldest: datetime) -> None:
    """Give up a report that was written before a time, whether or not it can be read."""
    row = db.execute("SELECT at FROM report WHERE id=?", (report_id,)).fetchone()
    if row is not None and row["at"] < stamp(oldest):
        give_up(db, report_id)


def remove_waiting(db: sqlite3.Connection, report_id: int) -> None:
    """Remove a report that waits or was given up; its text stays among the reports.

    Raises :class:`MissingError` if no such report waits.
    """
    if not db.execute(
        "UPDATE report SET state='removed', next_try=NULL, message=x'' WHERE id=? AND "
        "state IN ('waiting', 'undeliverable')",
        (report_id,),
    ).rowcount:
        raise MissingError(
            f"No report {report_id} waits to be sent.", "“fasciculus reports waiting” lists them."
        )


def is_stuck(db: sqlite3.Connection, before: datetime) -> bool:
    """Return whether a report written before a time is still unsent."""
    row = db.execute(
        "SELECT 1 FROM report WHERE at < ? AND attempts > 0 AND state='waiting' LIMIT 1",
        (stamp(before),),
    ).fetchone()
    return row is not None


def sent(db: sqlite3.Connection, report_id: int) -> None:
    """Note that a report was accepted. Its texts stay readable; the message with its attachments is
    removed.
    """
    db.execute(
        "UPDATE report SET state='sent', sent=?, next_try=NULL, last_error='', message=x'' "
        "WHERE id=?",
        (now(), report_id),
    )


def part(db: sqlite3.Connection, report_id: int, refused: Sequence[str]) -> int:
    """Move the addresses that a server refused to their own waiting report, and return
    its number.
    """
    row = db.execute("SELECT recipients FROM report WHERE id=?", (report_id,)).fetchone()
    taken = [address for address in json.loads(row["recipients"]) if address not in refused]
    number = db.execute(
        "INSERT INTO report (run_id, job, at, kind, title, recipients, channel, text, html, "
        "message, state, attempts, next_try, instead_of) SELECT run_id, job, at, kind, title, ?, "
        "channel, text, html, message, state, attempts, next_try, instead_of FROM report "
        "WHERE id=?",
        (json.dumps(list(refused)), report_id),
    ).lastrowid
    db.execute("UPDATE report SET recipients=? WHERE id=?", (json.dumps(taken), report_id))
    return int(number or 0)


def put_off(db: sqlite3.Connection, report_id: int, until: datetime, error: str) -> None:
    """Record that a report could not be sent, and when to try again."""
    db.execute(
        "UPDATE report SET attempts=attempts+1, next_try=?, last_error=? WHERE id=?",
        (stamp(until), error, report_id),
    )


def give_up(db: sqlite3.Connection, report_id: int) -> None:
    """Give up a report that was not accepted for days."""
    db.execute("UPDATE report SET state='undeliverable', next_try=NULL WHERE id=?", (report_id,))


def hurry(db: sqlite3.Connection) -> int:
    """Make all waiting messages due now, and also those that could not be delivered in the last
    week; return their number.
    """
    return db.execute(
        "UPDATE report SET state='waiting', next_try=? WHERE state='waiting' OR "
        "(state='undeliverable' AND at > ?)",
        (now(), _week_ago()),
    ).rowcount


def undeliverable(db: sqlite3.Connection) -> int:
    """Return how many reports of the last week could be delivered on no way."""
    row = db.execute(
        "SELECT count(*) FROM report WHERE state='undeliverable' AND at > ?", (_week_ago(),)
    ).fetchone()
    return int(row[0])


def _week_ago() -> str:
    return stamp(datetime.now(UTC) - timedelta(days=7))
