"""The secret addresses at which jobs are started from outside; only their digests are kept."""

from __future__ import annotations

import hashlib
import json
import secrets
import sqlite3

from ...core.errors import MissingError
from ...models import StartAddress, StartAddressInput
from ..db import now
from .jobs import job as _job


def digest(secret: str) -> str:
    """Return what is kept of a secret: it is long and random, so that a plain digest suffices."""
    return hashlib.sha256(secret.encode("utf-8", "replace")).hexdigest()


def address(db: sqlite3.Connection, job: str) -> StartAddress:
    """Return the address of a job, without its secret."""
    row = db.execute(
        "SELECT start_address.* FROM start_address JOIN job ON job.id=job_id WHERE name=?", (job,)
    ).fetchone()
    if row is None:
        _job(db, job)
        raise MissingError(
            f"Job “{job}” has no address to start it from outside.",
            f"Make one: fasciculus jobs address {job} --make.",
        )
    return _address(row)


def _address(row: sqlite3.Row) -> StartAddress:
    return StartAddress(
        networks=json.loads(row["networks"]),
        per_hour=row["per_hour"],
        enabled=bool(row["enabled"]),
        made=row["made"],
        used=row["used"],
    )


def make(db: sqlite3.Connection, job: str, settings: StartAddressInput) -> str:
    """Create a new address for a job, replacing the old one, and return the secret."""
    _job(db, job)
    secret = secrets.token_urlsafe(32)
    db.execute(
        "INSERT INTO start_address (job_id, hash, networks, per_hour, enabled, made) "
        "SELECT id, ?, ?, ?, ?, ? FROM job WHERE name=? ON CONFLICT (job_id) DO UPDATE SET "
        "hash=excluded.hash, networks=excluded.networks, per_hour=excluded.per_hour, "
        "enabled=excluded.enabled, made=excluded.made, used=NULL",
        (digest(secret), *_columns(settings), now(), job),
    )
    return secret


def _columns(settings: StartAddressInput) -> tuple[str, int, bool]:
    return json.dumps(settings.networks), settings.per_hour, settings.enabled


def change(db: sqlite3.Connection, job: str, settings: StartAddressInput) -> None:
    """Change who may use the address of a job; it stays the same."""
    address(db, job)
    db.execute(
        "UPDATE start_address SET networks=?, per_hour=?, enabled=? WHERE job_id="
        "(SELECT id FROM job WHERE name=?)",
        (*_columns(settings), job),
    )


def remove(db: sqlite3.Connection, job: str) -> None:
    """Remove the start address of a job. Raises ``MissingError``."""
    address(db, job)
    db.execute("DELETE FROM start_address WHERE job_id=(SELECT id FROM job WHERE name=?)", (job,))


def find(db: sqlite3.Connection, secret: str) -> tuple[str, StartAddress] | None:
    """Return the job that a secret starts, and who may use it."""
    row = db.execute(
        "SELECT job.name, start_address.* FROM start_address JOIN job ON job.id=job_id "
        "WHERE hash=?",
        (digest(secret),),
    ).fetchone()
    return (row["name"], _address(row)) if row else None


def used(db: sqlite3.Connection, job: str) -> None:
    """Note that an address was used."""
    db.execute(
        "UPDATE start_address SET used=? WHERE job_id=(SELECT id FROM job WHERE name=?)",
        (now(), job),
    )
