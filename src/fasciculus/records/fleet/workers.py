"""Enrolled workers, and the codes to enrol one."""

from __future__ import annotations

import base64
import secrets
import sqlite3
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta

from ...core.errors import MissingError, NameTakenError
from ..db import now, stamp
from ..secret_cipher import SecretCipher

#: How long a code lasts, in hours.
CODE_HOURS = 24


@dataclass(frozen=True, slots=True)
class EnrolledWorker:
    """A worker as the records know it; ``key`` is that of its messages."""

    id: str
    name: str
    queue: str
    recipient: str
    key: bytes = field(repr=False)
    version: str
    place: str
    slots: int
    drains: bool
    enrolled: datetime
    last_seen: datetime | None


@dataclass(frozen=True, slots=True)
class NewWorker:
    """A worker to be enrolled."""

    name: str
    queue: str
    recipient: str
    version: str


def _worker(row: sqlite3.Row, cipher: SecretCipher) -> EnrolledWorker:
    seen = row["last_seen"]
    return EnrolledWorker(
        id=row["id"],
        name=row["name"],
        queue=row["queue"],
        recipient=row["recipient"],
        key=base64.b64decode(cipher.decrypt(row["key"])["key"]),
        version=row["version"],
        place=row["place"],
        slots=row["slots"],
        drains=bool(row["drains"]),
        enrolled=datetime.fromisoformat(row["enrolled"]),
        last_seen=datetime.fromisoformat(seen) if seen else None,
    )


def workers(db: sqlite3.Connection, cipher: SecretCipher) -> list[EnrolledWorker]:
    """Return all workers, by name."""
    return [_worker(row, cipher) for row in db.execute("SELECT * FROM worker ORDER BY name")]


def worker(db: sqlite3.Connection, cipher: SecretCipher, name: str) -> EnrolledWorker:
    """Return a worker. Raises ``MissingError``."""
    row = db.execute("SELECT * FROM worker WHERE name=?", (name,)).fetchone()
    if row is None:
        raise MissingError(
            f"There is no worker “{name}”.", "“fasciculus workers list” names them.", field="name"
        )
    return _worker(row, cipher)


def queues(db: sqlite3.Connection) -> list[str]:
    """Return the names of the queues that workers take orders of."""
    return [row[0] for row in db.execute("SELECT DISTINCT queue FROM worker ORDER BY queue")]


def enrol(db: sqlite3.Connection, cipher: SecretCipher, new: NewWorker, key: bytes) -> str:
    """Add a worker and return its id. Raises ``NameTakenError``."""
    worker_id = secrets.token_hex(16)
    sealed = cipher.encrypt({"key": base64.b64encode(key).decode()})
    try:
        db.execute(
            "INSERT INTO worker (id, name, queue, recipient, key, version, enrolled) "
            "VALUES (?, ?, ?, ?, ?, ?, ?)",
            (worker_id, new.name, new.queue, new.recipient, sealed, new.version, now()),
        )
    except sqlite3.IntegrityError as error:
        raise NameTakenError(
            f"There is a worker “{new.name}” already.",
            "Choose another name (--name), or remove that one: fasciculus workers remove.",
            field="name",
        ) from error
    return worker_id


def seen(db: sqlite3.Connection, worker_id: str, version: str, place: str, slots: int) -> None:
    """Note that a worker is there."""
    db.execute(
        "UPDATE worker SET last_seen=?, version=?, place=?, slots=? WHERE id=?",
        (now(), version, place, slots, worker_id),
    )


def set_drains(db: sqlite3.Connection, name: str, drains: bool) -> None:
    """Note whether a worker gets no more orders."""
    db.execute("UPDATE worker SET drains=? WHERE name=?", (drains, name))


def remove(db: sqlite3.Connection, name: str) -> None:
    """Remove a worker."""
    db.execute("DELETE FROM worker WHERE name=?", (name,))


# Codes ---------------------------------------------------------------------------


def add_code(db: sqlite3.Connection, cipher: SecretCipher, queue: str) -> tuple[str, datetime]:
    """Return a new code for one worker of a queue, and until when it can be used."""
    expires = datetime.now(UTC) + timedelta(hours=CODE_HOURS)
    code_id, secret = secrets.token_hex(4), secrets.token_hex(16)
    db.execute("DELETE FROM worker_code WHERE expires < ?", (now(),))
    db.execute(
        "INSERT INTO worker_code (id, secret, queue, expires) VALUES (?, ?, ?, ?)",
        (code_id, cipher.encrypt({"secret": secret}), queue, stamp(expires)),
    )
    return f"{code_id}-{secret}", expires


def code(db: sqlite3.Connection, cipher: SecretCipher, code_id: str) -> tuple[str, str] | None:
    """Return the secret and the queue of a code that can be used; None for any other."""
    row = db.execute(
        "SELECT secret, queue FROM worker_code WHERE id=? AND expires > ?", (code_id, now())
    ).fetchone()
    return (cipher.decrypt(row["secret"])["secret"], row["queue"]) if row else None


def use_code(db: sqlite3.Connection, code_id: str) -> bool:
    """Use a code up; return whether it was there."""
    return db.execute("DELETE FROM worker_code WHERE id=?", (code_id,)).rowcount > 0
