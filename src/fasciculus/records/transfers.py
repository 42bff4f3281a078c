"""Bundles that a store lacks, and those that were brought to it from others."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Container, Iterable
from datetime import datetime
from zoneinfo import ZoneInfo

import msgspec

from ..core import retention
from ..core.bundle.manifest import ManifestSummary
from ..core.retention import RetentionCopy
from ..core.subject import Subject
from ..models import Page, Transfer, TransferDay
from .bundles import usage
from .db import now
from .jobs import jobs
from .paging import PageRequest, Query, page

#: Bundles of one store by whether another has them too.
_OF_TWO = (
    "SELECT subject_kind, subject, bundle.name FROM bundle JOIN copy ON bundle_id=bundle.id "
    "JOIN store ON store.id=store_id WHERE store.name=:source AND EXISTS (SELECT 1 FROM "
    "copy AS other JOIN store AS target ON target.id=other.store_id WHERE "
    "other.bundle_id=bundle.id AND target.name=:store) = :is_there "
    "AND (:kind='' OR (subject_kind=:kind AND subject=:subject)) ORDER BY moment, bundle.id"
)


def missing(
    db: sqlite3.Connection, store: str, source: str, subject: Subject | None = None
) -> dict[Subject, list[str]]:
    """By subject, the bundles that one store has and another lacks, oldest first."""
    there = {"store": store, "source": source, "is_there": False}
    return _by_subject(db.execute(_OF_TWO, {**there, **_named(subject)}))


def on_both(
    db: sqlite3.Connection, store: str, source: str, subject: Subject | None = None
) -> dict[Subject, list[str]]:
    """By subject, the bundles that both of two stores have, oldest first."""
    there = {"store": store, "source": source, "is_there": True}
    return _by_subject(db.execute(_OF_TWO, {**there, **_named(subject)}))


#: The bundles that keep rules may have left on the stores of their jobs, and that are not there.
_MISSED = (
    "WITH kept AS MATERIALIZED (SELECT id, name FROM job WHERE enabled), "
    "ranked AS (SELECT bundle.id, kept.id AS job_id, kept.name AS job, row_number() OVER "
    "(PARTITION BY subject_kind, subject, job ORDER BY moment DESC, bundle.id DESC) AS age "
    "FROM bundle JOIN kept ON kept.name=job "
    "WHERE (:kind='' OR (subject_kind=:kind AND subject=:subject)) AND "
    "(:job='' OR kept.name=:job) AND "
    "(:store='' OR kept.id IN (SELECT job_id FROM job_store JOIN store ON store.id=store_id WHERE "
    "store.name=:store))) "
    "SELECT {columns} FROM ranked JOIN job_store ON job_store.job_id=ranked.job_id {joins} WHERE "
    "age <= bound AND NOT EXISTS (SELECT 1 FROM copy WHERE bundle_id=ranked.id AND "
    "copy.store_id=job_store.store_id) {ends}"
)


def missed(
    db: sqlite3.Connection, store: str, subject: Subject | None = None, job: str = ""
) -> dict[Subject, list[str]]:
    """By subject, the bundles that jobs wanted on a store and that are on others alone.

    Only those that the job's keep rule would have left there.
    """
    rows = db.execute(
        _MISSED.format(
            columns="subject_kind, subject, bundle.name, ranked.job",
            joins="JOIN store ON store.id=job_store.store_id JOIN bundle ON bundle.id=ranked.id",
            ends="AND store.name=:store ORDER BY moment, bundle.id",
        ),
        {"store": store, "job": job, **_named(subject)},
    )
    wanted: dict[tuple[str, str, str], Container[str]] = {}
    found: dict[Subject, list[str]] = {}
    for kind, name, bundle, of_job in rows:
        key = (kind, name, of_job)
        if key not in wanted:
            wanted[key] = _wanted(db, store, *key)
        if bundle in wanted[key]:
            found.setdefault(Subject(kind, name), []).append(bundle)
    return found


class _Everything(Container[str]):
    def __contains__(self, _: object) -> bool:
        return True


def _wanted(
    db: sqlite3.Connection, store: str, kind: str, subject: str, job_name: str
) -> Container[str]:
    """Return the bundles of a job and subject that its keep rule would leave on a store that has
    all.
    """
    job = jobs.job(db, job_name)
    rule = retention.parse(job.keep_for(store))
    if rule.plain:
        return _Everything()
    copies = [
        RetentionCopy(row["name"], datetime.fromisoformat(row["moment"]))
        for row in db.execute(
            "SELECT name, moment FROM bundle WHERE subject_kind=? AND subject=? AND job=? "
            "ORDER BY id",
            (kind, subject, job_name),
        )
    ]
    return retention.kept(copies, rule, ZoneInfo(job.zone))


def _named(subject: Subject | None) -> dict[str, str]:
    kind, name = subject or ("", "")
    return {"kind": kind, "subject": name}


def _by_subject(rows: Iterable[sqlite3.Row]) -> dict[Subject, list[str]]:
    found: dict[Subject, list[str]] = {}
    for row in rows:
        found.setdefault(Subject(row[0], row[1]), []).append(row[2])
    return found


def lagging(db: sqlite3.Connection) -> dict[str, int]:
    """By store, how many bundles jobs wanted on it and it lacks."""
    rows = db.execute(
        _MISSED.format(
            columns="store.name, ranked.job, count(*)",
            joins="JOIN store ON store.id=job_store.store_id",
            ends="GROUP BY store.id, ranked.job ORDER BY store.name",
        ),
        {"store": "", "job": "", **_named(None)},
    ).fetchall()
    known = {job.name: job for job in jobs.jobs(db)}
    found: dict[str, int] = {}
    for store, job, count in rows:
        if not retention.parse(known[job].keep_for(store)).plain:
            count = sum(map(len, missed(db, store, job=job).values()))
        if count:
            found[store] = found.get(store, 0) + count
    return found


def made(
    db: sqlite3.Connection,
    store: str,
    subject: Subject,
    bundle: str,
    source: str,
    sent: int,
    manifest: ManifestSummary,
) -> bool:
    """Note a copy that was brought from another store; True when it is unlike most others."""
    row = db.execute(
        "SELECT id, manifest FROM bundle WHERE subject_kind=? AND subject=? AND name=?",
        (*subject, bundle),
    ).fetchone()
    target = db.execute("SELECT id FROM store WHERE name=?", (store,)).fetchone()
    if row is None or target is None:
        return False
    own: bool = json.loads(row["manifest"])["listing_sha256"] != manifest.listing_sha256
    db.execute(
        "INSERT OR REPLACE INTO copy (bundle_id, store_id, made, manifest) VALUES (?, ?, ?, ?)",
        (
            row["id"],
            target["id"],
            now(),
            msgspec.json.encode(manifest).decode() if own else None,
        ),
    )
    db.execute(
        "INSERT INTO transfer (store_id, source, subject_kind, subject, bundle, bytes, at) "
        "VALUES (?, ?, ?, ?, ?, ?, ?)",
        (target["id"], source, *subject, bundle, sent, now()),
    )
    usage.refresh(db, target["id"], *subject)
    return own


def transfers(
    db: sqlite3.Connection, paging: PageRequest, store: str, day: str = ""
) -> Page[Transfer]:
    """Return transfers to a store, newest first, optionally of one UTC day such as 2026-11-24."""
    query = Query(
        "transfer.*",
        "transfer JOIN store ON store.id=store_id",
        "transfer.id",
        {"at": "transfer.at"},
        "-at",
    )
    query.only("store.name = ?", store)
    if day:
        query.only("substr(transfer.at, 1, 10) = ?", day)
    return page(
        db,
        query,
        paging,
        lambda row: Transfer(
            source=row["source"],
            subject_kind=row["subject_kind"],
            subject=row["subject"],
            bundle=row["bundle"],
            bytes=row["bytes"],
            at=row["at"],
        ),
    )


def days(db: sqlite3.Connection, store: str, most: int = 60) -> list[TransferDay]:
    """Return how much was brought to a store on each day of UTC, newest first."""
    return [
        TransferDay(day=row["day"], bundles=row["bundles"], bytes=row["bytes"])
        for row in db.execute(
            "SELECT substr(at, 1, 10) AS day, count(*) AS bundles, sum(bytes) AS bytes FROM "
            "transfer JOIN store ON store.id=store_id WHERE store.name=? GROUP BY 1 "
            "ORDER BY 1 DESC LIMIT ?",
            (store, most),
        )
    ]
