"""Rows that cannot be read: each costs itself, and is named."""

from __future__ import annotations

import logging
import sqlite3
from collections.abc import Callable, Iterable
from typing import TypeVar

from pydantic import BaseModel

from ..models import JobInput
from ..models.inventory.inventory import HostFields
from ..models.stores import StoreFields

log = logging.getLogger(__name__)

T = TypeVar("T")
_SHAPES: dict[str, type[BaseModel]] = {"job": JobInput, "host": HostFields, "store": StoreFields}


def readable(rows: Iterable[sqlite3.Row], build: Callable[[sqlite3.Row], T]) -> list[T]:
    """Return the results for readable rows; unreadable ones are logged and skipped."""
    found = []
    for row in rows:
        try:
            found.append(build(row))
        except Exception:
            log.exception("a row of the records cannot be read and is left out: %s", row["name"])
    return found


def find(db: sqlite3.Connection) -> list[tuple[str, str, str]]:
    """Return (kind, name, reason) of every job, host and store that cannot be read."""
    found = []
    for table, shape in _SHAPES.items():
        for row in db.execute(f"SELECT name, document FROM {table} ORDER BY name"):
            try:
                shape.model_validate_json(row["document"])
            except Exception as error:
                found.append((table, str(row["name"]), " ".join(str(error).split())[:200]))
    return found
