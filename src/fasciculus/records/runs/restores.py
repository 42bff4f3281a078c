"""Restores."""

from __future__ import annotations

import json
import secrets
import sqlite3
from datetime import datetime

from ...core.errors import MissingError
from ...core.restore.restore_kind import RestoreKind, SetAside
from ...core.scope import EVERYTHING, Scope
from ...models import Bundle, InPlace, Page, RelocationProposal, Restore, RestoreStart
from ..db import now, stamp
from ..paging import PageRequest, Query, page
from ..scope import only_subjects, subjects_within


def _restore(row: sqlite3.Row) -> Restore:
    values = {key: row[key] for key in Restore.model_fields if key in row.keys()}  # noqa: SIM118
    for key in (
        "contents",
        "paths",
        "databases",
        "tables",
        "mail_domains",
        "mailboxes",
        "owners",
        "commands",
    ):
        values[key] = json.loads(row[key])
    for key in ("in_place", "plan", "drill", "relocation"):
        values[key] = json.loads(row[key]) if row[key] else None
    return Restore(**values)


def add(
    db: sqlite3.Connection,
    start: RestoreStart,
    bundle: Bundle,
    store: str,
    started_by: str,
    key: str | None,
    identity: str | None = None,
    after_run: int = 0,
) -> int:
    """Return a queued restore of a bundle from a store; ``identity`` is encrypted already, and
    ``after_run`` is the run that must have ended before.
    """
    row = db.execute(
        "INSERT INTO restore (bundle_id, bundle, subject_kind, subject, store, target, contents, "
        "paths, databases, mail_domains, resume, special_modes, owners, state, started_by, "
        "created, idempotency_key, identity, kind, in_place, side, tables, full_layout, "
        "whole_account, web_address, mailboxes, relocation, commands, hold_page, bundle_first, "
        "after_run) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, 'queued', ?, ?, ?, ?, ?, ?, ?, "
        "?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
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
            RestoreKind.PLAN if start.plan_only else RestoreKind.RESTORE,
            start.in_place.model_dump_json() if start.in_place else None,
            f"restore-{secrets.token_hex(8)}" if start.in_place or start.mail_domains else "",
            json.dumps(start.tables),
            start.full_layout,
            start.whole_account,
            start.web_address,
            json.dumps(start.mailboxes),
            start.relocation.model_dump_json() if start.relocation else None,
            json.dumps([command.model_dump() for command in start.commands]),
            start.hold_page,
            start.bundle_first,
            after_run,
        ),
    )
    return int(row.lastrowid or 0)


def add_later_step(
    db: sqlite3.Connection, of: Restore, kind: RestoreKind, started_by: str, force: bool = False
) -> int:
    """Return a queued undo or drop of what a restore has set aside; ``force`` is kept with it."""
    row = db.execute(
        "INSERT INTO restore (bundle_id, bundle, subject_kind, subject, store, target, contents, "
        "paths, databases, mail_domains, resume, special_modes, owners, state, started_by, "
        "created, kind, of_restore, side, relocation, commands, hold_page) SELECT "
        "bundle_id, bundle, subject_kind, subject, store, '', '[]', '[]', '{}', '[]', ?, 0, '{}', "
        "'queued', ?, ?, ?, id, side, relocation, commands, hold_page FROM restore "
        "WHERE id=?",
        (force, started_by, now(), kind, of.id),
    )
    return int(row.lastrowid or 0)


def add_drill(
    db: sqlite3.Connection,
    bundle: Bundle,
    store: str,
    started_by: str,
    copy: RelocationProposal | None = None,
    web_address: str = "",
) -> int:
    """Return a queued drill of a bundle from a store; ``copy`` is made to request its page."""
    row = db.execute(
        "INSERT INTO restore (bundle_id, bundle, subject_kind, subject, store, target, contents, "
        "paths, databases, mail_domains, resume, special_modes, owners, state, started_by, "
        "created, kind, side, relocation, in_place, web_address) VALUES (?, ?, ?, ?, ?, '', '[]', "
        "'[]', ?, '[]', 0, 0, '{}', 'queued', ?, ?, ?, ?, ?, ?, ?)",
        (
            bundle.id,
            bundle.name,
            bundle.subject_kind,
            bundle.subject,
            store,
            json.dumps(copy.databases if copy else {}),
            started_by,
            now(),
            RestoreKind.DRILL,
            f"drill-{secrets.token_hex(8)}",
            copy.relocation.model_dump_json() if copy else None,
            InPlace().model_dump_json() if copy else None,
            web_address,
        ),
    )
    return int(row.lastrowid or 0)


def drilled(db: sqlite3.Connection, restore_id: int, figures: str) -> None:
    """Record what a drill has compared, as JSON."""
    db.execute("UPDATE restore SET drill=? WHERE id=?", (figures, restore_id))


def drills_between(db: sqlite3.Connection, begin: datetime, end: datetime) -> list[Restore]:
    """Return the drills that ended between two times, in their order."""
    rows = db.execute(
        "SELECT * FROM restore WHERE kind='drill' AND ended > ? AND ended <= ? ORDER BY id",
        (stamp(begin), stamp(end)),
    )
    return [_restore(row) for row in rows]


def last_drills(db: sqlite3.Connection) -> list[Restore]:
    """Return the last drill of each subject that has ended."""
    rows = db.execute(
        "SELECT * FROM restore WHERE id IN (SELECT max(id) FROM restore WHERE kind='drill' AND "
        "state='ended' AND outcome NOT IN ('cancelled', 'interrupted') GROUP BY subject_kind, "
        "subject) ORDER BY id DESC"
    )
    return [_restore(row) for row in rows]


def side(db: sqlite3.Connection, restore_id: int) -> str:
    """Return the name of a restore's side folder, empty for one that is not in place."""
    row = db.execute("SELECT side FROM restore WHERE id=?", (restore_id,)).fetchone()
    return str(row["side"]) if row else ""


def set_aside(db: sqlite3.Connection, restore_id: int, state: SetAside) -> None:
    """Record what became of what a restore has set aside."""
    db.execute("UPDATE restore SET aside=? WHERE id=?", (state, restore_id))


def planned(db: sqlite3.Connection, restore_id: int, plan: str) -> None:
    """Record the sums of a plan, as JSON."""
    db.execute("UPDATE restore SET plan=? WHERE id=?", (plan, restore_id))


def settled(db: sqlite3.Connection, restore_id: int, outcome: str, error: str) -> None:
    """Record what became of an interrupted restore in place."""
    db.execute("UPDATE restore SET outcome=?, error=? WHERE id=?", (outcome, error, restore_id))


_IS_COPY = "coalesce(json_extract(relocation, '$.beside'), 0)"


def kept_aside(db: sqlite3.Connection) -> list[Restore]:
    """Return the restores that keep something set aside. What a copy beside the original needs for
    its removal is no such thing.
    """
    rows = db.execute(f"SELECT * FROM restore WHERE aside='kept' AND NOT {_IS_COPY}")
    return [_restore(row) for row in rows]


def expired(db: sqlite3.Connection, before: datetime) -> list[Restore]:
    """Return the restores whose set aside data is due to be removed: it was replaced or undone
    before a time, or belonged to a copy that was removed.
    """
    undone = "(SELECT max(u.ended) FROM restore u WHERE u.of_restore=restore.id AND u.kind='undo')"
    rows = db.execute(
        f"SELECT * FROM restore WHERE (aside='kept' AND ended < ? AND NOT {_IS_COPY}) OR "
        f"(aside='undone' AND ({_IS_COPY} OR {undone} < ?))",
        (stamp(before), stamp(before)),
    )
    return [_restore(row) for row in rows]


def rate(db: sqlite3.Connection) -> float | None:
    """Return the bytes per second of the last restores, None before there are any."""
    row = db.execute(
        "SELECT sum(bytes) AS bytes, sum(unixepoch(ended) - unixepoch(started)) AS seconds FROM "
        "(SELECT bytes, started, ended FROM restore WHERE kind='restore' AND bytes > 0 AND "
        "started IS NOT NULL AND ended IS NOT NULL ORDER BY id DESC LIMIT 20)"
    ).fetchone()
    return row["bytes"] / row["seconds"] if row["seconds"] else None


def by_key(db: sqlite3.Connection, key: str) -> int | None:
    """Return the restore that was started with an idempotency key, None if none was."""
    row = db.execute("SELECT id FROM restore WHERE idempotency_key=?", (key,)).fetchone()
    return row["id"] if row else None


def restores(
    db: sqlite3.Connection,
    scope: Scope,
    paging: PageRequest,
    subject: str = "",
    kind: str = "",
) -> Page[Restore]:
    """Return a page of the restores that match, newest first."""
    query = Query("restore.*", "restore", "restore.id", {"id": "restore.id"}, "-id")
    only_subjects(query, scope, "restore")
    if subject:
        query.only("restore.subject = ?", subject)
    if kind:
        query.only("restore.kind = ?", kind)
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
