"""Outcomes of earlier runs: for reports, the watch, the calendar and the overview."""

from __future__ import annotations

import sqlite3
from collections.abc import Sequence
from datetime import datetime
from typing import Any

from ...core.scope import Scope
from ...core.subject import BUNDLED, Subject, SubjectKind
from ..scope import subjects_within


def last_ended(db: sqlite3.Connection, job: str) -> dict[str, Any] | None:
    """Return the last run of a job that has ended, None before there is one."""
    row = db.execute(
        "SELECT id, outcome, started, ended FROM run WHERE job=? AND state='ended' "
        "ORDER BY id DESC LIMIT 1",
        (job,),
    ).fetchone()
    return dict(row) if row else None


def last_started_by_timetable(db: sqlite3.Connection, job: str) -> str | None:
    """Return when the last run of a job was made that a timetable started, or that could
    not start.
    """
    row = db.execute(
        "SELECT max(created) FROM run WHERE job=? AND started_by LIKE 'timetable%'", (job,)
    ).fetchone()
    return row[0] if row else None


def outcome_before(db: sqlite3.Connection, job: str, run_id: int) -> str | None:
    """Return how the run of a job before another one ended, those left aside that did not start."""
    row = db.execute(
        "SELECT outcome FROM run WHERE job=? AND id < ? AND state='ended' AND outcome NOT IN "
        "('skipped', 'cancelled') ORDER BY id DESC LIMIT 1",
        (job, run_id),
    ).fetchone()
    return row["outcome"] if row else None


def task_outcome_before(
    db: sqlite3.Connection, job: str, subject_kind: SubjectKind, subject: str, run_id: int
) -> str | None:
    """Return how the task of a subject in the run of a job before another one ended."""
    row = db.execute(
        "SELECT task.outcome FROM task JOIN run ON run.id=run_id WHERE run.job=? AND "
        "subject_kind=? AND subject=? AND run_id < ? AND task.state='ended' AND task.outcome NOT "
        "IN ('skipped', 'cancelled') ORDER BY task.id DESC LIMIT 1",
        (job, subject_kind, subject, run_id),
    ).fetchone()
    return row["outcome"] if row else None


def ended_between(db: sqlite3.Connection, job: str, begin: str, end: str) -> list[int]:
    """Return the runs of a job that ended in a time, oldest first."""
    return [
        row["id"]
        for row in db.execute(
            "SELECT id FROM run WHERE job=? AND state='ended' AND ended > ? AND ended <= ? "
            "ORDER BY id",
            (job, begin, end),
        )
    ]


def failing_stores(db: sqlite3.Connection) -> dict[str, str]:
    """By store that took no copy the last time that it was to take one, the reason.

    Tasks end in another order than they begin, and copies come from other stores too: what counts
    is the last time of any.
    """
    return {
        row["store"]: row["error"]
        for row in db.execute(
            "SELECT store, error FROM (SELECT store.name AS store, store.id AS store_id, error, "
            "at, row_number() OVER (PARTITION BY store.id ORDER BY at DESC, task_id DESC) AS age "
            "FROM task_copy JOIN store ON store.name=task_copy.store WHERE task_id > "
            "(SELECT coalesce(max(id), 0) FROM task) - 5000) AS last WHERE age=1 AND "
            "error != '' AND NOT EXISTS (SELECT 1 FROM copy WHERE copy.store_id=last.store_id AND "
            "copy.made > last.at AND last.at != '')"
        )
    }


def durations(db: sqlite3.Connection, since: str) -> dict[str, list[float]]:
    """By job, the durations in seconds of its runs that ended with bundles since a time."""
    found: dict[str, list[float]] = {}
    for row in db.execute(
        "SELECT job, started, ended FROM run WHERE state='ended' AND ended >= ? AND started IS NOT "
        "NULL AND outcome IN ('done', 'warned', 'partial')",
        (since,),
    ):
        began, ended = (datetime.fromisoformat(row[name]) for name in ("started", "ended"))
        found.setdefault(row["job"], []).append((ended - began).total_seconds())
    return found


def nights(
    db: sqlite3.Connection, since: str, subjects: Sequence[Subject]
) -> list[tuple[str, str, str, str]]:
    """(subject kind, subject, time of start, outcome) of the tasks of some subjects since a
    time.
    """
    if not subjects:
        return []
    wanted = ", ".join(["(?, ?)"] * len(subjects))
    return [
        tuple(row)
        for row in db.execute(
            "SELECT subject_kind, subject, coalesce(started, ended), outcome FROM task "
            f"WHERE (subject_kind, subject) IN (VALUES {wanted}) AND state='ended' "
            "AND coalesce(started, ended) >= ? ORDER BY subject, id",
            [*(value for subject in subjects for value in subject), since],
        )
    ]


def troubled(db: sqlite3.Connection, scope: Scope, since: str, count: int) -> list[Subject]:
    """Return the first subjects by name with a task that failed since a time."""
    condition, values = subjects_within(scope, "task")
    rows = db.execute(
        "SELECT DISTINCT subject_kind, subject FROM task WHERE run_id IN (SELECT id FROM run WHERE "
        "coalesce(ended, '9') >= ?) AND state='ended' AND coalesce(started, ended) >= ? AND "
        f"outcome IN ('failed', 'partial', 'interrupted') AND {condition} ORDER BY subject LIMIT ?",
        [since, since, *values, count],
    )
    return [Subject.of(*row) for row in rows]


def with_tasks(db: sqlite3.Connection, scope: Scope, count: int) -> list[Subject]:
    """Return the first subjects by name that have tasks, so many of each kind."""
    condition, values = subjects_within(scope, "task")
    found = [
        Subject(kind, row[0])
        for kind in BUNDLED
        for row in db.execute(
            "SELECT DISTINCT subject FROM task WHERE subject_kind=? AND "
            f"{condition} ORDER BY subject LIMIT ?",
            [kind, *values, count],
        )
    ]
    return sorted(found, key=lambda subject: subject.name)
