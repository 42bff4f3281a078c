"""This machine."""

from __future__ import annotations

import os
import sqlite3
from collections.abc import Iterator
from contextlib import AbstractContextManager, closing
from pathlib import Path
from typing import BinaryIO
from urllib.parse import quote

from ..core.bundling import scan as walking
from ..core.bundling.entry import Entry
from ..core.bundling.scan import Warn
from ..core.errors import NotThere, Trouble
from . import mariadb
from .base import MariaDbSpec

_BUSY_SECONDS = 60.0


class LocalReach:
    """Reads files and databases of the machine that the worker runs on."""

    def scan(self, root: str, left_out: frozenset[bytes], warn: Warn) -> Iterator[Entry]:
        try:
            yield from walking.scan(os.fsencode(root), "files", left_out, warn)
        except FileNotFoundError as error:
            raise NotThere(f"The folder {root} does not exist.",
                           "Correct the folder of this account or site.") from error
        except OSError as error:
            raise Trouble(f"The folder {root} cannot be read: {error.strerror}.",
                          "Check its owner and rights.") from error

    def open(self, path: bytes) -> BinaryIO:
        # A FIFO put where a file was must not hold the worker up, nor a link lead it away.
        descriptor = os.open(path, os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK | os.O_CLOEXEC)
        return os.fdopen(descriptor, "rb", buffering=0)

    def type_of(self, path: str) -> str:
        if os.path.isfile(path):
            return "file"
        if os.path.isdir(path):
            return "dir"
        return "other" if os.path.exists(path) else ""

    def names(self, folder: bytes) -> list[bytes]:
        return os.listdir(folder)

    def read_text(self, path: str) -> str:
        try:
            return Path(path).read_text("utf-8", "surrogateescape")
        except OSError as error:
            raise NotThere(f"{path} cannot be read: {error.strerror}.",
                           "Correct the host's mail settings.") from error

    def describe(self, path: bytes, kind: str, relative: bytes, warn: Warn) -> Entry | None:
        try:
            return walking.describe(path, kind, relative, os.lstat(path), warn)
        except FileNotFoundError:
            return None

    def copy_sqlite(self, path: bytes, target: Path) -> dict[str, int]:
        shown = walking.shown(path)
        if not os.path.exists(path):
            raise NotThere(f"The SQLite database {shown} does not exist.",
                           "Correct its path, or remove it from the account.")
        try:
            with closing(sqlite3.connect(
                f"file:{quote(path)}?mode=ro", uri=True, timeout=_BUSY_SECONDS,
            )) as source, closing(sqlite3.connect(target)) as copy:
                # All in one step: a copy in steps starts over with every write.
                source.backup(copy)
                tables = [row[0] for row in copy.execute(
                    "SELECT name FROM sqlite_master WHERE type='table' "
                    "AND name NOT LIKE 'sqlite_%' ORDER BY name")]
                return {
                    name: copy.execute(f"SELECT count(*) FROM {_sqlite_name(name)}").fetchone()[0]
                    for name in tables
                }
        except sqlite3.Error as error:
            raise Trouble(f"The SQLite database {shown} cannot be copied: {error}.",
                          "Is it a database, and not damaged? “PRAGMA integrity_check” tells.",
                          ) from error

    def mariadb(self, spec: MariaDbSpec) -> AbstractContextManager[mariadb.MariaDb]:
        return mariadb.connect(spec)


def _sqlite_name(name: str) -> str:
    return '"' + name.replace('"', '""') + '"'
