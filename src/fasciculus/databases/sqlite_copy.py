"""Consistent copies of SQLite databases, which may be in use meanwhile."""

from __future__ import annotations

import os
import sqlite3
from contextlib import closing, suppress
from pathlib import Path
from urllib.parse import quote

from ..core.bundle.root_path import open_file
from ..core.bundle.tree_walk import shown
from ..core.errors import FasciculusError, MissingError
from .base import DatabaseHost

_BUSY_SECONDS = 60.0
_CHUNK = 1024 * 1024
_TRIES = 5
_SIDES = (b"", b"-wal", b"-journal")


def copy_database(host: DatabaseHost, path: bytes, target: Path, home: str) -> dict[str, int]:
    """Copy a database of a host to a file here. Returns the number of rows of each table.

    Links on the way to it may not lead out of ``home``.
    """
    if host.is_local:
        return _copy_here(path, target, os.fsencode(home))
    return _copy_from(host, path, target)


def _copy_here(path: bytes, target: Path, home: bytes) -> dict[str, int]:
    """A consistent copy of a database that may be in use."""
    name = shown(path)
    try:
        meant = open_file(path, home)
    except FileNotFoundError as error:
        raise MissingError(
            f"The SQLite database {name} does not exist.",
            "Correct its path, or remove it from the account.",
        ) from error
    except OSError as error:
        raise FasciculusError(
            f"The SQLite database {name} cannot be read: {error.strerror}.",
            "Correct its path, or remove it from the account.",
        ) from error
    before = _descriptors()
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
            source.execute("PRAGMA trusted_schema=OFF")
            source.execute("PRAGMA schema_version")
            _check_opened(meant, before, name)
            # All in one step: a copy in steps starts over with every write.
            source.backup(made)
            return rows_of(made)
    except sqlite3.Error as error:
        raise FasciculusError(
            f"The SQLite database {name} cannot be copied: {error}.",
            "Is it a database, and not damaged? “PRAGMA integrity_check” tells.",
        ) from error
    finally:
        os.close(meant)


def _descriptors() -> set[int]:
    """What is open now; not what looking had open itself."""
    found = set()
    for name in os.listdir("/proc/self/fd"):
        with suppress(OSError):
            os.fstat(int(name))
            found.add(int(name))
    return found


def _check_opened(meant: int, before: set[int], name: str) -> None:
    """Compare what SQLite opened by the path with what was opened without following links.

    Whoever owns the folder may put a link to somebody else's database there at any moment; what is
    open stays what it is.
    """
    info = os.fstat(meant)
    opened: dict[str, tuple[int, int]] = {}
    for descriptor in _descriptors() - before:
        with suppress(OSError):
            found = os.fstat(descriptor)
            opened[os.readlink(f"/proc/self/fd/{descriptor}")] = (found.st_dev, found.st_ino)
    # Other threads open files too: only the database and what SQLite puts beside it count.
    base = next((p for p, one in opened.items() if one == (info.st_dev, info.st_ino)), "")
    folder, _, called = base.rpartition("/")
    sides = {f"{called}{os.fsdecode(side)}" for side in (*_SIDES[1:], b"-shm")}
    elsewhere = [
        place
        for place in opened
        if place.rpartition("/")[2] in sides and place.rpartition("/")[0] != folder
    ]
    if not base or elsewhere:
        raise FasciculusError(
            f"The SQLite database {name} was exchanged for another file while it was opened.",
            "Nothing was read. The next run tries again.",
        )


def _copy_from(host: DatabaseHost, path: bytes, target: Path) -> dict[str, int]:
    """Copy the database with its write-ahead log until neither changed meanwhile."""
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


def fetch(host: DatabaseHost, path: bytes, target: Path) -> None:
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
