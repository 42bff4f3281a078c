"""Settings of hosts, accounts, stores and jobs in a copy of the records, for a new installation."""

from __future__ import annotations

import sqlite3
from contextlib import closing
from pathlib import Path
from tempfile import TemporaryDirectory

from . import inventory
from .bundles.copies import unseal
from .db import Records
from .jobs import jobs
from .secret_cipher import SecretCipher
from .stores.store_proposals import FoundProposal


def settings_of(copy: Path, cipher: SecretCipher, spool: Path) -> list[FoundProposal]:
    """Return all that a sealed copy of the records has set, as proposals; secrets stay sealed.

    Raises ``DamagedError`` for a copy that the service's key does not open, or that was altered.
    """
    spool.mkdir(parents=True, exist_ok=True, mode=0o700)
    # A folder only for this call: SQLite would take files left by an earlier one for
    # changes of this one.
    with TemporaryDirectory(dir=spool) as folder:
        path = Path(folder) / "fasciculus.sqlite"
        unseal(copy, path, cipher.key)
        # It may be of an earlier version: it is brought up to date first.
        with closing(Records(path)) as records:
            db = records.reader
            ids = {row["name"]: row["mark"] for row in db.execute("SELECT name, mark FROM store")}
            return [*_hosts(db), *_accounts(db), *_stores(db), *_jobs(db, ids)]


def _hosts(db: sqlite3.Connection) -> list[FoundProposal]:
    rows = db.execute("SELECT name, document, secrets FROM host ORDER BY name")
    return [_with_secrets("host", row, row["name"]) for row in rows]


def _stores(db: sqlite3.Connection) -> list[FoundProposal]:
    rows = db.execute("SELECT name, document, secrets, mark FROM store ORDER BY name")
    found = []
    for row in rows:
        proposal = _with_secrets("store", row, "")
        proposal.document["id"] = row["mark"]
        found.append(proposal)
    return found


def _with_secrets(kind: str, row: sqlite3.Row, host: str) -> FoundProposal:
    document = {"settings": row["document"], "sealed": row["secrets"] or ""}
    return FoundProposal(kind, row["name"], host, True, document)


def _accounts(db: sqlite3.Connection) -> list[FoundProposal]:
    return [
        FoundProposal(
            "account",
            account.name,
            account.host,
            True,
            {"settings": account.model_dump_json(), "root": account.home},
        )
        for account in inventory.every_account(db)
    ]


def _jobs(db: sqlite3.Connection, store_ids: dict[str, str]) -> list[FoundProposal]:
    return [
        FoundProposal(
            "job",
            job.name,
            "",
            True,
            {
                "settings": job.model_dump_json(),
                "store_ids": {name: store_ids.get(name, "") for name in job.stores},
            },
        )
        for job in jobs.jobs(db)
    ]
