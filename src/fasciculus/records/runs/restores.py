"""Restores."""

from __future__ import annotations

import json
import sqlite3

from ...core.errors import MissingError
from ...core.scope import EVERYTHING, Scope
from ...models import Bundle, Page, Restore, RestoreStart
from ..db import now
from ..paging import PageRequest, Query, page
from ..scope import only_subjects, subjects_within


def _restore(row: sqlite3.Row) -> Restore:
    values = {key: row[key] for key in Restore.model_fields if key in row.keys()}  # noqa: SIM118
    for key in ("contents", "paths", "databases", "mail_domains", "owners"):
        values[key] = json.loads(row[key])
    return Restore(**values)


def add(
    db: sqlite3.Connection,
    start: RestoreStart,
    bundle: Bundle,
    store: str,
    started_by: str,
    key: str | None,
    identity: str | None = None,
) -> int:
    """Return a queued restore of a bundle from a store; ``identity`` is encrypted already."""
    row = db.execute(
        "INSERT INTO restore (bundle_id, bundle, subject_kind, subject, store, target, contents, "
        "paths, databases, mail_domains, resume, special_modes, owners, state, started_by, "
        "created, idempotency_key, identity) "
        "VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, 'queued', ?, ?, ?, ?)",
        (
            bundle.id,
            bundle.name,
            bundle.subject_kind,
            bundle.subject,
            store,
            start.target,
            json.dumps(start.contents),
            json.dumps(start.paths),
            json.dumps(start.databases),
            json.dumps(start.mail_domains),
            start.resume,
            start.special_modes,
            json.dumps(start.owners),
            started_by,
            now(),
            key,
            identity,
        ),
    )
    return int(row.lastrowid or 0)


def by_key(db: sqlite3.Connection, key: str) -> int | None:
    """Return the restore that was started with an idempotency key, None if none was."""
    row = db.execute("SELECT id FROM restore WHERE idempotency_key=?", (key,)).fetchone()
    return row["id"] if row else None


def restores(
    db: sqlite3.Connection, scope: Scope, paging: PageRequest, subject: str = ""
) -> Page[Restore]:
    """Return a page of the restores that match, newest first."""
    query = Query("restore.*", "restore", "restore.id", {"id": "restore.id"}, "-id")
    only_subjects(query, scope, "restore")
    if subject:
        query.only("restore.subject = ?", subject)
    return page(db, query, paging, _restore)


def restore(db: sqlite3.Connection, restore_id: int, scope: Scope = EVERYTHING) -> Restore:
    """Return a restore. Raises ``MissingError``."""
    condition, values = subjects_within(scope, "restore")
    row = db.execute(
        f"SELECT * FROM restore WHERE id=? AND {condition}", [restore_id, *values]
    ).fetchone()
    if row is None:
        raise MissingError(
            f"There is no restore {restore_id}.", "“fasciculus restores list” names them."
        )
    return _restore(row)


def identity(db: sqlite3.Connection, restore_id: int) -> str | None:
    """Return the private key that was given for a restore, encrypted; None where none was."""
    row = db.execute("SELECT identity FROM restore WHERE id=?", (restore_id,)).fetchone()
    return row["identity"] if row else None


def interrupted(db: sqlite3.Connection, bundle_id: int, target: str) -> bool:
    """Return whether a restore of a bundle into a folder ended before it was whole."""
    return (
        db.execute(
            "SELECT 1 FROM restore WHERE bundle_id=? AND target=? AND state='ended' AND "
            "outcome NOT IN ('done', 'warned') LIMIT 1",
            (bundle_id, target),
        ).fetchone()
        is not None
    )


def begin(db: sqlite3.Connection, restore_id: int) -> None:
    """Record that a restore has begun."""
    db.execute("UPDATE restore SET state='running', started=? WHERE id=?", (now(), restore_id))


def end(
    db: sqlite3.Connection,
    restore_id: int,
    outcome: str,
    error: str = "",
    entries: int = 0,
    bytes: int = 0,
) -> None:
    """Record how a restore has ended."""
    db.execute(
        "UPDATE restore SET state='ended', outcome=?, error=?, entries=?, bytes=?, ended=?, "
        "identity=NULL WHERE id=?",
        (outcome, error, entries, bytes, now(), restore_id),
    )


def unfinished(db: sqlite3.Connection) -> list[Restore]:
    """Return the restores that are queued or running."""
    return [_restore(row) for row in db.execute("SELECT * FROM restore WHERE state != 'ended'")]
