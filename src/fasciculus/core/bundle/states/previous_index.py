"""The previous bundle: what of it can be used again.

Its listing is streamed in parallel with the scan, both in scan order. Contents are also found by
their digest, for what was moved, copied or only touched; that index is in a file and is built
when it is first asked for."""

from __future__ import annotations

import mmap
import os
import stat
import struct
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import IO, Any

import orjson

from ..entry import FILE, Entry, Extent, order
from ..listing import OF_FILES, from_line, read_lines

#: Digest, piece, frame, frame length, offset in the frame, size.
_SLOT = struct.Struct("<16sIQIIQ")
_EMPTY = bytes(16)
LARGE = 1024 * 1024

Unchanged = Callable[[Entry, dict[str, Any]], bool]


def unchanged(entry: Entry, row: dict[str, Any]) -> bool:
    """Return whether a file is unchanged since it was listed: by size, mtime, ctime and inode."""
    return bool(
        row.get("size", 0) == entry.size
        and row["mtime_ns"] == entry.mtime_ns
        and row.get("ctime_ns") == entry.ctime_ns
        and row.get("inode") == entry.inode
    )


def unchanged_by_sftp(entry: Entry, row: dict[str, Any]) -> bool:
    """Return the same where a host tells size and mtime alone."""
    return bool(row.get("size", 0) == entry.size and row["mtime_ns"] == entry.mtime_ns)


class PreviousEntry:
    """An entry of the previous listing: its line, and the parsed line."""

    __slots__ = ("line", "row")

    def __init__(self, line: bytes, row: dict[str, Any]) -> None:
        self.line, self.row = line, row

    @property
    def parts(self) -> list[Extent]:
        """Return the places of its bytes."""
        return [Extent(*part) for part in self.row.get("at", ())]

    @property
    def digest(self) -> str:
        """Return its digest."""
        return str(self.row.get("blake3", ""))

    def describes(self, entry: Entry) -> bool:
        """Return whether its line describes the whole entry, so that it can be reused."""
        row = self.row
        return (
            self.has_state_of(entry)
            and not entry.xattrs
            and "xattrs" not in row
            and (entry.type == FILE or entry.flags == row.get("flags", ""))
        )

    def has_state_of(self, entry: Entry) -> bool:
        """Return whether modes, owners, times and place are those of the entry, which has one
        name.
        """
        row = self.row
        return (
            int(row["mode"], 8) == entry.mode
            and row["uid"] == entry.uid
            and row["gid"] == entry.gid
            and row["user"] == entry.user
            and row["group"] == entry.group
            and row["mtime_ns"] == entry.mtime_ns
            and row.get("ctime_ns", 0) == entry.ctime_ns
            and row.get("inode", 0) == entry.inode
            and row.get("device", 0) == entry.device
            and entry.link is None
            and "link" not in row
            and row.get("origin") is None
            and entry.origin is None
        )


class PreviousIndex:
    """The listing of a complete bundle whose pieces the stores still hold.

    ``damaged`` are pieces that are known to be bad: what is in them is stored again.
    """

    def __init__(
        self,
        listing: Path,
        unchanged: Unchanged,
        spool: Path,
        damaged: frozenset[str] = frozenset(),
    ) -> None:
        self._path, self._unchanged, self._spool, self._damaged = listing, unchanged, spool, damaged
        self._raw: IO[bytes] | None = None
        self._kind = ""
        self._lines: Iterator[bytes] = iter(())
        self._current: PreviousEntry | None = None
        self._ordered: tuple[bytes, ...] | None = None
        self._indexes: dict[bool, _DigestIndex] = {}

    def close(self) -> None:
        """Close it; harmless if it is closed already."""
        if self._raw is not None:
            self._raw.close()
            self._raw = None
        for index in self._indexes.values():
            index.close()
        self._indexes.clear()

    def _begin(self, kind: str) -> None:
        """Go to the entries of a kind; their order in the listing is that in which they are asked
        for.
        """
        if self._raw is None:
            self._raw = self._path.open("rb")
            self._lines = read_lines(self._raw)
            self._take()
        self._kind = kind
        while self._current is not None and self._current.row["kind"] != kind:
            self._take()

    def _take(self) -> None:
        line = next(self._lines, None)
        if line is None:
            self._current = None
            return
        self._current = PreviousEntry(line, orjson.loads(line))
        self._ordered = None

    @property
    def _place(self) -> tuple[bytes, ...]:
        """Return the current entry's place in scan order."""
        if self._ordered is None:
            assert self._current is not None
            path = self._current.row.get("path")
            self._ordered = order(
                path.encode() if path is not None else from_line(self._current.line).path
            )
        return self._ordered

    def find(self, entry: Entry) -> PreviousEntry | None:
        """Return the entry of the same path, if there was one; entries must be asked for in scan
        order.
        """
        if entry.kind != self._kind:
            self._begin(entry.kind)
        found = self._at(order(entry.path))
        return found if found is not None and found.row["type"] == entry.type else None

    def _at(self, place: tuple[bytes, ...]) -> PreviousEntry | None:
        """Go on to a place among the entries of the kind."""
        while (
            self._current is not None
            and self._current.row["kind"] == self._kind
            and self._place < place
        ):
            self._take()
        found = self._current
        if found is None or found.row["kind"] != self._kind or self._place != place:
            return None
        return found

    def same(self, entry: Entry) -> PreviousEntry | None:
        """Return the entry of the same path when it is unchanged and its bytes are good."""
        found = self.find(entry)
        if found is None:
            return None
        if entry.type != FILE:
            return found if found.describes(entry) and _same_special(entry, found.row) else None
        if not self._unchanged(entry, found.row) or self._is_damaged(found.row):
            return None
        return found

    @contextmanager
    def another_pass(self) -> Iterator[PreviousIndex]:
        """Provide a second index over the same listing, for another scan."""
        index = PreviousIndex(self._path, self._unchanged, self._spool, self._damaged)
        try:
            yield index
        finally:
            index.close()

    def same_entry(self, entry: Entry) -> PreviousEntry | None:
        """Return the entry of the same path whose state is completely unchanged, so that it needs
        no reading: not even of attributes, which ``entry`` lacks.
        """
        found = self.find(entry)
        if found is None or not entry.ctime_ns or entry.links != 1:
            return None
        same = found.row.get("size", 0) == entry.size and found.has_state_of(entry)
        return found if same and not self._is_damaged(found.row) else None

    def _is_damaged(self, row: dict[str, Any]) -> bool:
        """Return whether some of an entry's bytes are in a damaged piece."""
        return bool(self._damaged) and any(at[0] in self._damaged for at in row.get("at", ()))

    def same_state(self, kind: str, path: bytes, info: os.stat_result) -> PreviousEntry | None:
        """Return the entry of a plain file whose state is completely unchanged.

        A shorter way to what :meth:`same` says, for the many files of a night on which nothing
        changed: a file that was only looked at need not be described again.
        """
        if kind != self._kind:
            self._begin(kind)
        current = self._current
        if current is None:
            return None
        row = current.row
        try:
            if row.get("path") != path.decode():
                current = self._at(order(path))
                if current is None:
                    return None
                row = current.row
        except UnicodeDecodeError:
            return None
        same = (
            row["type"] == FILE
            and row["kind"] == kind
            and row["size"] == info.st_size
            and row["mtime_ns"] == info.st_mtime_ns
            and row.get("ctime_ns") == info.st_ctime_ns
            and row.get("inode") == info.st_ino
            and row["device"] == info.st_dev
            and row["uid"] == info.st_uid
            and row["gid"] == info.st_gid
            and int(row["mode"], 8) == stat.S_IMODE(info.st_mode)
            # Other names of the file, and where it lay, are for the longer way.
            and "link" not in row
            and "origin" not in row
        )
        if not same or self._is_damaged(row):
            return None
        return current

    def holding(self, kind: str, digest: str, size: int) -> list[Extent] | None:
        """Return where the previous bundle holds contents of a digest, among its files or among all
        else.
        """
        return self._indexed(kind).get(digest, size) if size else None

    def may_hold(self, kind: str, size: int) -> bool:
        """Return whether it holds a large file of that size at all, so that reading it twice may
        pay.
        """
        return size in self._indexed(kind).large

    def _indexed(self, kind: str) -> _DigestIndex:
        # Apart, since members of dumps are asked for every night, and files only when some changed.
        of_files = kind == "files"
        if of_files not in self._indexes:
            self._indexes[of_files] = _DigestIndex(self._path, self._spool, self._damaged, of_files)
        return self._indexes[of_files]


def _same_special(entry: Entry, row: dict[str, Any]) -> bool:
    if entry.target is not None:
        with suppress(UnicodeDecodeError):
            return bool(row.get("target") == entry.target.decode())
        return False
    return tuple(row.get("rdev", (0, 0))) == entry.rdev


class _DigestIndex:
    """Contents by digest: a hash table in a file, so that a million files need little memory."""

    def __init__(self, listing: Path, spool: Path, damaged: frozenset[str], of_files: bool) -> None:
        self.large: set[int] = set()
        #: Entries spread over several pieces: rare, and large.
        self._spread: dict[bytes, list[Extent]] = {}
        self._pieces: list[str] = []
        count = 0
        with listing.open("rb") as raw:
            for line in read_lines(raw):
                count += line.startswith(OF_FILES) == of_files and b'"blake3"' in line
        # Half as many again: what is mapped counts as memory.
        self._slots = count * 3 // 2 + 256
        self._file = (spool / "digests").open("w+b")
        self._file.truncate(self._slots * _SLOT.size)
        self._map = mmap.mmap(self._file.fileno(), 0)
        (spool / "digests").unlink()
        numbers: dict[str, int] = {}
        with listing.open("rb") as raw:
            for line in read_lines(raw):
                if line.startswith(OF_FILES) != of_files:
                    continue
                row = orjson.loads(line)
                at = row.get("at", ())
                if not at or any(part[0] in damaged for part in at):
                    continue
                if len(at) > 1:
                    self.large.add(row["size"])
                    self._spread[bytes.fromhex(row["blake3"])] = [Extent(*part) for part in at]
                    continue
                piece, frame, length, offset, size = at[0]
                number = numbers.get(piece)
                if number is None:
                    number = numbers[piece] = len(self._pieces)
                    self._pieces.append(piece)
                if size > LARGE:
                    self.large.add(size)
                self._put(bytes.fromhex(row["blake3"])[:16], number, frame, length, offset, size)

    def _put(self, digest: bytes, *where: int) -> None:
        slot = int.from_bytes(digest[:8], "little") % self._slots
        while (there := self._map[slot * _SLOT.size : slot * _SLOT.size + 16]) != _EMPTY:
            if there == digest:
                return
            slot = (slot + 1) % self._slots
        _SLOT.pack_into(self._map, slot * _SLOT.size, digest, *where)

    def get(self, hexadecimal: str, size: int) -> list[Extent] | None:
        whole = bytes.fromhex(hexadecimal)
        if whole in self._spread:
            return self._spread[whole]
        digest = whole[:16]
        slot = int.from_bytes(digest[:8], "little") % self._slots
        while (there := self._map[slot * _SLOT.size : slot * _SLOT.size + 16]) != _EMPTY:
            if there == digest:
                _, piece, frame, length, offset, held = _SLOT.unpack_from(
                    self._map, slot * _SLOT.size
                )
                return (
                    [Extent(self._pieces[piece], frame, length, offset, held)]
                    if held == size
                    else None
                )
            slot = (slot + 1) % self._slots
        return None

    def close(self) -> None:
        self._map.close()
        self._file.close()
