"""The log lines of runs, restores and maintenance."""

from __future__ import annotations

import sqlite3

from ...core.scope import Scope
from ...models import LogLine, Page
from ..db import now
from ..paging import PageRequest, Query, page
from ..scope import subjects_within


def add(
    db: sqlite3.Connection, owner: str, number: int, level: str, text: str, subject: str = ""
) -> int:
    """Return a line in the log of a run, a restore or maintenance (``owner``)."""
    column = {"run": "run_id", "restore": "restore_id", "maintenance": "maintenance_id"}[owner]
    return (
        db.execute(
            f"INSERT INTO log_line ({column}, subject, at, level, text) VALUES (?, ?, ?, ?, ?)",
            (number, subject, now(), level, text),
        ).lastrowid
        or 0
    )


def first_of_run(db: sqlite3.Connection, run_id: int, limit: int) -> list[LogLine]:
    """Return the first lines of a run's log."""
    return [
        _line(row)
        for row in db.execute(
            "SELECT * FROM log_line WHERE run_id=? ORDER BY id LIMIT ?", (run_id, limit)
        )
    ]


def _line(row: sqlite3.Row) -> LogLine:
    return LogLine(
        id=row["id"], at=row["at"], level=row["level"], subject=row["subject"], text=row["text"]
    )


def lines(
    db: sqlite3.Connection,
    scope: Scope,
    paging: PageRequest,
    column: str,
    owner: int,
    level: str = "",
    words: str = "",
) -> Page[LogLine]:
    """Return the log of a run (``column`` run_id), a restore (restore_id) or maintenance
    (maintenance_id), as far as its lines are of subjects in the scope.
    """
    query = Query("log_line.*", "log_line", "log_line.id", {"id": "log_line.id"}, "id")
    query.only(f"log_line.{column} = ?", owner)
    if not scope.is_everything:
        # All lines of a restore are of its subject; a line of a run without one is of all of it.
        condition, values = subjects_within(scope, "task")
        query.only(
            "log_line.run_id IS NULL OR log_line.subject IN (SELECT subject FROM task "
            f"WHERE task.run_id = log_line.run_id AND {condition})",
            *values,
        )
    if level == "trouble":
        query.only("level != 'info'")
    elif level:
        query.only("level = ?", level)
    if words:
        query.only("instr(lower(text || ' ' || subject), lower(?))", words)
    return page(db, query, paging, _line)
