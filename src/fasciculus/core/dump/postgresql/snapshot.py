"""One snapshot that several connections see, and rows of a large table read by them in turns."""

from __future__ import annotations

import threading
from collections import deque
from collections.abc import Callable, Iterator, Sequence
from contextlib import closing, suppress

from ...errors import FasciculusError, StatementError
from .dialect import sql_text
from .server import Lines, Server

#: Opens further connections to the database of a dump.
More = Callable[[], Sequence[Server]]
#: Bytes of a table that several connections read, and so of a database that more are opened for.
LARGE = 64 * 1024 * 1024
#: What each connection may have read before its turn.
_AHEAD = 16 * 1024 * 1024
_JOIN = 30.0

#: Statements with which a session sees only what it asked for, in a known form.
SESSION = (
    "SELECT pg_catalog.set_config('search_path', '', false)",
    "SET LOCAL synchronize_seqscans = off",
    # Rows come in the order of the pages.
    "SET LOCAL max_parallel_workers_per_gather = 0",
    "SET LOCAL extra_float_digits = 3",
    "SET LOCAL lock_timeout = '10min'",
    # Rows that a policy hides would be missing without a word.
    "SET LOCAL row_security = off",
)
BEGIN = "BEGIN ISOLATION LEVEL REPEATABLE READ READ ONLY"


def joined(server: Server, others: Sequence[Server], locks: Sequence[str]) -> list[Server]:
    """Return those of other connections that see the snapshot of ``server`` now, too.

    ``locks`` are the statements that lock the tables. A connection that cannot have the locks at
    once is left out: it could wait behind a session that waits for ``server``.
    """
    if not others:
        return []
    try:
        ((name,),) = server.rows("SELECT pg_catalog.pg_export_snapshot()")
    except StatementError:
        return []
    found = list[Server]()
    for other in others:
        with suppress(FasciculusError):
            other.rows(BEGIN)
            other.rows(f"SET TRANSACTION SNAPSHOT {sql_text(str(name))}")
            for words in (*SESSION, *(f"{lock} NOWAIT" for lock in locks)):
                other.rows(words)
            found.append(other)
    return found


class _Part:
    """The rows of one statement: those that were read and not yet taken."""

    def __init__(self) -> None:
        self.read: deque[Lines] = deque()
        self.bytes = 0
        self.ended = False
        self.error: BaseException | None = None


class Readers:
    """Connections that execute statements side by side; their rows come in order."""

    def __init__(self, servers: Sequence[Server]) -> None:
        self._servers = servers

    def __len__(self) -> int:
        return len(self._servers)

    def lines(self, statements: Sequence[str]) -> Iterator[Lines]:
        """Yield the lines of ``COPY … TO STDOUT`` statements, in the order of the statements.

        Raises the error of the first statement that fails, once all lines before it were yielded.
        """
        reading = _Reading(statements)
        threads = [
            threading.Thread(target=reading.work, args=(server,), name="rows", daemon=True)
            for server in self._servers
        ]
        for thread in threads:
            thread.start()
        try:
            for part in reading.parts:
                yield from reading.take(part)
        finally:
            reading.stop()
            for thread in threads:
                thread.join(_JOIN)


class _Reading:
    """Statements under way: each connection takes the next one when it has read one."""

    def __init__(self, statements: Sequence[str]) -> None:
        self.parts = [_Part() for _ in statements]
        self._left = deque(zip(statements, self.parts, strict=True))
        self._changed = threading.Condition()
        self._stopped = False

    def work(self, server: Server) -> None:
        """Execute statements until none is left."""
        while (found := self._next()) is not None:
            words, part = found
            try:
                self._read(server, words, part)
            except BaseException as error:
                part.error = error
            with self._changed:
                part.ended = True
                self._changed.notify_all()
            if part.error is not None and not _is_usable(server, part.error):
                return

    def take(self, part: _Part) -> Iterator[Lines]:
        """Yield the lines of a part as they come. Raises its error after them."""
        while True:
            with self._changed:
                self._changed.wait_for(lambda: part.read or part.ended)
                lines, part.read, part.bytes = part.read, deque(), 0
                self._changed.notify_all()
            if not lines:
                break
            yield from lines
        if part.error is not None:
            raise part.error

    def stop(self) -> None:
        """Let the connections end what they do."""
        with self._changed:
            self._stopped = True
            self._changed.notify_all()

    def _next(self) -> tuple[str, _Part] | None:
        with self._changed:
            return self._left.popleft() if self._left and not self._stopped else None

    def _read(self, server: Server, words: str, part: _Part) -> None:
        server.rows("SAVEPOINT part")
        with closing(server.copy_out(words)) as found:
            for lines in found:
                if not self._give(part, lines):
                    break
        _put_right(server)

    def _give(self, part: _Part, lines: Lines) -> bool:
        """Hand lines over once there is room; return whether anybody wants more."""
        with self._changed:
            self._changed.wait_for(lambda: part.bytes < _AHEAD or self._stopped)
            part.read.append(lines)
            part.bytes += sum(map(len, lines))
            self._changed.notify_all()
            return not self._stopped


def _is_usable(server: Server, error: BaseException) -> bool:
    """Return whether a connection can go on after an error, and put it right."""
    if not isinstance(error, StatementError):
        return False
    with suppress(FasciculusError):
        _put_right(server)
        return True
    return False


def _put_right(server: Server) -> None:
    for words in ("ROLLBACK TO SAVEPOINT part", "RELEASE SAVEPOINT part"):
        server.rows(words)
