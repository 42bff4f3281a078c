"""The protocol for reading from a PostgreSQL server."""

from __future__ import annotations

from collections.abc import Generator, Sequence
from typing import Protocol

#: Lines of rows, each with its end.
Lines = Sequence[bytes | memoryview]


class Server(Protocol):
    """The two ways in which a dump reads from a server."""

    #: The number of the server's version, such as 150018 for 15.18.
    version: int

    def rows(self, sql: str, *values: str) -> Sequence[Sequence[str | None]]:
        """Return all rows of a small result, as PostgreSQL writes their values."""

    def copy_out(self, sql: str) -> Generator[Lines, None, None]:
        """Yield the lines of a ``COPY … TO STDOUT`` in its text format, some at a time."""
