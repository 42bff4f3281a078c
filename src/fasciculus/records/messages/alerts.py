"""Alerts."""

from __future__ import annotations

import sqlite3
from collections.abc import Sequence
from datetime import datetime

from ...core.errors import MissingError
from ...core.watch import Finding, OpenAlert
from ...models import Alert, Page
from .. import settings
from ..bundles import change_alarms
from ..db import now, stamp
from ..paging import PageRequest, Query, page

_SEEN = "alerts.seen_since"


def _alert(row: sqlite3.Row) -> Alert:
    fields = {key: row[key] for key in row.keys() if key in Alert.model_fields}  # noqa: SIM118
    return Alert(**fields, check=row["check_name"])


def alerts(
    db: sqlite3.Connection, paging: PageRequest, state: str = "", job: str = ""
) -> Page[Alert]:
    """Alerts, newest first."""
    query = Query("alert.*", "alert", "alert.id", {"id": "alert.id"}, "-id")
    if state:
        query.only(f"alert.closed IS {'NULL' if state == 'open' else 'NOT NULL'}")
    if job:
        query.only("alert.job = ?", job)
    return page(db, query, paging, _alert)


def alert(db: sqlite3.Connection, number: int) -> Alert:
    """Return an alert. Raises ``MissingError``."""
    row = db.execute("SELECT * FROM alert WHERE id=?", (number,)).fetchone()
    if row is None:
        raise MissingError(f"There is no alert {number}.", "“fasciculus alerts list” names them.")
    return _alert(row)


def open_alerts(db: sqlite3.Connection) -> list[OpenAlert]:
    """Return the alerts that are not over."""
    return [
        OpenAlert(
            row["key"],
            datetime.fromisoformat(row["opened"]),
            datetime.fromisoformat(row["told"]) if row["told"] else None,
            row["acknowledged"] is not None,
            row["text"],
        )
        for row in db.execute("SELECT * FROM alert WHERE closed IS NULL ORDER BY id")
    ]


def open_by_key(db: sqlite3.Connection) -> dict[str, Alert]:
    """Return the open alerts by what they are about."""
    return {
        row["key"]: _alert(row) for row in db.execute("SELECT * FROM alert WHERE closed IS NULL")
    }


def seen_since(
    db: sqlite3.Connection, findings: Sequence[Finding], moment: datetime
) -> dict[str, datetime]:
    """By key, since when findings last that are an alert only after a while. New findings are
    noted, and vanished ones forgotten.
    """
    known: dict[str, str] = settings.get(db, _SEEN) or {}
    slow = [finding.key for finding in findings if finding.after]
    seen = {key: known.get(key, stamp(moment)) for key in slow}
    if seen != known:
        settings.put(db, _SEEN, seen)
    return {key: datetime.fromisoformat(since) for key, since in seen.items()}


def add(db: sqlite3.Connection, finding: Finding) -> None:
    """Open an alert."""
    db.execute(
        "INSERT INTO alert (key, check_name, level, job, about, text, link, opened) "
        "VALUES (?, ?, ?, ?, ?, ?, ?, ?)",
        (
            finding.key,
            finding.check,
            finding.level,
            finding.job,
            finding.about,
            finding.text,
            finding.link,
            now(),
        ),
    )


def change(db: sqlite3.Connection, finding: Finding) -> None:
    """Say an open alert in other words."""
    db.execute(
        "UPDATE alert SET text=?, level=?, link=? WHERE key=? AND closed IS NULL",
        (finding.text, finding.level, finding.link, finding.key),
    )


def told(db: sqlite3.Connection, key: str) -> None:
    """Note that an open alert was reported."""
    db.execute("UPDATE alert SET told=? WHERE key=? AND closed IS NULL", (now(), key))


def close(db: sqlite3.Connection, key: str) -> None:
    """Close an alert."""
    db.execute("UPDATE alert SET closed=? WHERE key=? AND closed IS NULL", (now(), key))


def take_untold_ends(db: sqlite3.Connection) -> list[Alert]:
    """Return the closed alerts whose end was not reported yet, and mark it as reported. The end of
    an unreported alert is not reported.
    """
    rows = db.execute(
        "SELECT * FROM alert WHERE closed IS NOT NULL AND told IS NOT NULL AND told_closed IS NULL "
        "ORDER BY id"
    ).fetchall()
    db.executemany("UPDATE alert SET told_closed=? WHERE id=?", [(now(), r["id"]) for r in rows])
    return [_alert(row) for row in rows]


def key_of(db: sqlite3.Connection, number: int) -> str:
    """Return what an alert is about, as its finding names it."""
    alert(db, number)
    return str(db.execute("SELECT key FROM alert WHERE id=?", (number,)).fetchone()["key"])


def acknowledge(db: sqlite3.Connection, number: int, who: str, note: str) -> None:
    """Acknowledge an alert; this also closes one about very many changes."""
    change_alarms.acknowledge(db, key_of(db, number))
    db.execute(
        "UPDATE alert SET acknowledged=?, acknowledged_by=?, note=? WHERE id=?",
        (now(), who, note, number),
    )
