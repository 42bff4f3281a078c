"""One run of a file of states: entries of one folder, with what shows that they are unchanged."""

from __future__ import annotations

import struct
from collections.abc import Callable

import orjson

#: Length of the folder, names, states, lines, and the text of pieces; entries, bytes of contents,
#: kind of run.
BLOCK_HEAD = struct.Struct("<IIIQIIQB")
#: mode, inode, device, links, user, group, size, mtime and ctime in ns.
STATE = struct.Struct("<IQQIIIQqq")
#: Kinds of runs: plain entries, a folder, and entries that must be looked at one by one.
PLAIN, FOLDER, SLOW = 0, 1, 2

State = tuple[int, ...]


class StatBlock:
    """Entries of one folder that follow each other in the listing."""

    __slots__ = (
        "_blob",
        "_lines",
        "_names",
        "_take",
        "_text",
        "bytes",
        "entries",
        "folder",
        "joined",
        "kind",
        "length",
        "raw",
        "start",
        "states",
    )

    def __init__(self, raw: bytes, take: Callable[[], bytes], start: int = 0) -> None:
        #: Where its lines begin among those of the listing, in bytes, and how long they are.
        self.start = start
        folder, names, states, self.length, text, self.entries, self.bytes, self.kind = (
            BLOCK_HEAD.unpack_from(raw)
        )
        self.raw, self._take = raw, take
        at = BLOCK_HEAD.size
        self.folder = raw[at : at + folder]
        at += folder
        #: Its names, separated by zero bytes.
        self.joined = raw[at : at + names]
        self._names: list[bytes] = self.joined.split(b"\0")
        at += names
        self.states = raw[at : at + states]
        self._text = raw[at + states : at + states + text]
        self._blob: bytes | None = None
        self._lines: dict[bytes, tuple[bytes, State]] | None = None

    @staticmethod
    def entries_of(data: bytes, at: int) -> int:
        """Return the number of entries of the run at a place."""
        return int(BLOCK_HEAD.unpack_from(data, at)[5])

    @property
    def names(self) -> list[bytes]:
        """Return the names of its entries."""
        return self._names

    @property
    def size(self) -> int:
        """Its bytes in the file of states."""
        return 4 + len(self.raw)

    @property
    def is_folder(self) -> bool:
        """Return whether it describes a folder."""
        return bool(self.kind == FOLDER)

    @property
    def is_plain(self) -> bool:
        """Not so of entries that must be looked at one by one: hard links, and what changed a
        moment ago.
        """
        return bool(self.kind == PLAIN)

    def unchanged(self, states: list[State]) -> bool:
        """Return whether the states are those of the block."""
        return states == list(STATE.iter_unpack(self.states))

    @property
    def blob(self) -> bytes:
        """Its lines in the listing, newlines included."""
        if self._blob is None:
            self._blob = self._take()
        return self._blob

    def line(self, name: bytes, state: State) -> bytes | None:
        """Return the line of one entry if its state is unchanged."""
        if self._lines is None:
            lines = self.blob.split(b"\n")[:-1]
            self._lines = dict(
                zip(
                    self._names,
                    zip(lines, STATE.iter_unpack(self.states), strict=True),
                    strict=True,
                )
            )
        found = self._lines.get(name)
        return found[0] if found is not None and found[1] == state else None

    @property
    def used(self) -> list[tuple[str, int]]:
        """Return bytes of contents by the piece that holds them."""
        found: list[tuple[str, int]] = orjson.loads(self._text)
        return found
