"""Runs and their tasks."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

import msgspec
from msgspec import UNSET

from ...core.errors import MissingError
from ...core.outcome import worst
from ...core.scope import EVERYTHING, Scope
from ...core.subject import Subject
from ...models import JobInput, Page, Run, RunDetail, Task, TaskCopy
from ..bundles.bundles import MadeBundle
from ..db import now, stamp
from ..paging import PageRequest, Query, page
from ..scope import subjects_within

_FIELDS = tuple(Run.model_fields)


def _columns(scope: Scope) -> tuple[str, list[str]]:
    """Return the columns of a run, its numbers those of the tasks in the scope, with their values.

    Its sentence and its outcome are those of the whole run; see :func:`_run`.
    """
    condition, values = subjects_within(scope, "task")
    tasks = f"FROM task WHERE run_id=run.id AND {condition}"
    columns = (
        f"run.*, (SELECT count(*) {tasks}) AS tasks_total, "
        f"(SELECT count(*) {tasks} AND state='ended') AS tasks_done, "
        f"(SELECT coalesce(sum(bytes), 0) {tasks}) AS bytes, "
        f"(SELECT coalesce(sum(packed), 0) {tasks}) AS packed"
    )
    return columns, values * 4


def _run(db: sqlite3.Connection, scope: Scope, row: sqlite3.Row) -> Run:
    """Return the run of a row; a narrower scope gets the outcome of its own tasks alone."""
    found = Run(**{key: row[key] for key in _FIELDS})
    if not scope.is_everything:
        condition, values = subjects_within(scope, "task")
        ended = db.execute(
            f"SELECT DISTINCT outcome FROM task WHERE run_id=? AND {condition} "
            "AND outcome IS NOT NULL",
            [found.id, *values],
        ).fetchall()
        outcomes = [task["outcome"] for task in ended]
        found.sentence, found.outcome = "", worst(outcomes) if outcomes else None
    return found


def runs(
    db: sqlite3.Connection,
    scope: Scope,
    paging: PageRequest,
    job: str = "",
    outcome: str = "",
    state: str = "",
    subject: str = "",
) -> Page[Run]:
    """Return a page of the runs that match, newest first: those with a task in the scope."""
    columns, column_values = _columns(scope)
    query = Query(
        columns,
        "run",
        "run.id",
        {"id": "run.id", "job": "run.job", "started": "coalesce(run.started, '')"},
        "-id",
        column_values=column_values,
    )
    tasks, values = subjects_within(scope, "task")
    condition, wanted = "outcome = ?", [outcome]
    if outcome == "trouble":
        condition, wanted = "outcome != 'done'", []
    if not scope.is_everything:
        query.only(f"run.id IN (SELECT run_id FROM task WHERE {tasks})", *values)
    if outcome and scope.is_everything:
        query.only(f"run.{condition}", *wanted)
    elif outcome:
        # What a scope hides must not be found out by filtering either.
        query.only(
            f"run.id IN (SELECT run_id FROM task WHERE {condition} AND {tasks})", *wanted, *values
        )
    if job:
        query.only("run.job = ?", job)
    if state:
        query.only("run.state = ?", state)
    if subject:
        query.only(
            f"run.id IN (SELECT run_id FROM task WHERE subject = ? AND {tasks})", subject, *values
        )
    return page(db, query, paging, lambda row: _run(db, scope, row))


def summary(db: sqlite3.Connection, run_id: int, scope: Scope = EVERYTHING) -> Run:
    """Return a run without its tasks, of which there may be many."""
    columns, values = _columns(scope)
    row = db.execute(f"SELECT {columns} FROM run WHERE id=?", [*values, run_id]).fetchone()
    if row is None or not (scope.is_everything or row["tasks_total"]):
        raise MissingError(f"There is no run {run_id}.", "“fasciculus runs list” names them.")
    return _run(db, scope, row)


def is_over(db: sqlite3.Connection, run_id: int) -> bool:
    """Return whether a run has ended, without counting its tasks; so has one that is forgotten."""
    row = db.execute("SELECT state FROM run WHERE id=?", (run_id,)).fetchone()
    return row is None or row["state"] == "ended"


def run(db: sqlite3.Connection, run_id: int, scope: Scope = EVERYTHING) -> RunDetail:
    """Return a run with its tasks."""
    detail = RunDetail(**summary(db, run_id, scope).model_dump())
    detail.tasks = _tasks(db, scope, "task.run_id", run_id)
    return detail


def task(db: sqlite3.Connection, task_id: int) -> Task:
    """Return a task of a run."""
    return _tasks(db, EVERYTHING, "task.id", task_id)[0]


def tasks(db: sqlite3.Connection, run_id: int) -> list[Task]:
    """Return the tasks of a run."""
    return _tasks(db, EVERYTHING, "task.run_id", run_id)


def _tasks(db: sqlite3.Connection, scope: Scope, column: str, value: int) -> list[Task]:
    condition, values = subjects_within(scope, "task")
    copies: dict[int, list[TaskCopy]] = {}
    for row in db.execute(
        f"SELECT task_copy.* FROM task_copy JOIN task ON task.id=task_id WHERE {column}=? "
        "ORDER BY store",
        (value,),
    ):
        copies.setdefault(row["task_id"], []).append(
            TaskCopy(
                store=row["store"], error=row["error"], kept=row["kept"], retired=row["retired"]
            )
        )
    rows = db.execute(
        "SELECT task.*, bundle.id AS bundle_id FROM task LEFT JOIN bundle ON "
        "bundle.subject_kind=task.subject_kind AND bundle.subject=task.subject "
        f"AND bundle.name=task.bundle AND task.bundle != '' WHERE {column}=? AND {condition} "
        "ORDER BY task.id",
        [value, *values],
    )
    return [
        Task(
            id=row["id"],
            subject_kind=row["subject_kind"],
            subject=row["subject"],
            state=row["state"],
            outcome=row["outcome"],
            error=row["error"],
            bundle=row["bundle"],
            bundle_id=row["bundle_id"],
            entries=row["entries"],
            bytes=row["bytes"],
            packed=row["packed"],
            started=row["started"],
            ended=row["ended"],
            not_before=row["not_before"],
            not_after=row["not_after"],
            attempts=row["attempts"],
            warnings=json.loads(row["warnings"]),
            changes=json.loads(row["changes"]) if row["changes"] else None,
            copies=copies.get(row["id"], []),
        )
        for row in rows
    ]


def by_key(db: sqlite3.Connection, key: str) -> int | None:
    """Return the run that was started with an idempotency key, None if none was."""
    row = db.execute("SELECT id FROM run WHERE idempotency_key=?", (key,)).fetchone()
    return row["id"] if row else None


def active(db: sqlite3.Connection, job: str) -> int | None:
    """Return the job's run that has not ended, if there is one."""
    row = db.execute(
        "SELECT id FROM run WHERE job=? AND state != 'ended' LIMIT 1", (job,)
    ).fetchone()
    return row["id"] if row else None


def active_count(db: sqlite3.Connection, job: str) -> int:
    """Return how many runs of a job have not ended."""
    row = db.execute("SELECT count(*) FROM run WHERE job=? AND state != 'ended'", (job,)).fetchone()
    return int(row[0])


@dataclass(frozen=True, slots=True)
class RunOptions:
    """The options of a run: a full bundle, a comparison of contents, only some of the subjects; a
    label, with the days for which its bundles are pinned.
    """

    full: bool = False
    compare: bool = False
    names: tuple[str, ...] = ()
    label: str = ""
    keep_days: int = 0


@dataclass(frozen=True, slots=True)
class TaskTimes:
    """Within what time a task may begin; None for any."""

    not_before: datetime | None = None
    not_after: datetime | None = None


def options(db: sqlite3.Connection, run_id: int) -> RunOptions:
    """Return what was asked of a run."""
    row = db.execute(
        "SELECT full, compare, label, keep_days FROM run WHERE id=?", (run_id,)
    ).fetchone()
    if row is None:
        return RunOptions()
    return RunOptions(bool(row["full"]), bool(row["compare"]), (), row["label"], row["keep_days"])


def add(
    db: sqlite3.Connection,
    job: JobInput,
    started_by: str,
    subjects: Sequence[Subject],
    key: str | None = None,
    options: RunOptions = RunOptions(),
    times: Mapping[Subject, TaskTimes] | None = None,
) -> int:
    """Return a queued run with a task for each subject; ``times`` says within what time
    some begin.
    """
    found = times or {}
    run_id = db.execute(
        "INSERT INTO run (job, zone, report_to, report_when, started_by, state, created, "
        "idempotency_key, full, compare, label, keep_days, pin_until) "
        "VALUES (?, ?, ?, ?, ?, 'queued', ?, ?, ?, ?, ?, ?, ?)",
        (
            job.name,
            job.zone,
            json.dumps(job.report_to),
            job.report_when,
            started_by,
            now(),
            key,
            options.full,
            options.compare,
            options.label,
            options.keep_days,
            stamp(datetime.now(UTC) + timedelta(days=options.keep_days)) if options.label else None,
        ),
    ).lastrowid
    assert run_id is not None
    db.executemany(
        "INSERT INTO task (run_id, subject_kind, subject, state, not_before, not_after) "
        "VALUES (?, ?, ?, 'queued', ?, ?)",
        [
            (run_id, *subject, _stamp(row.not_before), _stamp(row.not_after))
            for subject in subjects
            for row in [found.get(subject, TaskTimes())]
        ],
    )
    return run_id


def _stamp(moment: datetime | None) -> str | None:
    return None if moment is None else stamp(moment)


def pin_until(db: sqlite3.Connection, run_id: int) -> str | None:
    """Until when the bundles of a run are pinned, if they are."""
    row = db.execute("SELECT pin_until FROM run WHERE id=?", (run_id,)).fetchone()
    return row["pin_until"] if row else None


def limit(db: sqlite3.Connection, run_id: int, deadline: datetime) -> None:
    """Note by what time a run must have ended."""
    db.execute("UPDATE run SET deadline=? WHERE id=?", (stamp(deadline), run_id))


def deadline(db: sqlite3.Connection, run_id: int) -> datetime | None:
    """By what time a run must have ended, if there is such a time."""
    row = db.execute("SELECT deadline FROM run WHERE id=?", (run_id,)).fetchone()
    return datetime.fromisoformat(row["deadline"]) if row and row["deadline"] else None


def wait_again(db: sqlite3.Connection, task_id: int, until: datetime) -> None:
    """Let a failed task wait for a retry."""
    db.execute(
        "UPDATE task SET state='queued', started=NULL, not_before=? WHERE id=?",
        (stamp(until), task_id),
    )


def attempts(db: sqlite3.Connection, task_id: int) -> int:
    """Return how often a task was begun."""
    return int(db.execute("SELECT attempts FROM task WHERE id=?", (task_id,)).fetchone()[0])


def begin(db: sqlite3.Connection, run_id: int) -> bool:
    """Record that a run has begun; return whether it had not before."""
    begun = db.execute(
        "UPDATE run SET state='running', started=coalesce(started, ?) WHERE id=? "
        "AND state != 'running'",
        (now(), run_id),
    )
    return begun.rowcount > 0


def end(
    db: sqlite3.Connection, run_id: int, outcome: str, sentence: str, ended: datetime | None = None
) -> None:
    """End a run, now or at the time that its report gives."""
    moment = stamp(ended) if ended else now()
    db.execute(
        "UPDATE run SET state='ended', outcome=?, sentence=?, ended=?, "
        "started=coalesce(started, ?) WHERE id=?",
        (outcome, sentence, moment, moment, run_id),
    )


def begin_task(db: sqlite3.Connection, task_id: int) -> None:
    """Record that a task has begun, and count the attempt."""
    db.execute(
        "UPDATE task SET state='running', started=?, attempts=attempts+1 WHERE id=?",
        (now(), task_id),
    )


def end_task(
    db: sqlite3.Connection,
    task_id: int,
    outcome: str,
    error: str = "",
    made: MadeBundle | None = None,
) -> None:
    """Note how a task ended, and the bundle it made."""
    warnings = [
        row["text"]
        for row in db.execute(
            "SELECT log_line.text FROM log_line JOIN task ON task.run_id=log_line.run_id "
            "AND task.subject=log_line.subject WHERE task.id=? AND level='warning' "
            "ORDER BY log_line.id LIMIT 200",
            (task_id,),
        )
    ]
    changes = made.manifest.changes if made is not None else UNSET
    db.execute(
        "UPDATE task SET state='ended', outcome=?, error=?, bundle=?, entries=?, bytes=?, "
        "packed=?, ended=?, warnings=?, changes=? WHERE id=?",
        (
            outcome,
            error,
            made.bundle if made else "",
            made.entries if made else 0,
            made.bytes if made else 0,
            made.packed if made else 0,
            now(),
            json.dumps(warnings),
            None if changes is UNSET else msgspec.json.encode(changes).decode(),
            task_id,
        ),
    )


def copied(db: sqlite3.Connection, task_id: int, store: str, error: str, kept: int) -> None:
    """Record that a bundle was copied to a store, or why it was not."""
    db.execute(
        "INSERT INTO task_copy (task_id, store, error, kept, at) VALUES (?, ?, ?, ?, ?) "
        "ON CONFLICT DO UPDATE SET error=excluded.error, kept=excluded.kept, at=excluded.at",
        (task_id, store, error, kept, now()),
    )


def retired(db: sqlite3.Connection, task_id: int, store: str) -> None:
    """Record that a copy of an older bundle was removed from a store."""
    db.execute(
        "INSERT INTO task_copy (task_id, store, retired) VALUES (?, ?, 1) "
        "ON CONFLICT DO UPDATE SET retired=retired+1",
        (task_id, store),
    )


def tasks_left(db: sqlite3.Connection, run_id: int) -> int:
    """Return how many tasks of a run have not ended, or the run has."""
    return int(
        db.execute(
            "SELECT count(*) FROM task WHERE run_id=? AND state != 'ended'", (run_id,)
        ).fetchone()[0]
    )


def unended(db: sqlite3.Connection) -> list[int]:
    """Return the runs that are queued or running."""
    return [
        row["id"] for row in db.execute("SELECT id FROM run WHERE state != 'ended' ORDER BY id")
    ]


def unfinished_tasks(db: sqlite3.Connection) -> list[tuple[int, Task]]:
    """Return the tasks that are queued or running, each with the number of its run."""
    return [
        (run_id, task)
        for run_id in unended(db)
        for task in tasks(db, run_id)
        if task.state != "ended"
    ]


def report_settings(db: sqlite3.Connection, run_id: int) -> tuple[list[str], str]:
    """Return who gets the report of a run, and when."""
    row = db.execute("SELECT report_to, report_when FROM run WHERE id=?", (run_id,)).fetchone()
    recipients: list[str] = json.loads(row["report_to"])
    return recipients, str(row["report_when"])
