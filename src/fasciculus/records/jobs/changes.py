"""Changes of settings, with what was before them."""

from __future__ import annotations

import json
import sqlite3
from typing import Any

from pydantic import BaseModel

from ...core.errors import MissingError, SettingError
from ...models import Page, SettingChange
from ..db import now
from ..paging import PageRequest, Query, page


def add(
    db: sqlite3.Connection,
    who: str,
    kind: str,
    name: str,
    before: BaseModel | None,
    after: BaseModel | None,
) -> None:
    """Note a change; what changes nothing is none. Models hold no secrets that are kept."""
    texts = [row.model_dump_json() if row is not None else None for row in (before, after)]
    if texts[0] != texts[1]:
        db.execute(
            "INSERT INTO change (at, who, kind, name, before, after) VALUES (?, ?, ?, ?, ?, ?)",
            (now(), who, kind, name, *texts),
        )


def changes(
    db: sqlite3.Connection, paging: PageRequest, kind: str = "", name: str = ""
) -> Page[SettingChange]:
    """Return changes, newest first, each with its differences."""
    query = Query("change.*", "change", "change.id", {"id": "change.id"}, "-id")
    if kind:
        query.only("change.kind = ?", kind)
    if name:
        query.only("change.name = ?", name)
    return page(db, query, paging, _change)


def _change(row: sqlite3.Row) -> SettingChange:
    before, after = (json.loads(row[key]) if row[key] else None for key in ("before", "after"))
    if before is not None and after is not None:
        before, after = _differing(before, after)
    return SettingChange(
        id=row["id"],
        at=row["at"],
        who=row["who"],
        kind=row["kind"],
        name=row["name"],
        before=before,
        after=after,
    )


def _differing(
    before: dict[str, Any], after: dict[str, Any]
) -> tuple[dict[str, Any], dict[str, Any]]:
    """Only the settings that are not the same; those within a group by a name with a dot."""
    flat = [_flat(before), _flat(after)]
    keys = [key for key in {**flat[0], **flat[1]} if flat[0].get(key) != flat[1].get(key)]
    first, second = ({key: row.get(key) for key in keys} for row in flat)
    return first, second


def _flat(row: dict[str, Any], prefix: str = "") -> dict[str, Any]:
    found: dict[str, Any] = {}
    for key, value in row.items():
        if isinstance(value, dict):
            found |= _flat(value, f"{prefix}{key}.")
        else:
            found[f"{prefix}{key}"] = value
    return found


def before(db: sqlite3.Connection, kind: str, name: str, number: int) -> str:
    """Return what something was before a change, as JSON."""
    row = db.execute(
        "SELECT before FROM change WHERE id=? AND kind=? AND name=?", (number, kind, name)
    ).fetchone()
    if row is None:
        raise MissingError(
            f"There is no change {number} of {kind} “{name}”.", "Take the number from the list."
        )
    if row["before"] is None:
        raise SettingError(
            f"Change {number} added {kind} “{name}”: there was nothing before it.",
            "Remove it instead, if it is not wanted.",
        )
    return str(row["before"])


def last(db: sqlite3.Connection, kind: str, name: str) -> str | None:
    """Return when something was changed last."""
    row = db.execute("SELECT max(at) FROM change WHERE kind=? AND name=?", (kind, name)).fetchone()
    return row[0] if row else None
