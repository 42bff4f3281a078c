"""Bundles and their copies."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Mapping
from datetime import datetime
from typing import Any, NamedTuple, Protocol

import msgspec

from ...core.bundle.layout import moment_of
from ...core.bundle.manifest import DatabaseRecord, ManifestSummary
from ...core.errors import MissingError
from ...core.retention import RetentionCopy
from ...core.scope import EVERYTHING, Scope
from ...core.subject import Subject, SubjectKind
from ...models import Bundle, BundleDetail, Copy, Page, Pin
from ..db import now, stamp
from ..paging import PageRequest, Query, like, page
from ..scope import only_subjects, subjects_within
from . import damage, usage

#: Whether a bundle is pinned and its pin has not ended, or it is from before a change of very many
#: files that nobody has acknowledged.
PINNED = (
    "((bundle.pinned AND coalesce(bundle.pinned_until, '9') > "
    "strftime('%Y-%m-%dT%H:%M:%f', 'now') || '+00:00') OR EXISTS (SELECT 1 FROM change_alarm "
    "WHERE change_alarm.subject_kind=bundle.subject_kind AND change_alarm.subject=bundle.subject "
    "AND change_alarm.acknowledged IS NULL AND (bundle.moment < change_alarm.moment OR "
    "bundle.moment = change_alarm.moment AND bundle.id < change_alarm.bundle_id)))"
)


class MadeBundle(Protocol):
    """A complete bundle, as its worker reports it."""

    outcome: Any
    bundle: str
    entries: int
    bytes: int
    packed: int
    manifest: ManifestSummary


def _copies(db: sqlite3.Connection, bundle_id: int) -> list[Copy]:
    return [
        Copy(
            store=row["name"],
            made=row["made"],
            verified=row["verified"],
            verified_deep=row["verified_deep"],
            sound=not row["harmed"],
            locked_until=row["locked_until"],
        )
        for row in db.execute(
            "SELECT store.name, made, verified, verified_deep, locked_until, EXISTS (SELECT 1 "
            "FROM damage, json_each(damage.bundles) "
            "JOIN bundle ON bundle.name=json_each.value WHERE bundle.id=copy.bundle_id AND "
            "damage.store_id=copy.store_id "
            "AND damage.subject_kind=bundle.subject_kind AND damage.subject=bundle.subject) AS "
            "harmed "
            "FROM copy JOIN store ON store.id=store_id WHERE bundle_id=? ORDER BY store.name",
            (bundle_id,),
        )
    ]


def _fields(db: sqlite3.Connection, row: sqlite3.Row) -> dict[str, Any]:
    return {
        "id": row["id"],
        "name": row["name"],
        "subject_kind": row["subject_kind"],
        "subject": row["subject"],
        "job": row["job"],
        "host": row["host"],
        "run": row["run_id"],
        "moment": row["moment"],
        "entries": row["entries"],
        "bytes": row["bytes"],
        "new_bytes": row["new_bytes"],
        "packed": row["packed"],
        "outcome": row["outcome"],
        "label": row["label"],
        "pin": Pin(reason=row["pin_reason"], until=row["pinned_until"]) if row["pinned"] else None,
        "copies": _copies(db, row["id"]),
    }


class Series(NamedTuple):
    """The bundles of one subject that one job makes."""

    kind: SubjectKind
    subject: str
    job: str


def series(
    db: sqlite3.Connection, scope: Scope, subject: str = "", subject_kind: str = "", kind: str = ""
) -> list[Series]:
    """Return the series of bundles that match, those with contents of a kind."""
    query = Query("", "bundle", "bundle.id", {}, "")
    only_subjects(query, scope, "bundle")
    if subject:
        query.only("bundle.subject = ?", subject)
    if subject_kind:
        query.only("bundle.subject_kind = ?", subject_kind)
    if kind:
        query.only("json_type(bundle.manifest, '$.contents.' || ?) IS NOT NULL", kind)
    rows = db.execute(
        f"SELECT DISTINCT subject_kind, subject, job FROM bundle WHERE {query.condition} "
        "ORDER BY 1, 2, 3",
        query.values,
    )
    return [Series(SubjectKind(row[0]), row[1], row[2]) for row in rows]


class DrillableBundle(NamedTuple):
    """A subject's bundle for a drill."""

    id: int
    kind: SubjectKind
    subject: str


def drillable(db: sqlite3.Connection, scope: Scope, with_sealed: bool) -> list[DrillableBundle]:
    """Return for each account and site the newest bundle with the most kinds of contents, of those
    that have a sound copy.
    """
    query = Query("", "bundle", "bundle.id", {}, "")
    only_subjects(query, scope, "bundle")
    query.only("subject_kind IN ('account', 'site')")
    query.only("EXISTS (SELECT 1 FROM copy WHERE copy.bundle_id=bundle.id)")
    if not with_sealed:
        query.only("coalesce(json_array_length(manifest, '$.sealed_to'), 0) = 0")
    rows = db.execute(
        "SELECT id, subject_kind, subject FROM (SELECT id, subject_kind, subject, "
        "row_number() OVER (PARTITION BY subject_kind, subject ORDER BY "
        "(SELECT count(*) FROM json_each(manifest, '$.contents')) DESC, moment DESC) AS place "
        f"FROM bundle WHERE {query.condition}) WHERE place=1 ORDER BY id",
        query.values,
    )
    return [DrillableBundle(row[0], SubjectKind(row[1]), row[2]) for row in rows]


class BundleName(NamedTuple):
    """The name of a bundle, and its subject."""

    subject_kind: SubjectKind
    subject: str
    name: str


def names(db: sqlite3.Connection, of: Series, kind: str, most: int) -> list[BundleName]:
    """Return the newest bundles of a series with contents of a kind, oldest first."""
    rows = db.execute(
        "SELECT name FROM bundle WHERE subject_kind=? AND subject=? AND job=? "
        "AND json_type(manifest, '$.contents.' || ?) IS NOT NULL ORDER BY moment DESC LIMIT ?",
        (of.kind, of.subject, of.job, kind, most),
    ).fetchall()
    return [BundleName(of.kind, of.subject, row["name"]) for row in reversed(rows)]


def bundles(
    db: sqlite3.Connection,
    scope: Scope,
    paging: PageRequest,
    subject: str = "",
    subject_kind: str = "",
    job: str = "",
    store: str = "",
    words: str = "",
    until: datetime | None = None,
    contents: str = "",
) -> Page[Bundle]:
    """Return a page of the bundles that match."""
    query = Query(
        "bundle.*",
        "bundle",
        "bundle.id",
        {
            "moment": "bundle.moment",
            "subject": "bundle.subject",
            "size": "bundle.bytes",
            "packed": "bundle.packed",
            "new": "bundle.new_bytes",
        },
        "-moment",
    )
    only_subjects(query, scope, "bundle")
    if subject:
        query.only("bundle.subject = ?", subject)
    if subject_kind:
        query.only("bundle.subject_kind = ?", subject_kind)
    if job:
        query.only("bundle.job = ?", job)
    if store:
        query.only(
            "bundle.id IN (SELECT bundle_id FROM copy JOIN store ON store.id=store_id "
            "WHERE store.name = ?)",
            store,
        )
    if until:
        query.only("bundle.moment <= ?", stamp(until))
    if contents:
        query.only("json_type(bundle.manifest, '$.contents.' || ?) IS NOT NULL", contents)
    if words:
        query.only(
            "bundle.name LIKE ? ESCAPE '\\' OR bundle.subject LIKE ? ESCAPE '\\'",
            like(words),
            like(words),
        )
    return page(db, query, paging, lambda row: Bundle(**_fields(db, row)))


def bundle(db: sqlite3.Connection, bundle_id: int, scope: Scope = EVERYTHING) -> BundleDetail:
    """Return a bundle with its copies. Raises ``MissingError``."""
    condition, values = subjects_within(scope, "bundle")
    row = db.execute(
        f"SELECT * FROM bundle WHERE id=? AND {condition}", [bundle_id, *values]
    ).fetchone()
    if row is None:
        raise MissingError(
            f"There is no bundle {bundle_id}.", "“fasciculus bundles list” names them."
        )
    manifest = json.loads(row["manifest"])
    return BundleDetail(
        **_fields(db, row),
        contents=manifest["contents"],
        databases=manifest["databases"],
        pieces=manifest["pieces"],
        compression=manifest["compression"],
        brings=manifest.get("brings", "full"),
        base=manifest.get("base", ""),
        unused_share=manifest.get("unused_share", 0.0),
        changes=manifest.get("changes"),
        sealed_to=manifest.get("sealed_to", []),
    )


def database_records(db: sqlite3.Connection, bundle_id: int) -> list[DatabaseRecord]:
    """Return the databases of a bundle, as its manifest has them."""
    row = db.execute("SELECT manifest FROM bundle WHERE id=?", (bundle_id,)).fetchone()
    found = json.loads(row["manifest"])["databases"] if row else []
    return msgspec.convert(found, list[DatabaseRecord])


def before(db: sqlite3.Connection, bundle: Bundle) -> int | None:
    """Return the previous bundle of the same job and subject."""
    row = db.execute(
        "SELECT id FROM bundle WHERE subject_kind=? AND subject=? AND job=? AND (moment, id) < "
        "(?, ?) "
        "ORDER BY moment DESC, id DESC LIMIT 1",
        (bundle.subject_kind, bundle.subject, bundle.job, stamp_of(db, bundle.id), bundle.id),
    ).fetchone()
    return row["id"] if row else None


def stamp_of(db: sqlite3.Connection, bundle_id: int) -> str:
    """Return a bundle's moment as the records write it."""
    return str(db.execute("SELECT moment FROM bundle WHERE id=?", (bundle_id,)).fetchone()[0])


def listing_digest(db: sqlite3.Connection, bundle_id: int) -> str:
    """Return the SHA-256 of the listing of a bundle."""
    row = db.execute("SELECT manifest FROM bundle WHERE id=?", (bundle_id,)).fetchone()
    return str(json.loads(row["manifest"])["listing_sha256"])


def add(
    db: sqlite3.Connection,
    *,
    subject_kind: SubjectKind,
    subject: str,
    job: str,
    host: str,
    run_id: int,
    result: MadeBundle,
    copies: Mapping[int, str],
    label: str = "",
    pinned_until: str | None = None,
) -> int:
    """Return a confirmed bundle with its copies; one with a label is pinned until a time.

    ``copies`` has, by the number of the store, until when the copy is locked there, empty for no
    lock.
    """
    key = db.execute(
        "INSERT INTO bundle (subject_kind, subject, name, job, host, run_id, moment, entries, "
        "bytes, packed, outcome, manifest, new_bytes, label, pinned, pin_reason, pinned_until) "
        "VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
        (
            subject_kind,
            subject,
            result.bundle,
            job,
            host,
            run_id,
            result.manifest.started,
            result.entries,
            result.bytes,
            result.packed,
            result.outcome,
            msgspec.json.encode(result.manifest).decode(),
            result.manifest.new_bytes,
            label,
            bool(label),
            label,
            pinned_until,
        ),
    ).lastrowid
    assert key is not None
    db.executemany(
        "INSERT INTO copy (bundle_id, store_id, made, locked_until) VALUES (?, ?, ?, ?)",
        [(key, i, now(), until or None) for i, until in copies.items()],
    )
    for store_id in copies:
        usage.refresh(db, store_id, subject_kind, subject)
    return key


def number(db: sqlite3.Connection, subject: Subject, name: str) -> int | None:
    """Return the number of a subject's bundle, None for an unknown name."""
    row = db.execute(
        "SELECT id FROM bundle WHERE subject_kind=? AND subject=? AND name=?", (*subject, name)
    ).fetchone()
    return int(row[0]) if row else None


def exists(db: sqlite3.Connection, subject_kind: SubjectKind, subject: str, name: str) -> bool:
    """Return whether the records still know a bundle."""
    return (
        db.execute(
            "SELECT 1 FROM bundle WHERE subject_kind=? AND subject=? AND name=?",
            (subject_kind, subject, name),
        ).fetchone()
        is not None
    )


def copies_by_store(
    db: sqlite3.Connection, subject_kind: SubjectKind, subject: str
) -> dict[str, list[str]]:
    """Return the names of a subject's bundles by store, oldest first; pinned ones are left out."""
    found: dict[str, list[str]] = {}
    for name, store in db.execute(
        "SELECT bundle.name, store.name FROM bundle JOIN copy ON bundle_id=bundle.id JOIN store ON "
        "store.id=store_id WHERE subject_kind=? AND subject=? AND NOT "
        + PINNED
        + " ORDER BY moment",
        (subject_kind, subject),
    ):
        found.setdefault(store, []).append(name)
    return found


def locked_on(db: sqlite3.Connection, subject: Subject, store: str) -> set[str]:
    """Return the names of a subject's bundles whose copy on a store nobody can remove yet."""
    rows = db.execute(
        "SELECT bundle.name FROM bundle JOIN copy ON bundle_id=bundle.id JOIN store ON "
        "store.id=store_id WHERE subject_kind=? AND subject=? AND store.name=? "
        "AND locked_until > ?",
        (*subject, store, now()),
    )
    return {row[0] for row in rows}


def known_on(
    db: sqlite3.Connection, subject_kind: SubjectKind, subject: str, job: str, store: str
) -> list[RetentionCopy]:
    """Return the copies that a job made of a subject on a store, in the order in which they were
    made.

    One is not good when files are known to be damaged that it needs there.
    """
    return [
        RetentionCopy(
            row["name"],
            moment_of(row["name"]) or datetime.fromisoformat(row["moment"]),
            bool(row["stays"]),
            not row["harmed"],
        )
        for row in db.execute(
            f"SELECT bundle.name, bundle.moment, {PINNED} AS stays, EXISTS (SELECT 1 FROM damage, "
            "json_each(damage.bundles) WHERE damage.store_id=copy.store_id AND "
            "damage.subject_kind=bundle.subject_kind AND damage.subject=bundle.subject AND "
            "json_each.value=bundle.name) AS harmed FROM bundle JOIN copy ON bundle_id=bundle.id "
            "JOIN store ON store.id=store_id WHERE subject_kind=? AND subject=? AND job=? "
            "AND store.name=? ORDER BY bundle.id",
            (subject_kind, subject, job, store),
        )
    ]


def subjects_of(db: sqlite3.Connection, subject_kind: SubjectKind, job: str) -> list[str]:
    """Return the subjects of which a job has bundles."""
    return [
        row[0]
        for row in db.execute(
            "SELECT DISTINCT subject FROM bundle WHERE subject_kind=? AND job=? ORDER BY subject",
            (subject_kind, job),
        )
    ]


def pieces_on(
    db: sqlite3.Connection, subject_kind: SubjectKind, subject: str, store: str
) -> dict[str, dict[str, int]]:
    """By bundle of a subject on a store, whatever its job: the bytes of each piece that it
    needs.
    """
    return {
        row["name"]: {
            piece["name"]: piece["bytes"] for piece in json.loads(row["manifest"])["pieces"]
        }
        for row in db.execute(
            "SELECT bundle.name, coalesce(copy.manifest, bundle.manifest) AS manifest FROM bundle "
            "JOIN copy ON bundle_id=bundle.id JOIN store ON store.id=store_id "
            "WHERE subject_kind=? AND subject=? AND store.name=?",
            (subject_kind, subject, store),
        )
    }


def retire(
    db: sqlite3.Connection, subject_kind: SubjectKind, subject: str, name: str, store: str
) -> None:
    """Forget a copy, and the bundle with its last one."""
    db.execute(
        "DELETE FROM copy WHERE bundle_id=(SELECT id FROM bundle WHERE subject_kind=? AND "
        "subject=? "
        "AND name=?) AND store_id=(SELECT id FROM store WHERE name=?)",
        (subject_kind, subject, name, store),
    )
    db.execute(
        "DELETE FROM bundle WHERE subject_kind=? AND subject=? AND name=? "
        "AND NOT EXISTS (SELECT 1 FROM copy WHERE bundle_id=bundle.id)",
        (subject_kind, subject, name),
    )
    damage.drop_of_retired(db, Subject.of(subject_kind, subject))
    for row in db.execute("SELECT id FROM store WHERE name=?", (store,)).fetchall():
        usage.refresh(db, row["id"], subject_kind, subject)


def recent_names(db: sqlite3.Connection, kind: str, name: str) -> list[str]:
    """Return the names of a subject's newest bundles."""
    rows = db.execute(
        "SELECT name FROM bundle WHERE subject_kind=? AND subject=? ORDER BY id DESC LIMIT 20",
        (kind, name),
    )
    return [row["name"] for row in rows]


def newest(
    db: sqlite3.Connection, subject_kind: SubjectKind, subject: str, job: str = ""
) -> sqlite3.Row | None:
    """Return bytes and packed bytes of a subject's newest bundle, of one job or of any."""
    row: sqlite3.Row | None = db.execute(
        "SELECT name, bytes, packed, moment FROM bundle WHERE subject_kind=? AND subject=? "
        "AND (?='' OR job=?) ORDER BY id DESC LIMIT 1",
        (subject_kind, subject, job, job),
    ).fetchone()
    return row


def newest_on_any(
    db: sqlite3.Connection, subject_kind: SubjectKind, subject: str, job: str, stores: list[str]
) -> tuple[str, ManifestSummary, list[str]] | None:
    """Return the newest bundle of a job that any of some stores has: its name, the summary of its
    manifest, and those of the stores that have it.
    """
    row = db.execute(
        "SELECT bundle.id, bundle.name, bundle.manifest FROM bundle JOIN copy ON "
        "bundle_id=bundle.id JOIN store ON store.id=store_id WHERE subject_kind=? AND subject=? "
        "AND job=? AND store.name IN (SELECT value FROM json_each(?)) ORDER BY bundle.id DESC "
        "LIMIT 1",
        (subject_kind, subject, job, json.dumps(stores)),
    ).fetchone()
    if row is None:
        return None
    held = db.execute(
        "SELECT store.name FROM copy JOIN store ON store.id=store_id WHERE bundle_id=?",
        (row["id"],),
    )
    have = {one[0] for one in held}
    manifest = msgspec.json.decode(row["manifest"], type=ManifestSummary)
    return row["name"], manifest, [name for name in stores if name in have]


def count_since(
    db: sqlite3.Connection, subject_kind: SubjectKind, subject: str, job: str, moment: str
) -> int:
    """Return the number of bundles of a subject and job since a time, inclusive."""
    return int(
        db.execute(
            "SELECT count(*) FROM bundle WHERE subject_kind=?1 AND subject=?2 AND job=?3 AND "
            "id >= coalesce((SELECT min(id) FROM bundle WHERE subject_kind=?1 AND subject=?2 AND "
            "job=?3 AND moment>=?4), 0)",
            (subject_kind, subject, job, moment),
        ).fetchone()[0]
    )


#: The bundles of which every copy needs files that are known to be damaged.
LOST = (
    "SELECT harmed.id FROM (SELECT DISTINCT bundle.id, damage.store_id FROM damage, "
    "json_each(damage.bundles) JOIN bundle ON bundle.name=json_each.value AND "
    "bundle.subject_kind=damage.subject_kind AND bundle.subject=damage.subject) AS harmed "
    "JOIN copy ON copy.bundle_id=harmed.id AND copy.store_id=harmed.store_id GROUP BY harmed.id "
    "HAVING count(*) >= (SELECT count(*) FROM copy AS every WHERE every.bundle_id=harmed.id)"
)


def newest_by_job(db: sqlite3.Connection) -> dict[Subject, dict[str, str]]:
    """Return, by subject and then by job, the time of the newest bundle with a good copy."""
    found: dict[Subject, dict[str, str]] = {}
    for kind, subject, job, moment in db.execute(
        "SELECT subject_kind, subject, job, max(moment) FROM bundle WHERE id NOT IN "
        f"({LOST}) GROUP BY subject_kind, subject, job"
    ):
        found.setdefault(Subject(kind, subject), {})[job] = moment
    return found


def pin(db: sqlite3.Connection, bundle_id: int, pin: Pin | None) -> None:
    """Exempt a bundle from retiring, or no more."""
    db.execute(
        "UPDATE bundle SET pinned=?, pin_reason=?, pinned_until=? WHERE id=?",
        (
            pin is not None,
            pin.reason if pin else "",
            stamp(pin.until) if pin and pin.until else None,
            bundle_id,
        ),
    )


def count(db: sqlite3.Connection, scope: Scope) -> int:
    """Return how many bundles there are."""
    condition, values = subjects_within(scope, "bundle")
    found = db.execute(f"SELECT count(*) FROM bundle WHERE {condition}", values).fetchone()
    return int(found[0])
