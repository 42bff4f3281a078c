"""This machine."""

from __future__ import annotations

import io
import os
import signal
import sqlite3
import subprocess
import tempfile
from collections.abc import Iterator
from contextlib import AbstractContextManager, closing, suppress
from functools import partial
from pathlib import Path
from urllib.parse import quote

from ..core.bundling import scan as walking
from ..core.bundling.entry import Entry
from ..core.bundling.scan import Chosen, Warn
from ..core.errors import NotThere, Trouble
from . import mariadb
from .base import Found, MariaDbSpec, Ran, State

_BUSY_SECONDS = 60.0
_CLEAN = {"PATH": "/usr/local/sbin:/usr/local/bin:/usr/sbin:/usr/bin:/sbin:/bin", "LC_ALL": "C",
          "HOME": "/", "SHELL": "/bin/sh"}


class LocalFile(io.FileIO):
    """An open file of this machine."""

    def now(self) -> State:
        info = os.fstat(self.fileno())
        return State(info.st_size, info.st_mtime_ns, info.st_ctime_ns)

    def again(self) -> bool:
        self.seek(0)
        return True


class LocalReach:
    """Reads files and databases of the machine that the worker runs on."""

    def close(self) -> None:
        pass

    def tree(self, root: str, chosen: Chosen, warn: Warn) -> Iterator[Found]:
        base = os.fsencode(root)
        try:
            for entry in walking.scan(base, "files", chosen, warn):
                path = base + b"/" + entry.path if entry.path else base
                yield Found(entry, partial(self.open, path))
        except FileNotFoundError as error:
            raise NotThere(f"The folder {root} does not exist.",
                           "Correct the folder of this account or site.") from error
        except OSError as error:
            raise Trouble(f"The folder {root} cannot be read: {error.strerror}.",
                          "Check its owner and rights.") from error

    def open(self, path: bytes) -> LocalFile:
        # A FIFO put where a file was must not hold the worker up, nor a link lead it away.
        descriptor = os.open(path, os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK | os.O_CLOEXEC)
        return LocalFile(descriptor, "rb")

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

    def run(self, command: str, seconds: float, stdin: bytes = b"", limit: int = 1 << 20) -> Ran:
        # A group of its own, so that what the command started ends with it.
        with tempfile.TemporaryFile() as given, tempfile.TemporaryFile() as output:
            given.write(stdin)
            given.seek(0)
            process = subprocess.Popen(
                ["/bin/sh", "-c", command], stdin=given, stdout=output, stderr=subprocess.STDOUT,
                env=_CLEAN, cwd="/", start_new_session=True)
            code: int | None
            try:
                code = process.wait(seconds)
            except subprocess.TimeoutExpired:
                code = None
            finally:
                with suppress(ProcessLookupError):
                    os.killpg(process.pid, signal.SIGKILL)
                process.wait()
            output.seek(0)
            return Ran(code, output.read(limit))

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
                return rows_of(copy)
        except sqlite3.Error as error:
            raise Trouble(f"The SQLite database {shown} cannot be copied: {error}.",
                          "Is it a database, and not damaged? “PRAGMA integrity_check” tells.",
                          ) from error

    def mariadb(self, spec: MariaDbSpec) -> AbstractContextManager[mariadb.MariaDb]:
        return mariadb.connect(spec)


def rows_of(database: sqlite3.Connection) -> dict[str, int]:
    """The rows of each table of an SQLite database."""
    tables = [row[0] for row in database.execute(
        "SELECT name FROM sqlite_master WHERE type='table' AND name NOT LIKE 'sqlite_%' ORDER BY name")]
    return {name: database.execute(f"SELECT count(*) FROM {_sqlite_name(name)}").fetchone()[0]
            for name in tables}


def _sqlite_name(name: str) -> str:
    return '"' + name.replace('"', '""') + '"'
