"""Tasks that workers on other machines have under way, for a service that was killed."""

from __future__ import annotations

import sqlite3
from dataclasses import dataclass

from ...core.subject import Subject


def add(db: sqlite3.Connection, lease: str, worker: str, subject: Subject) -> None:
    """Note that a worker may work on a subject."""
    db.execute("INSERT INTO lease VALUES (?, ?, ?, ?)", (lease, worker, *subject))


def remove(db: sqlite3.Connection, lease: str) -> None:
    """Remove the note of a lease."""
    db.execute("DELETE FROM lease WHERE id=?", (lease,))


@dataclass(frozen=True, slots=True)
class HeldSubject:
    """A subject that a worker, by its id, may work on."""

    worker: str
    subject: Subject


def take_all(db: sqlite3.Connection) -> dict[str, HeldSubject]:
    """Return the subjects that an earlier process of the service left to workers, by lease, and
    forget them.
    """
    rows = db.execute("SELECT * FROM lease").fetchall()
    db.execute("DELETE FROM lease")
    return {
        row["id"]: HeldSubject(row["worker"], Subject.of(row["subject_kind"], row["subject"]))
        for row in rows
    }
