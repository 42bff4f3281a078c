"""Consistent copies of SQLite databases, which may be in use meanwhile.

SQLite opens a database and its side files by path, and the folder's owner may exchange them. So it
never opens anything in a home: the files are reached by descriptors and copied to a private folder,
and only those copies are opened. While they are copied, the locks of SQLite's own protocol keep
writers from changing the database file (https://sqlite.org/lockingv3.html,
https://sqlite.org/walformat.html).
"""

from __future__ import annotations

import errno
import fcntl
import os
import sqlite3
import stat
import struct
import threading
import time
from collections.abc import Iterator
from contextlib import closing, contextmanager, suppress
from pathlib import Path

from ...core.bundle.root_path import FILE_FLAGS, open_file, open_root
from ...core.bundle.tree.tree_walk import shown
from ...core.errors import FasciculusError, MissingError
from ..base import DatabaseHost

_BUSY_SECONDS = 60.0
_CHUNK = 1024 * 1024
_TRIES = 5
_SIDES = (b"", b"-wal", b"-journal")
#: Bytes of a database file that readers lock while they read, and their number.
_SHARED = (0x40000002, 510)
#: The byte of a ``-shm`` file that a checkpoint locks.
_CHECKPOINT = (121, 1)
_WAL_HEADER = 32
#: How a journal ends that belongs to a transaction over several databases.
_SUPER_JOURNAL = bytes.fromhex("d9d505f920a163d7")
_FLOCK = struct.Struct("hhqqi4x")


def copy_database(host: DatabaseHost, path: bytes, target: Path, home: str) -> dict[str, int]:
    """Copy a database of a host to a file here. Returns the number of rows of each table.

    Links on the way to it may not lead out of ``home``.
    """
    if host.is_local:
        return _copy_here(path, target, os.fsencode(home))
    return _copy_from(host, path, target)


# This machine ---------------------------------------------------------------------


def _copy_here(path: bytes, target: Path, home: bytes) -> dict[str, int]:
    """Return a consistent copy of a database that may be in use."""
    try:
        for _ in range(_TRIES):
            with _opened(path, home) as (database, folder, name):
                if _copy_files(database, folder, name, target):
                    return _settle(path, target)
    except FileNotFoundError as error:
        raise MissingError(
            f"The SQLite database {shown(path)} does not exist.",
            "Correct its path, or remove it from the account.",
        ) from error
    except OSError as error:
        raise FasciculusError(
            f"The SQLite database {shown(path)} cannot be read: {error.strerror}.",
            "Correct its path, or remove it from the account.",
        ) from error
    raise _never_still(path)


@contextmanager
def _opened(path: bytes, home: bytes) -> Iterator[tuple[int, int, bytes]]:
    """Open a database, and the folder that it is in by the name that it has there.

    Raises ``OSError``, also if the two do not match because they are being exchanged.
    """
    database = open_file(path, home)
    try:
        if not stat.S_ISREG(os.fstat(database).st_mode):
            raise OSError(errno.EINVAL, "it is no file")
        place = os.readlink(b"/proc/self/fd/%d" % database)
        above, _, name = place.rpartition(b"/")
        folder = open_root(above or b"/", home)
        try:
            info, there = os.fstat(database), os.stat(name, dir_fd=folder, follow_symlinks=False)
            if (info.st_dev, info.st_ino) != (there.st_dev, there.st_ino):
                raise OSError(errno.ESTALE, "it was exchanged for another file while it was opened")
            yield database, folder, name
        finally:
            os.close(folder)
    finally:
        os.close(database)


def _copy_files(database: int, folder: int, name: bytes, target: Path) -> bool:
    """Copy a database and what belongs to it; return whether nothing changed meanwhile."""
    _lock(database, _SHARED)
    shared_memory = _side(folder, name + b"-shm")
    try:
        if shared_memory is not None:
            _lock(shared_memory, _CHECKPOINT)
        before = _state(database)
        _copy_file(database, target)
        for side in _SIDES[1:]:
            if not _copy_side(folder, name, side, target):
                return False
        return _state(database) == before
    finally:
        if shared_memory is not None:
            os.close(shared_memory)


def _copy_side(folder: int, name: bytes, side: bytes, target: Path) -> bool:
    """Copy a log or journal, if there is one; return whether it was not restarted meanwhile."""
    copy = _beside(target, side)
    copy.unlink(missing_ok=True)
    source = _side(folder, name + side)
    if source is None:
        return True
    try:
        header = os.pread(source, _WAL_HEADER, 0)
        _copy_file(source, copy)
        return os.pread(source, _WAL_HEADER, 0) == header
    finally:
        os.close(source)


def _side(folder: int, name: bytes) -> int | None:
    """Open a side file of a database, never through a link; None if there is no such file."""
    try:
        found = os.open(name, FILE_FLAGS, dir_fd=folder)
    except OSError as error:
        if error.errno in (errno.ENOENT, errno.ELOOP, errno.ENXIO):
            return None
        raise
    if stat.S_ISREG(os.fstat(found).st_mode):
        return found
    os.close(found)
    return None


def _lock(descriptor: int, place: tuple[int, int]) -> None:
    """Keep writers off some bytes for as long as a descriptor is open.

    If that is not granted in time, a change is still noticed afterwards.
    """
    start, length = place
    wanted = _FLOCK.pack(fcntl.F_RDLCK, os.SEEK_SET, start, length, 0)
    end, pause = time.monotonic() + _BUSY_SECONDS, threading.Event()
    while True:
        try:
            fcntl.fcntl(descriptor, fcntl.F_OFD_SETLK, wanted)
            return
        except OSError as error:
            if error.errno not in (errno.EAGAIN, errno.EACCES) or time.monotonic() > end:
                return
        pause.wait(0.05)


def _state(descriptor: int) -> tuple[int, int, int]:
    info = os.fstat(descriptor)
    return info.st_size, info.st_mtime_ns, info.st_ctime_ns


def _copy_file(source: int, target: Path) -> None:
    with target.open("wb", buffering=0) as sink:
        offset = 0
        while chunk := os.pread(source, _CHUNK, offset):
            sink.write(chunk)
            offset += len(chunk)


def _never_still(path: bytes) -> FasciculusError:
    return FasciculusError(
        f"The SQLite database {shown(path)} was written to each time it was copied.",
        "Move the job to a quieter hour.",
    )


# Other hosts -------------------------------------------------------------------


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
            _check(path, target)
            return _settle(path, target)
    raise _never_still(path)


def _beside(target: Path, side: bytes) -> Path:
    return Path(os.fsdecode(os.fsencode(target) + side))


def fetch(host: DatabaseHost, path: bytes, target: Path) -> None:
    """Bring one file here."""
    with closing(host.open(path)) as source, target.open("wb") as sink:
        while chunk := source.read(_CHUNK):
            sink.write(chunk)


# The copy ------------------------------------------------------------------------


def _check(path: bytes, target: Path) -> None:
    """Raise unless a copy that no lock protected is a sound database."""
    with _copied(path, target) as copy:
        checked = copy.execute("PRAGMA quick_check").fetchone()[0]
        if checked != "ok":
            raise sqlite3.DatabaseError(checked)


def _settle(path: bytes, target: Path) -> dict[str, int]:
    """Work the write-ahead log in, and count the rows."""
    try:
        with _copied(path, target) as copy:
            copy.execute("PRAGMA wal_checkpoint(TRUNCATE)")
            copy.execute("PRAGMA journal_mode=DELETE")
            return rows_of(copy)
    finally:
        for side in (*_SIDES[1:], b"-shm"):
            _beside(target, side).unlink(missing_ok=True)


@contextmanager
def _copied(path: bytes, target: Path) -> Iterator[sqlite3.Connection]:
    """Open a copy; what is wrong with it is said of the database."""
    _refuse_super_journal(path, target)
    try:
        with closing(sqlite3.connect(target)) as copy:
            copy.execute("PRAGMA trusted_schema=OFF")
            yield copy
    except sqlite3.Error as error:
        raise FasciculusError(
            f"The SQLite database {shown(path)} cannot be copied: {error}.",
            "Is it a database, and not damaged? “PRAGMA integrity_check” tells.",
        ) from error


def _refuse_super_journal(path: bytes, target: Path) -> None:
    """Refuse a journal that names another file: SQLite would open it, and could remove it."""
    journal = _beside(target, b"-journal")
    with suppress(FileNotFoundError), journal.open("rb") as file:
        size = file.seek(0, os.SEEK_END)
        file.seek(max(0, size - len(_SUPER_JOURNAL)))
        if file.read() == _SUPER_JOURNAL:
            journal.unlink()
            raise FasciculusError(
                f"The SQLite database {shown(path)} was left within a transaction over several "
                "databases.",
                "Open it once with its application, which puts that right.",
            )


def rows_of(database: sqlite3.Connection) -> dict[str, int]:
    """Return the rows of each table of an SQLite database."""
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
