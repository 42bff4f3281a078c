"""The database file: one writer, many readers, numbered migrations."""

from __future__ import annotations

import fcntl
import os
import sqlite3
import threading
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from datetime import UTC, datetime
from importlib.resources import files
from pathlib import Path

from ..core.errors import FasciculusError, MissingError

#: The way out when the records are of no use any more.
BRING_BACK = (
    "Restore a copy of them (fasciculus admin restore-records FILE), or move that file away to "
    "start with empty records; the bundles on the stores are unchanged."
)


def now() -> str:
    """Return the present time as the records write it."""
    return stamp(datetime.now(UTC))


_READER_CACHE_KIB = 256


def stamp(moment: datetime) -> str:
    """Return a time as sortable text in UTC, to the millisecond."""
    return moment.astimezone(UTC).isoformat(timespec="milliseconds")


#: Result codes of SQLite that concern the disk or the file, not the statement.
_DAMAGED = (sqlite3.SQLITE_CORRUPT, sqlite3.SQLITE_NOTADB)
_OF_THE_DISK = (
    sqlite3.SQLITE_FULL,
    sqlite3.SQLITE_IOERR,
    sqlite3.SQLITE_READONLY,
    sqlite3.SQLITE_CANTOPEN,
    *_DAMAGED,
)


class UnwritableError(FasciculusError):
    """A change could not be written: the disk is full, or does not take it."""

    def __init__(self, path: Path, error: Exception, damaged: bool) -> None:
        if damaged:
            super().__init__(f"The records in {path} are damaged: {error}.", BRING_BACK)
        else:
            super().__init__(
                f"The records cannot be written: {error}.",
                f"Free space on the disk of {path.parent}; all goes on by itself then.",
            )


class Records:
    """Connections to the records. Opening one brings the tables up to date."""

    def __init__(self, path: Path) -> None:
        self._path = path
        path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        self._hold = take_lock(path.parent / "service.lock")
        if path.exists():
            check_whole(path)
        descriptor = os.open(path, os.O_RDWR | os.O_CREAT, 0o600)
        os.close(descriptor)
        #: Why the last change could not be written, empty when it was.
        self.trouble = ""
        self._local = threading.local()
        self._lock = threading.RLock()
        #: Connections for reading, with the threads that they are of.
        self._readers: list[tuple[threading.Thread, sqlite3.Connection]] = []
        self._readers_lock = threading.Lock()
        self._writer = self._connect()
        self._writer.execute("PRAGMA journal_mode=WAL")
        self._migrate()

    def _connect(self) -> sqlite3.Connection:
        connection = sqlite3.connect(
            self._path, isolation_level=None, check_same_thread=False, timeout=30
        )
        connection.row_factory = sqlite3.Row
        connection.execute("PRAGMA foreign_keys=ON")
        connection.execute("PRAGMA synchronous=NORMAL")
        return connection

    def _migrate(self) -> None:
        steps = sorted(
            (
                step
                for step in files(__package__).joinpath("migrations").iterdir()
                if step.name.endswith(".sql")
            ),
            key=lambda step: step.name,
        )
        done = self._writer.execute("PRAGMA user_version").fetchone()[0]
        if done > len(steps):
            raise FasciculusError(
                f"The records in {self._path} were written by a later Fasciculus.",
                "Start that one, or name another FASCICULUS_HOME.",
            )
        for number, step in enumerate(steps, 1):
            if number > done:
                self._writer.executescript(
                    f"BEGIN;\n{step.read_text('utf-8')}\nPRAGMA user_version={number};\nCOMMIT;"
                )

    @property
    def reader(self) -> sqlite3.Connection:
        """This thread's connection for reading."""
        connection: sqlite3.Connection | None = getattr(self._local, "connection", None)
        if connection is None:
            connection = self._connect()
            connection.execute("PRAGMA query_only=ON")
            # Many threads have one: the operating system's cache is shared, theirs is not.
            connection.execute(f"PRAGMA cache_size=-{_READER_CACHE_KIB}")
            self._local.connection = connection
            self._keep(connection)
        return connection

    def _keep(self, connection: sqlite3.Connection) -> None:
        """Note this thread's connection, and close those of threads that have ended: connections
        refer to themselves, and would stay open until the next garbage collection.
        """
        with self._readers_lock:
            alive = []
            for thread, known in self._readers:
                if thread.is_alive():
                    alive.append((thread, known))
                else:
                    known.close()
            self._readers = [*alive, (threading.current_thread(), connection)]

    @property
    def version(self) -> int:
        """Return a number that grows with every change, so that what was computed can be kept until
        the next.
        """
        return self._writer.total_changes

    @contextmanager
    def write(self) -> Iterator[sqlite3.Connection]:
        """Provide the writing connection inside one transaction, to one thread at a time."""
        with self._lock:
            if self._writer.in_transaction:
                yield self._writer
                return
            try:
                self._writer.execute("BEGIN IMMEDIATE")
                yield self._writer
                self._writer.execute("COMMIT")
            except sqlite3.DatabaseError as error:
                self._roll_back()
                if (kind := error.sqlite_errorcode & 0xFF) not in _OF_THE_DISK:
                    raise
                self.trouble = str(error)
                raise UnwritableError(self._path, error, kind in _DAMAGED) from error
            except BaseException:
                self._roll_back()
                raise
            self.trouble = ""

    def _roll_back(self) -> None:
        # A full disk may have ended the transaction already.
        if self._writer.in_transaction:
            with suppress(sqlite3.Error):
                self._writer.execute("ROLLBACK")

    def close(self) -> None:
        """Close it; harmless if it is closed already."""
        with self._lock:
            self._writer.close()
        os.close(self._hold)


@contextmanager
def single_transaction(path: Path) -> Iterator[sqlite3.Connection]:
    """Provide the records for one transaction of another program, while the service may be running.

    Raises ``MissingError`` if there are none.
    """
    if not path.exists():
        raise MissingError(
            f"There are no records in {path.parent}.",
            "Start the service once (fasciculus serve), or name its FASCICULUS_HOME.",
        )
    connection = sqlite3.connect(path, isolation_level=None, timeout=30)
    connection.row_factory = sqlite3.Row
    try:
        connection.execute("PRAGMA foreign_keys=ON")
        connection.execute("BEGIN IMMEDIATE")
        try:
            yield connection
        except BaseException:
            connection.execute("ROLLBACK")
            raise
        connection.execute("COMMIT")
    except sqlite3.Error as error:
        raise FasciculusError(
            f"The records in {path} cannot be changed: {error}.", "Look at that file and its disk."
        ) from error
    finally:
        connection.close()


def check_whole(path: Path) -> None:
    """Raise ``FasciculusError`` for records that were emptied, cut off or altered."""
    if not path.stat().st_size:
        raise FasciculusError(f"The records in {path} are empty.", BRING_BACK)
    connection = sqlite3.connect(path, timeout=30)
    try:
        found = [row[0] for row in connection.execute("PRAGMA quick_check(1)")]
    except sqlite3.DatabaseError as error:
        if error.sqlite_errorcode & 0xFF not in _DAMAGED:
            raise FasciculusError(
                f"The records in {path} cannot be opened: {error}.", "Look at that file's disk."
            ) from error
        found = [str(error)]
    finally:
        connection.close()
    if found != ["ok"]:
        raise FasciculusError(f"The records in {path} are damaged: {found[0]}.", BRING_BACK)


def take_lock(path: Path) -> int:
    """Hold the records folder for this process, or say which process holds it."""
    descriptor = os.open(path, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
    try:
        fcntl.flock(descriptor, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError:
        holder = os.read(descriptor, 32).decode("ascii", "replace").strip() or "unknown"
        os.close(descriptor)
        raise FasciculusError(
            f"Another Fasciculus service (process {holder}) uses {path.parent}.",
            "Stop it first, or name another FASCICULUS_HOME.",
        ) from None
    os.ftruncate(descriptor, 0)
    os.pwrite(descriptor, f"{os.getpid()}\n".encode(), 0)
    return descriptor
