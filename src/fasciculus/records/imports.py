"""Import of the bundles, accounts and jobs on a store."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterable
from typing import Protocol

import msgspec

from ..core.bundle.manifest import ManifestSummary, SubjectRecord
from ..core.subject import SubjectKind
from .bundles import usage
from .db import now
from .stores import store_proposals
from .stores.store_proposals import FoundProposal


class FoundBundle(Protocol):
    """A bundle as reported by a worker."""

    subject_kind: SubjectKind
    subject: str
    name: str
    job: str
    host: str
    entries: int
    bytes: int
    packed: int
    vouched: bool
    origin: SubjectRecord
    manifest: ManifestSummary


def take(db: sqlite3.Connection, store: str, found: FoundBundle) -> bool:
    """Note a bundle and its copy; False when the records had that copy already."""
    target = db.execute("SELECT id FROM store WHERE name=?", (store,)).fetchone()
    text = msgspec.json.encode(found.manifest).decode()
    key = (found.subject_kind, found.subject, found.name)
    row = db.execute(
        "SELECT id, manifest FROM bundle WHERE subject_kind=? AND subject=? AND name=?", key
    ).fetchone()
    own = None
    if row is None:
        bundle_id = db.execute(
            "INSERT INTO bundle (subject_kind, subject, name, job, host, moment, entries, bytes, "
            "packed, outcome, manifest, new_bytes) "
            "VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, 'done', ?, ?)",
            (
                *key,
                found.job,
                found.host,
                found.manifest.started,
                found.entries,
                found.bytes,
                found.packed,
                text,
                found.manifest.new_bytes,
            ),
        ).lastrowid
    else:
        bundle_id = row["id"]
        known = msgspec.json.decode(row["manifest"], type=ManifestSummary)
        own = text if known.listing_sha256 != found.manifest.listing_sha256 else None
    return bool(
        db.execute(
            "INSERT OR IGNORE INTO copy (bundle_id, store_id, made, manifest, vouched) "
            "VALUES (?, ?, ?, ?, ?)",
            (bundle_id, target["id"], now(), own, found.vouched),
        ).rowcount
    )


def finish(
    db: sqlite3.Connection,
    store: str,
    newest: Iterable[FoundBundle],
    told: Iterable[FoundProposal] = (),
) -> list[FoundProposal]:
    """Propose the hosts, accounts and jobs of the newest bundle of each subject and job, and those
    in a copy of the records, unless their names exist. Nothing has an effect until it is accepted.
    """
    target = db.execute("SELECT id FROM store WHERE name=?", (store,)).fetchone()
    found: dict[tuple[str, str], FoundProposal] = {}
    by_job: dict[tuple[str, str], list[FoundBundle]] = {}
    for row in sorted(
        newest, key=lambda row: (row.subject_kind, row.subject, row.manifest.started)
    ):
        usage.refresh(db, target["id"], row.subject_kind, row.subject)
        by_job.setdefault((row.job, row.subject_kind), []).append(row)
        for proposal in (_host(row), _account(row)):
            if proposal is not None and not _known(db, proposal.kind, proposal.name):
                found[proposal.kind, proposal.name] = proposal
    for (name, kind), rows in by_job.items():
        if name != "unknown" and not _known(db, "job", name):
            found["job", name] = _job(name, kind, rows)
    # The records know more, and are this service's own.
    found |= {(row.kind, row.name): row for row in told if not _is_here(db, row)}
    store_proposals.save(db, store, found.values())
    return list(found.values())


def _is_here(db: sqlite3.Connection, row: FoundProposal) -> bool:
    if (
        row.kind == "store"
        and db.execute(
            "SELECT 1 FROM store WHERE mark=? AND mark <> ''", (row.document.get("id", ""),)
        ).fetchone()
    ):
        return True
    return _known(db, row.kind, row.name)


def _known(db: sqlite3.Connection, table: str, name: str) -> bool:
    return db.execute(f"SELECT 1 FROM {table} WHERE name=?", (name,)).fetchone() is not None


def _host(found: FoundBundle) -> FoundProposal | None:
    if found.host == "unknown":
        return None
    return FoundProposal("host", found.host, found.host, found.vouched)


def _account(found: FoundBundle) -> FoundProposal | None:
    if found.subject_kind != "account":
        return None
    origin = found.origin
    document = {
        "root": origin.root,
        "sites": origin.sites,
        "mail_domains": origin.mail_domains,
        "databases": [
            {"engine": row.engine, "name": row.name}
            for row in found.manifest.databases
            if row.engine != "sqlite"
        ],
    }
    return FoundProposal("account", found.subject, found.host, found.vouched, document)


def _job(name: str, kind: str, rows: list[FoundBundle]) -> FoundProposal:
    """Return a job of the subjects that it made bundles of; no store knows its timetable."""
    document = {
        "subjects": f"{kind}s",
        "names": [row.subject for row in rows],
        "contents": sorted({part for row in rows for part in row.manifest.contents} - {"notes"}),
        "mode": "incremental" if any(r.manifest.brings != "full" for r in rows) else "full",
    }
    return FoundProposal("job", name, "", all(row.vouched for row in rows), document)
