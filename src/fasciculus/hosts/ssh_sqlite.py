"""A copy of an SQLite database of another host that nobody wrote to while it was taken."""

from __future__ import annotations

import os
import sqlite3
from contextlib import closing
from pathlib import Path
from typing import Protocol

from ..core.bundle.tree_walk import shown
from ..core.errors import FasciculusError, MissingError
from ..databases.sqlite import rows_of
from .base import OpenFile

_CHUNK = 1024 * 1024
_TRIES = 5
_SIDES = (b"", b"-wal", b"-journal")


class Readable(Protocol):
    """What the copy needs of a host."""

    def open(self, path: bytes) -> OpenFile: ...
    def state_of(self, path: bytes) -> bytes: ...


def copy_sqlite(host: Readable, path: bytes, target: Path) -> dict[str, int]:
    """Copy the database with its write-ahead log until both stood still meanwhile; gives the rows
    per table.
    """
    for _ in range(_TRIES):
        before = [host.state_of(path + side) for side in _SIDES]
        if not before[0]:
            raise MissingError(
                f"The SQLite database {shown(path)} does not exist.",
                "Correct its path, or remove it from the account.",
            )
        for side, state in zip(_SIDES, before, strict=True):
            copy = _beside(target, side)
            copy.unlink(missing_ok=True)
            if state:
                fetch(host, path + side, copy)
        if [host.state_of(path + side) for side in _SIDES] == before:
            return _settle(path, target)
    raise FasciculusError(
        f"The SQLite database {shown(path)} was written to each time it was copied.",
        "Move the job to a quieter hour.",
    )


def _beside(target: Path, side: bytes) -> Path:
    return Path(os.fsdecode(os.fsencode(target) + side))


def fetch(host: Readable, path: bytes, target: Path) -> None:
    """Bring one file here."""
    with closing(host.open(path)) as source, target.open("wb") as sink:
        while chunk := source.read(_CHUNK):
            sink.write(chunk)


def _settle(path: bytes, target: Path) -> dict[str, int]:
    """Work the write-ahead log in, check the copy, and count its rows."""
    try:
        with closing(sqlite3.connect(target)) as copy:
            copy.execute("PRAGMA wal_checkpoint(TRUNCATE)")
            copy.execute("PRAGMA journal_mode=DELETE")
            checked = copy.execute("PRAGMA quick_check").fetchone()[0]
            if checked != "ok":
                raise sqlite3.DatabaseError(checked)
            return rows_of(copy)
    except sqlite3.Error as error:
        raise FasciculusError(
            f"The SQLite database {shown(path)} cannot be copied: {error}.",
            "Is it a database, and not damaged? “PRAGMA integrity_check” tells.",
        ) from error
    finally:
        for side in _SIDES[1:]:
            _beside(target, side).unlink(missing_ok=True)
