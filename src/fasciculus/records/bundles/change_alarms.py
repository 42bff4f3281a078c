"""Bundles with far more changes than usual, until they are acknowledged."""

from __future__ import annotations

import sqlite3
from dataclasses import dataclass

from ...core.subject import SubjectKind
from ..db import now

#: How the key of an alert begins that is about an alarm.
KEY = "changes "
_BUNDLES = 10


@dataclass(frozen=True, slots=True)
class ChangeAlarm:
    """An open alarm; ``words`` is what is unusual, as a clause."""

    id: int
    bundle: str
    subject_kind: SubjectKind
    subject: str
    job: str
    words: str
    bundle_id: int | None

    @property
    def key(self) -> str:
        """Return the key of its alert."""
        return f"{KEY}{self.id}"


def open_alarm(
    db: sqlite3.Connection, subject_kind: SubjectKind, subject: str, bundle: str, words: str
) -> None:
    """Open an alarm about a bundle that has far more changes than those before it."""
    db.execute(
        "INSERT INTO change_alarm (bundle, bundle_id, moment, subject_kind, subject, job, "
        "words, opened) SELECT name, id, moment, subject_kind, subject, job, ?, ? FROM bundle "
        "WHERE subject_kind=? AND subject=? AND name=?",
        (words, now(), subject_kind, subject, bundle),
    )


def usual(
    db: sqlite3.Connection, subject_kind: SubjectKind, subject: str, job: str
) -> list[tuple[int, int]]:
    """Return the changes and entries of the last bundles of a job and subject, newest first.

    Tasks report them, so that bundles retired since then count.
    """
    rows = db.execute(
        "SELECT json_extract(changes, '$.new') + json_extract(changes, '$.changed') + "
        "json_extract(changes, '$.gone'), entries FROM task JOIN run ON run.id=run_id WHERE "
        "subject_kind=? AND subject=? AND job=? AND bundle != '' AND changes IS NOT NULL "
        "ORDER BY task.id DESC LIMIT ?",
        (subject_kind, subject, job, _BUNDLES),
    )
    return [(row[0], row[1]) for row in rows]


def unacknowledged(db: sqlite3.Connection) -> list[ChangeAlarm]:
    """Return the alarms that nobody has acknowledged."""
    rows = db.execute(
        "SELECT a.id, a.bundle, a.subject_kind, a.subject, a.job, a.words, bundle.id AS number "
        "FROM change_alarm a LEFT JOIN bundle ON bundle.name=a.bundle AND "
        "bundle.subject=a.subject AND bundle.subject_kind=a.subject_kind "
        "WHERE a.acknowledged IS NULL ORDER BY a.id"
    )
    return [ChangeAlarm(*row) for row in rows]


def acknowledge(db: sqlite3.Connection, key: str) -> None:
    """Close the alarm that an alert is about, if it is about one."""
    if key.startswith(KEY) and key.removeprefix(KEY).isdecimal():
        db.execute(
            "UPDATE change_alarm SET acknowledged=? WHERE id=?", (now(), key.removeprefix(KEY))
        )
