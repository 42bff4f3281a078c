"""Files of stores that are missing or altered."""

from __future__ import annotations

import json
import sqlite3
from typing import Protocol

from ...core.bundle.layout import MANIFEST
from ...core.formatting import THE_RECORDS
from ...core.scope import Scope
from ...core.subject import Subject
from ...models import DamageRow, JobInput, Page
from ..db import now
from ..paging import PageRequest, Query, page
from ..scope import only_subjects


class FoundDamage(Protocol):
    """A damaged file, as a worker reports it."""

    file: str
    reason: str
    bundles: list[str]
    files: list[str]
    harmed: int


def found(db: sqlite3.Connection, store: str, subject: Subject, damage: FoundDamage) -> None:
    """Note a damaged file, or what is known of it now."""
    db.execute(
        "INSERT INTO damage (store_id, subject_kind, subject, file, reason, bundles, files, "
        "harmed, found) VALUES ((SELECT id FROM store WHERE name=?), ?, ?, ?, ?, ?, ?, ?, ?) "
        "ON CONFLICT DO UPDATE SET reason=excluded.reason, bundles=excluded.bundles, "
        "files=excluded.files, harmed=excluded.harmed",
        (
            store,
            *subject,
            damage.file,
            damage.reason,
            json.dumps(damage.bundles),
            json.dumps(damage.files),
            damage.harmed,
            now(),
        ),
    )


def is_sound(db: sqlite3.Connection, store: str, subject: Subject, file: str) -> None:
    """Forget damage that is no more."""
    db.execute(
        "DELETE FROM damage WHERE store_id=(SELECT id FROM store WHERE name=?) AND subject_kind=? "
        "AND subject=? AND file=?",
        (store, *subject, file),
    )


def drop_of_retired(db: sqlite3.Connection, subject: Subject) -> None:
    """Forget damage that harms no copy any more."""
    db.execute(
        "DELETE FROM damage WHERE subject_kind=? AND subject=? AND NOT EXISTS (SELECT 1 FROM "
        "json_each(bundles) "
        "JOIN bundle ON bundle.name=json_each.value AND bundle.subject_kind=damage.subject_kind "
        "AND "
        "bundle.subject=damage.subject JOIN copy ON copy.bundle_id=bundle.id AND "
        "copy.store_id=damage.store_id)",
        subject,
    )


def _damage(row: sqlite3.Row) -> DamageRow:
    return DamageRow(
        id=row["id"],
        store=row["store"],
        subject_kind=row["subject_kind"],
        subject=row["subject"],
        file=row["file"],
        reason=row["reason"],
        bundles=json.loads(row["bundles"]),
        files=json.loads(row["files"]),
        harmed=row["harmed"],
        found=row["found"],
    )


def rows(
    db: sqlite3.Connection,
    scope: Scope,
    paging: PageRequest,
    store: str = "",
    subject: str = "",
    subject_kind: str = "",
) -> Page[DamageRow]:
    """Return a page of the damaged files that match."""
    query = Query(
        "damage.*, store.name AS store",
        "damage JOIN store ON store.id=store_id",
        "damage.id",
        {"found": "damage.found", "store": "store.name", "subject": "damage.subject"},
        "-found",
    )
    only_subjects(query, scope, "damage")
    for column, value in (
        ("store.name", store),
        ("subject", subject),
        ("subject_kind", subject_kind),
    ):
        if value:
            query.only(f"{column} = ?", value)
    found = page(db, query, paging, _damage)
    for row in found.items:
        row.repair_from = helpers(
            db, row.store, Subject.of(row.subject_kind, row.subject), row.file
        )
        row.stored_again = _stored_again(db, row)
    return found


def helpers(db: sqlite3.Connection, store: str, subject: Subject, file: str) -> list[str]:
    """Return the sources that a damaged file can be repaired from: other stores that should have it
    intact, and the records.
    """
    folder, _, rest = file.partition("/")
    rows = db.execute(
        "SELECT DISTINCT store.name FROM bundle JOIN copy ON bundle_id=bundle.id JOIN store ON "
        "store.id=store_id "
        "WHERE store.name != :store AND subject_kind=:kind AND subject=:subject AND CASE :folder "
        "WHEN 'bundles' THEN bundle.name=:bundle ELSE EXISTS (SELECT 1 FROM json_each("
        "coalesce(copy.manifest, bundle.manifest), '$.pieces') WHERE json_extract(value, "
        "'$.name')=:rest) END "
        "AND NOT EXISTS (SELECT 1 FROM damage WHERE damage.store_id=store.id AND "
        "damage.subject_kind=:kind AND "
        "damage.subject=:subject AND damage.file=:file) ORDER BY 1",
        {
            "store": store,
            "kind": subject.kind,
            "subject": subject.name,
            "file": file,
            "folder": folder,
            "rest": rest,
            "bundle": rest.split("/")[0],
        },
    )
    kept_here = folder == "bundles" and not file.endswith(MANIFEST)
    return [*([THE_RECORDS] if kept_here else []), *(row[0] for row in rows)]


def _stored_again(db: sqlite3.Connection, row: DamageRow) -> str:
    """Return the first sound bundle that a job of the harmed ones made after them."""
    found = db.execute(
        "SELECT bundle.name FROM bundle JOIN copy ON bundle_id=bundle.id JOIN store ON "
        "store.id=store_id WHERE "
        "store.name=:store AND subject_kind=:kind AND subject=:subject AND bundle.name > (SELECT "
        "max(value) FROM "
        "json_each(:bundles)) AND job IN (SELECT job FROM bundle JOIN json_each(:bundles) ON "
        "value=bundle.name "
        "WHERE subject_kind=:kind AND subject=:subject) ORDER BY bundle.name LIMIT 1",
        {
            "store": row.store,
            "kind": row.subject_kind,
            "subject": row.subject,
            "bundles": json.dumps(row.bundles),
        },
    ).fetchone()
    return str(found[0]) if found is not None and row.file.startswith("pieces/") else ""


def damaged_files(db: sqlite3.Connection, subject: Subject, stores: list[str]) -> list[str]:
    """Return the damaged files of a subject on any of some stores."""
    marks = ", ".join("?" * len(stores))
    return [
        row[0]
        for row in db.execute(
            "SELECT DISTINCT file FROM damage JOIN store ON store.id=store_id WHERE "
            "subject_kind=? AND subject=? "
            f"AND store.name IN ({marks}) ORDER BY file",
            (*subject, *stores),
        )
    ]


def told_now(db: sqlite3.Connection, store: str, subject: Subject) -> set[int]:
    """Return the damage of a subject on a store that nobody has been told about; from now on it
    counts as told.
    """
    return {
        row[0]
        for row in db.execute(
            "UPDATE damage SET told=? WHERE told IS NULL AND store_id=(SELECT id FROM store "
            "WHERE name=?) AND "
            "subject_kind=? AND subject=? RETURNING id",
            (now(), store, *subject),
        ).fetchall()
    }


def concerned(db: sqlite3.Connection, store: str, subject: Subject) -> tuple[list[JobInput], str]:
    """Return the jobs that made a subject's copies on a store, and the zone of the first one."""
    rows = db.execute(
        "SELECT DISTINCT job.document FROM job JOIN bundle ON bundle.job=job.name JOIN copy ON "
        "bundle_id=bundle.id "
        "JOIN store ON store.id=store_id WHERE store.name=? AND subject_kind=? AND subject=? "
        "ORDER BY job.name",
        (store, *subject),
    )
    jobs = [JobInput.model_validate_json(row[0]) for row in rows]
    return jobs, jobs[0].zone if jobs else "UTC"


def by_store(db: sqlite3.Connection) -> list[tuple[str, int, int, str]]:
    """Return the stores with damage: name, files, subjects, and the first subject by name."""
    return [
        tuple(row)
        for row in db.execute(
            "SELECT store.name, count(*), count(DISTINCT subject_kind || subject), min(subject) "
            "FROM damage JOIN store ON store.id=store_id GROUP BY store.id ORDER BY store.name"
        )
    ]
