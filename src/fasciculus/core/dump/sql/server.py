"""The protocol for reading from a server."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Protocol


class Server(Protocol):
    """The two ways a dump reads from a server; both give text as UTF-8 bytes."""

    def rows(self, sql: str, *values: str) -> Sequence[Sequence[bytes | None]]:
        """Return all rows of a small result."""

    def stream(self, sql: str) -> Iterator[Sequence[bytes | None]]:
        """Return a result of any size, row by row."""
