"""Proposals of stores: hosts, accounts and jobs, until a person accepts them."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Iterable, Sequence
from dataclasses import asdict, dataclass, field
from typing import Any

from ...models import StoreProposal
from ..db import now

KINDS = ("host", "account", "store", "job")


@dataclass(frozen=True, slots=True)
class FoundProposal:
    """A host, account, store or job proposed by bundles or a copy of the records on a store.

    ``vouched`` says whether this service wrote its source. ``document`` has the ``settings`` from a
    copy of the records, as JSON, and ``sealed`` secrets, which are never shown.
    """

    kind: str
    name: str
    host: str
    vouched: bool
    document: dict[str, Any] = field(default_factory=dict)


def save(db: sqlite3.Connection, store: str, found: Iterable[FoundProposal]) -> None:
    """Keep what a store tells; what it told before is replaced."""
    (store_id,) = db.execute("SELECT id FROM store WHERE name=?", (store,)).fetchone()
    for row in found:
        db.execute(
            "INSERT INTO store_proposal (store_id, kind, name, host, vouched, document, found) "
            "VALUES (?, ?, ?, ?, ?, ?, ?) ON CONFLICT (store_id, kind, name) DO UPDATE SET "
            "host=excluded.host, vouched=excluded.vouched, document=excluded.document, "
            "found=excluded.found",
            (store_id, row.kind, row.name, row.host, row.vouched, json.dumps(row.document), now()),
        )


def proposals(db: sqlite3.Connection, store: str) -> list[FoundProposal]:
    """Return what a store proposes: hosts first, then accounts, then jobs."""
    rows = db.execute(
        "SELECT p.kind, p.name, p.host, p.vouched, p.document FROM store_proposal p "
        "JOIN store ON store.id=p.store_id WHERE store.name=? ORDER BY p.name",
        (store,),
    )
    found = [
        FoundProposal(
            row["kind"], row["name"], row["host"], bool(row["vouched"]), json.loads(row["document"])
        )
        for row in rows
    ]
    return sorted(found, key=lambda row: KINDS.index(row.kind))


def shown(row: FoundProposal) -> StoreProposal:
    """Return a proposal as people see it."""
    return StoreProposal.model_validate(
        {
            **asdict(row),
            "root": row.document.get("root", ""),
            "document": {k: v for k, v in row.document.items() if k != "sealed"},
            "with_settings": "settings" in row.document,
        }
    )


def remove(db: sqlite3.Connection, store: str, rows: Sequence[FoundProposal]) -> None:
    """Forget proposals of a store."""
    for row in rows:
        db.execute(
            "DELETE FROM store_proposal WHERE kind=? AND name=? AND store_id="
            "(SELECT id FROM store WHERE name=?)",
            (row.kind, row.name, store),
        )
