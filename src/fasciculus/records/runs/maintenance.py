"""Maintenance of copies, and what was found damaged."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Mapping
from dataclasses import dataclass

import msgspec
from msgspec.structs import replace

from ...core.bundle.manifest import ManifestSummary
from ...core.errors import MissingError
from ...core.subject import Subject
from ...models import MaintenanceTask, Page
from ..bundles import usage
from ..db import now
from ..paging import PageRequest, Query, page


class MaintenanceOptions(msgspec.Struct, frozen=True, omit_defaults=True):
    """The options: to read every byte; the percentage of unused data; only a dry run; the source
    store, and whether to move.
    """

    deep: bool = False
    over: int = 20
    dry_run: bool = False
    source: str = ""
    move: bool = False


def _maintenance(row: sqlite3.Row) -> MaintenanceTask:
    options = msgspec.json.decode(row["options"], type=MaintenanceOptions)
    return MaintenanceTask(
        id=row["id"],
        kind=row["kind"],
        store=row["store"],
        subject_kind=row["subject_kind"],
        subject=row["subject"],
        bundle=row["bundle"],
        deep=options.deep,
        dry_run=options.dry_run,
        source=options.source,
        move=options.move,
        state=row["state"],
        outcome=row["outcome"],
        sentence=row["sentence"],
        entries=row["entries"],
        bytes=row["bytes"],
        result=json.loads(row["result"]),
        started_by=row["started_by"],
        created=row["created"],
        started=row["started"],
        ended=row["ended"],
    )


def tasks(
    db: sqlite3.Connection,
    paging: PageRequest,
    kind: str = "",
    store: str = "",
    subject: str = "",
    state: str = "",
) -> Page[MaintenanceTask]:
    """Return a page of the maintenance tasks that match."""
    query = Query("maintenance.*", "maintenance", "maintenance.id", {"id": "maintenance.id"}, "-id")
    for column, value in (("kind", kind), ("store", store), ("subject", subject), ("state", state)):
        if value:
            query.only(f"maintenance.{column} = ?", value)
    return page(db, query, paging, _maintenance)


def task(db: sqlite3.Connection, maintenance_id: int) -> MaintenanceTask:
    """Return a maintenance task. Raises ``MissingError``."""
    row = db.execute("SELECT * FROM maintenance WHERE id=?", (maintenance_id,)).fetchone()
    if row is None:
        raise MissingError(
            f"There is no maintenance {maintenance_id}.", "“fasciculus maintenance list” names it."
        )
    return _maintenance(row)


def add(
    db: sqlite3.Connection,
    kind: str,
    store: str,
    subject: Subject,
    options: MaintenanceOptions,
    started_by: str,
    bundle: str = "",
) -> int:
    """Return a queued maintenance task."""
    row = db.execute(
        "INSERT INTO maintenance (kind, store, subject_kind, subject, bundle, options, state, "
        "started_by, created) "
        "VALUES (?, ?, ?, ?, ?, ?, 'queued', ?, ?)",
        (kind, store, *subject, bundle, msgspec.json.encode(options).decode(), started_by, now()),
    )
    return int(row.lastrowid or 0)


def options(db: sqlite3.Connection, maintenance_id: int) -> MaintenanceOptions:
    """Return what was asked of maintenance when it was started."""
    row = db.execute("SELECT options FROM maintenance WHERE id=?", (maintenance_id,)).fetchone()
    return msgspec.json.decode(row[0], type=MaintenanceOptions)


def begin(db: sqlite3.Connection, maintenance_id: int) -> None:
    """Record that a maintenance task has begun."""
    db.execute(
        "UPDATE maintenance SET state='running', started=? WHERE id=?", (now(), maintenance_id)
    )


def end(
    db: sqlite3.Connection,
    maintenance_id: int,
    outcome: str,
    sentence: str,
    entries: int = 0,
    bytes: int = 0,
    result: Mapping[str, int] | None = None,
) -> None:
    """Record how a maintenance task has ended."""
    db.execute(
        "UPDATE maintenance SET state='ended', outcome=?, sentence=?, entries=?, bytes=?, "
        "result=?, "
        "ended=? "
        "WHERE id=?",
        (outcome, sentence, entries, bytes, json.dumps(dict(result or {})), now(), maintenance_id),
    )


def unfinished(db: sqlite3.Connection) -> list[MaintenanceTask]:
    """Return the maintenance that is queued or running."""
    return [
        _maintenance(row) for row in db.execute("SELECT * FROM maintenance WHERE state != 'ended'")
    ]


def pending(
    db: sqlite3.Connection,
    kind: str,
    store: str,
    subject: Subject,
    options: MaintenanceOptions,
    bundle: str,
) -> int | None:
    """Return the same maintenance when it has not ended yet."""
    row = db.execute(
        "SELECT id FROM maintenance WHERE state != 'ended' AND kind=? AND store=? AND "
        "subject_kind=? "
        "AND subject=? "
        "AND options=? AND bundle=? LIMIT 1",
        (kind, store, *subject, msgspec.json.encode(options).decode(), bundle),
    ).fetchone()
    return row["id"] if row else None


# Copies ---------------------------------------------------------------------------


def subjects_on(db: sqlite3.Connection, store: str, subject: str = "") -> list[Subject]:
    """Return the subjects with a copy on a store, all or those of one name."""
    return [
        Subject(row[0], row[1])
        for row in db.execute(
            "SELECT DISTINCT subject_kind, subject FROM bundle JOIN copy ON bundle_id=bundle.id "
            "JOIN store ON "
            "store.id=store_id WHERE store.name=? AND (?='' OR subject=?) ORDER BY subject_kind, "
            "subject",
            (store, subject, subject),
        )
    ]


@dataclass(frozen=True, slots=True)
class RecordedCopy:
    """A copy that the records know: its bundle, the summary of its manifest, and whether that is
    its own.
    """

    bundle: str
    manifest: ManifestSummary
    own: bool
    vouched: bool = True


def copies_on(
    db: sqlite3.Connection, store: str, subject: Subject, bundle: str = ""
) -> list[RecordedCopy]:
    """Return the copies of a subject on a store, oldest first."""
    return [
        RecordedCopy(
            row["name"],
            msgspec.json.decode(row["own"] or row["manifest"], type=ManifestSummary),
            row["own"] is not None,
            bool(row["vouched"]),
        )
        for row in db.execute(
            "SELECT bundle.name, bundle.manifest, copy.manifest AS own, vouched FROM bundle "
            "JOIN copy ON bundle_id=bundle.id JOIN store ON store.id=store_id WHERE store.name=? "
            "AND subject_kind=? AND subject=? "
            "AND (?='' OR bundle.name=?) ORDER BY moment, bundle.id",
            (store, *subject, bundle, bundle),
        )
    ]


def other_stores(db: sqlite3.Connection, store: str, subject: Subject) -> list[str]:
    """Return the other stores that have copies of a subject."""
    return [
        row[0]
        for row in db.execute(
            "SELECT DISTINCT store.name FROM bundle JOIN copy ON bundle_id=bundle.id JOIN store "
            "ON store.id=store_id "
            "WHERE store.name != ? AND subject_kind=? AND subject=? ORDER BY 1",
            (store, *subject),
        )
    ]


def verified(db: sqlite3.Connection, store: str, subject: Subject, bundle: str, deep: bool) -> None:
    """Note that a copy was looked through. One that was read was looked at as well."""
    column = "verified_deep=:now, verified" if deep else "verified"
    db.execute(
        f"UPDATE copy SET {column}=:now WHERE store_id=(SELECT id FROM store WHERE name=:store) "
        "AND "
        "bundle_id=(SELECT id FROM bundle WHERE subject_kind=:kind AND subject=:subject AND "
        "name=:name)",
        {
            "now": now(),
            "store": store,
            "kind": subject.kind,
            "subject": subject.name,
            "name": bundle,
        },
    )


def repacked(
    db: sqlite3.Connection,
    store: str,
    subject: Subject,
    bundle: str,
    manifest: ManifestSummary,
) -> bool:
    """Note the new manifest of a copy; True when all copies of the bundle are alike now."""
    row = db.execute(
        "SELECT id, manifest FROM bundle WHERE subject_kind=? AND subject=? AND name=?",
        (*subject, bundle),
    ).fetchone()
    if row is None:
        return False
    db.execute(
        "UPDATE copy SET manifest=? WHERE bundle_id=? AND store_id=(SELECT id FROM store WHERE "
        "name=?)",
        (msgspec.json.encode(manifest).decode(), row["id"], store),
    )
    whole = msgspec.json.decode(row["manifest"], type=ManifestSummary)
    digests = {
        json.loads(own[0])["listing_sha256"] if own[0] else whole.listing_sha256
        for own in db.execute("SELECT manifest FROM copy WHERE bundle_id=?", (row["id"],))
    }
    if digests != {manifest.listing_sha256}:
        return False
    # What the bundle brought and how it differed from the previous one stays true.
    kept = replace(manifest, new_bytes=whole.new_bytes, changes=whole.changes)
    db.execute(
        "UPDATE bundle SET manifest=? WHERE id=?",
        (msgspec.json.encode(kept).decode(), row["id"]),
    )
    db.execute("UPDATE copy SET manifest=NULL WHERE bundle_id=?", (row["id"],))
    return True


def refresh_usage(db: sqlite3.Connection, store: str, subject: Subject) -> None:
    """Measure a subject's usage of a store again, after it was repacked."""
    for row in db.execute("SELECT id FROM store WHERE name=?", (store,)).fetchall():
        usage.refresh(db, row["id"], *subject)


def last_read(db: sqlite3.Connection, store: str) -> dict[Subject, str]:
    """By subject, when its copies on a store were last read through, or else when the first was
    made.
    """
    return {
        Subject(row[0], row[1]): row[2]
        for row in db.execute(
            "SELECT subject_kind, subject, coalesce(max(verified_deep), min(made)) FROM bundle "
            "JOIN copy ON "
            "bundle_id=bundle.id JOIN store ON store.id=store_id WHERE store.name=? GROUP BY "
            "subject_kind, subject",
            (store,),
        )
    }


def oldest_reads(db: sqlite3.Connection) -> dict[str, str]:
    """By store, when the subject was read through that was read longest ago."""
    return {
        row[0]: row[1]
        for row in db.execute(
            "SELECT store.name, min(last) FROM (SELECT store_id, coalesce(max(verified_deep), "
            "min(made)) AS last FROM copy JOIN bundle ON bundle.id=bundle_id GROUP BY store_id, "
            "subject_kind, subject) JOIN store ON store.id=store_id GROUP BY store_id"
        )
    }


# Damage ---------------------------------------------------------------------------
