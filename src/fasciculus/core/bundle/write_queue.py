"""The queue of pending frames while a bundle is packed."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Protocol

from msgspec import Struct, field

from .entry import Entry
from .manifest import PieceRecord

if TYPE_CHECKING:
    from concurrent.futures import Future


class ByteSource(Protocol):
    """Bytes to be read in order."""

    def read(self, count: int, /) -> bytes:
        """Return the next bytes."""


class PieceSpool(Protocol):
    """The spool for piece files; writers wait while it is full."""

    def take(self) -> Path:
        """Wait until another piece can be spooled, then return the folder for it."""

    def put(self, path: Path, record: PieceRecord) -> None:
        """Hand a finished piece over."""


class ListingSink(Protocol):
    """Takes each entry once the place of its bytes is known."""

    def add(self, entry: Entry) -> None:
        """Take an entry."""

    def add_line(self, line: bytes) -> None:
        """Take an entry by its line, newline included."""

    def add_lines(self, lines: bytes) -> None:
        """Several entries that were taken over together."""


class PendingFrame(Struct):
    """A frame whose place in its piece is known once it is written."""

    piece: str = ""
    offset: int = 0
    length: int = 0


class PendingExtent(Struct):
    """Bytes of an entry in a frame."""

    frame: PendingFrame
    offset: int
    size: int


class PendingEntry(Struct):
    """An entry whose bytes are not all packed yet; ``line`` is its listing's line, where that is
    known.
    """

    entry: Entry
    stretches: list[PendingExtent] = field(default_factory=list)
    first: Entry | None = None
    line: bytes = b""
    placed: bool = False
    lines: list[bytes] = field(default_factory=list)
    then: list[Callable[[], None]] = field(default_factory=list)


class WriteRequest(Struct):
    """For the writer: a frame to write, the entries to list after it, the piece to end with it."""

    frame: PendingFrame
    data: Future[bytes] | None
    listed: list[PendingEntry]
    kind: str
    ends_piece: bool
