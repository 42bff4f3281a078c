"""Versions of files over many bundles of a subject.

The oldest bundle's listing and the changes from each bundle to the next tell all states of every
file. Changes are stored next to the listings, so that a search reads little.
"""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator, Sequence
from typing import BinaryIO

import msgspec
import orjson
import zstandard
from msgspec import Struct, field

from ..errors import DamagedError
from .diff import GONE, differences
from .entry import DIR, to_text
from .listing import MOST_LINE, read_lines, unpacked

_LEVEL = 3


class FileState(Struct, omit_defaults=True):
    """A file in one bundle: its size in bytes, its digest or link target, and its time in ns since
    1970. ``path`` is text as in JSON.
    """

    kind: str
    path: str
    type: str
    size: int = 0
    digest: str = ""
    mtime_ns: int = 0


class FileChange(FileState, omit_defaults=True, forbid_unknown_fields=True):
    """A change of a file from one bundle to the next: its new state, or that it is missing."""

    is_gone: bool = False


class FileVersion(Struct):
    """One state of a file, and the numbers of the first and last bundle that have it, the oldest
    bundle being 0.
    """

    state: FileState
    first: int
    last: int


class FileVersions(Struct):
    """A file in all its states, oldest first; ``is_gone`` if the newest bundle lacks it."""

    kind: str
    path: str
    versions: list[FileVersion] = field(default_factory=list)
    is_gone: bool = False


_ENCODER = msgspec.json.Encoder()
_CHANGES = msgspec.json.Decoder(FileChange)


# Writing -----------------------------------------------------------------------------


def write_changes(before: BinaryIO, after: BinaryIO, sink: BinaryIO) -> None:
    """Write the changes of files from one listing to the next, as zstd-compressed JSON lines.

    Raises :class:`DamagedError` for a listing that is cut short or altered.
    """
    with zstandard.ZstdCompressor(level=_LEVEL).stream_writer(sink, closefd=False) as packed:
        for row in differences(read_lines(before), read_lines(after)):
            if row.type == DIR or row.what == "rights":
                continue
            change = FileChange(
                row.kind, to_text(row.path), row.type, row.size, row.digest, row.mtime_ns
            )
            change.is_gone = row.state == GONE
            packed.write(_ENCODER.encode(change) + b"\n")


# Searching ---------------------------------------------------------------------------


class VersionSearch:
    """Collects the versions of the entries of one kind whose path holds all words, bundle by
    bundle, oldest first.
    """

    def __init__(self, words: Sequence[str], kind: str) -> None:
        self._words, self._kind = words, kind
        self._found: dict[tuple[str, str], FileVersions] = {}
        self._bundle = -1

    def first(self, listing: BinaryIO) -> None:
        """Take the listing of the oldest bundle. Raises :class:`DamagedError`."""
        self._bundle = 0
        for state in _states(matching_lines(listing, self._words)):
            if self._matches(state):
                self._open(state)

    def next(self, changes: BinaryIO) -> None:
        """Take the changes from the last bundle to the next one. Raises :class:`DamagedError`."""
        self._bundle += 1
        for line in matching_lines(changes, self._words):
            try:
                change = _CHANGES.decode(line)
            except msgspec.MsgspecError as error:
                raise DamagedError(f"The changes cannot be read: {error}.") from error
            if self._matches(change):
                self._close(change)
                if not change.is_gone:
                    self._open(change)

    def result(self) -> list[FileVersions]:
        """Return the files by path; what is there up to the last bundle has it as its last."""
        for file in self._found.values():
            if not file.is_gone:
                file.versions[-1].last = self._bundle
        return sorted(self._found.values(), key=lambda file: (file.kind, file.path))

    def _matches(self, state: FileState) -> bool:
        return state.kind == self._kind and all(word in state.path for word in self._words)

    def _open(self, state: FileState) -> None:
        key = (state.kind, state.path)
        file = self._found.setdefault(key, FileVersions(state.kind, state.path))
        file.is_gone = False
        file.versions.append(FileVersion(state, self._bundle, self._bundle))

    def _close(self, state: FileState) -> None:
        file = self._found.get((state.kind, state.path))
        if file is not None and not file.is_gone:
            file.versions[-1].last = self._bundle - 1
            file.is_gone = True


def matching_lines(raw: BinaryIO, words: Sequence[str]) -> Iterator[bytes]:
    """Yield the lines of compressed JSON lines that hold the longest word, wherever in the line.

    Raises :class:`DamagedError` for what is cut short or altered.
    """
    needle = max((_as_written(word) for word in words), key=len)
    for block in _blocks(unpacked(raw)):
        at = block.find(needle)
        while at >= 0:
            start, end = block.rfind(b"\n", 0, at) + 1, block.find(b"\n", at)
            yield block[start:end]
            at = block.find(needle, end)


def _as_written(word: str) -> bytes:
    """Return a word in the notation of a JSON string."""
    return json.dumps(word, ensure_ascii=False)[1:-1].encode("utf-8", "surrogateescape")


def _blocks(parts: Iterable[bytes]) -> Iterator[bytes]:
    """Yield whole lines, many at a time."""
    rest = b""
    for more in parts:
        whole, newline, after = more.rpartition(b"\n")
        if newline:
            yield rest + whole + newline
            rest = after
        else:
            rest += more
            if len(rest) > MOST_LINE:
                raise DamagedError(f"A line has more than {MOST_LINE:,} bytes.")
    if rest:
        raise DamagedError("The last line is cut short.")


def _states(lines: Iterable[bytes]) -> Iterator[FileState]:
    for line in lines:
        try:
            row = orjson.loads(line)
        except ValueError as error:
            raise DamagedError(f"A line of the listing cannot be read: {error}.") from error
        if row["type"] != DIR:
            yield FileState(
                row["kind"],
                row["path"] if "path" in row else "base64:" + row["path_base64"],
                row["type"],
                int(row.get("size", 0)),
                row.get("blake3", row.get("target", "")),
                int(row.get("mtime_ns", 0)),
            )
