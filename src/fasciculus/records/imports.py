"""What a store tells of bundles, accounts and jobs, taken into the records."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterable
from typing import Protocol

import msgspec
from pydantic import ValidationError

from ..core.bundle.manifest import ManifestSummary, SubjectRecord
from ..core.errors import FasciculusError
from ..models import AccountInput, Database, HostInput, JobInput, Site
from . import inventory, jobs, usage
from .db import now
from .encryption import SecretCipher


class FoundBundle(Protocol):
    """A bundle as a worker tells of it."""

    subject_kind: str
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
    db: sqlite3.Connection, cipher: SecretCipher, store: str, newest: Iterable[FoundBundle]
) -> list[str]:
    """Make the hosts, accounts and jobs that the newest bundle of each subject tells of, as far as
    there are none of their names; gives what was made, in words. Jobs are switched off.
    """
    target = db.execute("SELECT id FROM store WHERE name=?", (store,)).fetchone()
    made: list[str] = []
    by_job: dict[tuple[str, str], list[FoundBundle]] = {}
    for found in sorted(newest, key=lambda row: (row.subject_kind, row.subject)):
        usage.refresh(db, target["id"], found.subject_kind, found.subject)
        by_job.setdefault((found.job, found.subject_kind), []).append(found)
        if found.host != "unknown" and not _known(db, "host", found.host):
            inventory.save_host(db, cipher, HostInput(name=found.host), "this machine")
            made.append(f"host {found.host}")
        if found.subject_kind == "account" and not _known(db, "account", found.subject):
            made += _account(db, found)
    for (name, kind), rows in by_job.items():
        if name != "unknown" and not _known(db, "job", name):
            made += _job(db, store, name, kind, rows)
    return made


def _known(db: sqlite3.Connection, table: str, name: str) -> bool:
    return db.execute(f"SELECT 1 FROM {table} WHERE name=?", (name,)).fetchone() is not None


def _account(db: sqlite3.Connection, found: FoundBundle) -> list[str]:
    """An account whose home and sites are as its newest bundle says, or where they usually are."""
    origin, name = found.origin, found.subject
    bare = AccountInput(name=name, host=found.host, home=f"/home/{name}")
    try:
        account = AccountInput(
            name=name,
            host=found.host,
            home=origin.root or bare.home,
            sites=[Site(name=site, root=root) for site, root in origin.sites.items()],
            mail_domains=origin.mail_domains,
            databases=[
                Database(engine=row.engine, name=row.name)
                for row in found.manifest.databases
                if row.engine != "sqlite"
            ],
        )
    except ValidationError:
        # One odd field costs the details, never the account.
        account = bare
    try:
        inventory.save_account(db, account)
    except FasciculusError:
        # A site or a domain of it is another account's by now.
        inventory.save_account(db, bare)
    return [f"account {found.subject}"]


def _job(
    db: sqlite3.Connection, store: str, name: str, kind: str, rows: list[FoundBundle]
) -> list[str]:
    """A job of the subjects that it made bundles of; its timetable no store knows."""
    contents = {part for row in rows for part in row.manifest.contents} - {"notes"}
    try:
        job = JobInput(
            name=name,
            subjects=f"{kind}s",  # type: ignore[arg-type]
            choice="listed",
            names=[row.subject for row in rows if _known(db, kind, row.subject)],
            contents=sorted(contents),  # type: ignore[arg-type]
            stores=[store],
            timetable="by hand",
            mode="incremental" if any(r.manifest.brings != "full" for r in rows) else "full",
            keep="1000 newest",
            enabled=False,
        )
        jobs.save_job(db, job)
    except (ValidationError, FasciculusError):
        return []
    return [f"job {name}, switched off"]
