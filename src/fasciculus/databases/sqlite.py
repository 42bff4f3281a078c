"""Copies of SQLite databases, taken with the backup interface."""

from __future__ import annotations

import os
import sqlite3
from contextlib import closing
from pathlib import Path
from urllib.parse import quote

from ..core.bundle import tree_walk as walking
from ..core.errors import FasciculusError, MissingError

_BUSY_SECONDS = 60.0


def copy(path: bytes, target: Path) -> dict[str, int]:
    """A consistent copy of a database that may be in use; gives the rows of each table."""
    shown = walking.shown(path)
    if not os.path.exists(path):
        raise MissingError(
            f"The SQLite database {shown} does not exist.",
            "Correct its path, or remove it from the account.",
        )
    try:
        with (
            closing(
                sqlite3.connect(
                    f"file:{quote(path)}?mode=ro",
                    uri=True,
                    timeout=_BUSY_SECONDS,
                )
            ) as source,
            closing(sqlite3.connect(target)) as made,
        ):
            # All in one step: a copy in steps starts over with every write.
            source.backup(made)
            return rows_of(made)
    except sqlite3.Error as error:
        raise FasciculusError(
            f"The SQLite database {shown} cannot be copied: {error}.",
            "Is it a database, and not damaged? “PRAGMA integrity_check” tells.",
        ) from error


def rows_of(database: sqlite3.Connection) -> dict[str, int]:
    """The rows of each table of an SQLite database."""
    tables = [
        row[0]
        for row in database.execute(
            "SELECT name FROM sqlite_master WHERE type='table' AND name NOT LIKE 'sqlite_%' "
            "ORDER BY name"
        )
    ]
    return {
        name: database.execute(f"SELECT count(*) FROM {_sqlite_name(name)}").fetchone()[0]
        for name in tables
    }


def _sqlite_name(name: str) -> str:
    return '"' + name.replace('"', '""') + '"'
