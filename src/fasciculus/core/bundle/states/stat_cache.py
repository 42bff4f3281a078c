"""The states of listed files, in binary next to a listing, so that an unchanged night is short.

Neither part of a bundle nor needed by anything: without it, or when it does not fit its listing,
every line of the listing is read instead. A *run* is a sequence of entries in one folder; a folder
itself is a run. Unchanged runs are copied from one night's file to the next, like their lines.
"""

from __future__ import annotations

import operator
import os
import queue
import stat
import struct
import threading
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from typing import IO, BinaryIO

import orjson
import zstandard

from ...errors import DamagedError
from ...native import library
from ..codecs import zstd_inflater
from ..entry import BLOCK, CHAR, DIR, FIFO, FILE, SYMLINK, Entry, order
from ..listing import from_line
from ..root_path import FOLDER_FLAGS
from ..stat_block import BLOCK_HEAD, FOLDER, PLAIN, SLOW, STATE, StatBlock, State

_MARK = b"fasciculus-states 2\n"
#: Of the listing: its SHA-256, and the length of all its lines; of the text that says what the
#: states are of.
_ABOUT = struct.Struct("<64sQI")
#: Enough bytes for the head of the file, and for that of a run with its length.
HEAD = 128
_LATEST = 2**63 - 1
_LONGEST = 2000
_CHUNK = 256 * 1024
_BUFFER = 1024 * 1024
_AHEAD = 3
_TYPES = {
    FILE: stat.S_IFREG,
    DIR: stat.S_IFDIR,
    SYMLINK: stat.S_IFLNK,
    FIFO: stat.S_IFIFO,
    CHAR: stat.S_IFCHR,
    BLOCK: stat.S_IFBLK,
}

#: The fields of an ``lstat`` that show whether a file is unchanged.
state_of: Callable[[os.stat_result], State] = operator.attrgetter(
    "st_mode",
    "st_ino",
    "st_dev",
    "st_nlink",
    "st_uid",
    "st_gid",
    "st_size",
    "st_mtime_ns",
    "st_ctime_ns",
)


def folder_state_of(info: os.stat_result) -> State:
    """Return the same of a folder, whose size and links say nothing."""
    return (
        info.st_mode,
        info.st_ino,
        info.st_dev,
        0,
        info.st_uid,
        info.st_gid,
        0,
        info.st_mtime_ns,
        info.st_ctime_ns,
    )


def unchanged_in(folder: int, run: StatBlock) -> bool:
    """Return whether the files of a run, in an open folder, are unchanged.

    The compiled function asks the system for each; without it, Python does.
    """
    native = library()
    if native is None:
        return unchanged_by_python(folder, run)
    names, states = run.joined, run.states
    return bool(native.states_unchanged(folder, names, len(names), states, len(states)))


def unchanged_by_python(folder: int, run: StatBlock) -> bool:
    """Return the same, much slower."""
    try:
        return run.unchanged(
            [state_of(_stat(name, dir_fd=folder, follow_symlinks=False)) for name in run.names]
        )
    except OSError:
        return False


def unchanged_below(root: bytes, run: StatBlock) -> bool:
    """Return the same by the path of the tree that the run is in."""
    try:
        # By the folder's descriptor, which spares the kernel the way to it for each name.
        folder = os.open(root + b"/" + run.folder if run.folder else root, FOLDER_FLAGS)
    except OSError:
        return False
    try:
        return unchanged_in(folder, run)
    finally:
        os.close(folder)


_stat = os.stat


def place_of_first(data: bytes) -> int:
    """Return the place of the first run in a file of states."""
    return len(_MARK) + _ABOUT.size + int(_ABOUT.unpack_from(data, len(_MARK))[2])


class StatCacheWriter:
    """Writes states in step with a listing. ``before`` has those that :meth:`same` copies."""

    def __init__(self, raw: BinaryIO, about: str, before: Path | None = None) -> None:
        self._raw, self._before = raw, before
        self._raw.write(_MARK + _ABOUT.pack(b"", 0, len(about.encode())) + about.encode())
        self._same = 0
        self._folder: bytes | None = None
        self._names: list[bytes] = []
        self._states: list[bytes] = []
        self._lines = self._bytes = 0
        self._used: dict[str, int] = {}

    def entry(self, entry: Entry, line: bytes) -> None:
        """Take an entry with its line."""
        folder, _, name = entry.path.rpartition(b"/")
        size = entry.size if entry.type == FILE else len(entry.target or b"")
        if entry.type == DIR:
            self._alone(FOLDER, folder, name, entry, 0, 0, line)
        elif (
            entry.link is not None
            or entry.links > 1
            or not entry.ctime_ns
            or entry.origin is not None
        ):
            self._alone(SLOW, folder, name, entry, 1, size, line)
        else:
            if folder != self._folder or len(self._names) >= _LONGEST:
                self._flush()
                self._folder = folder
            self._names.append(name)
            self._states.append(_packed(entry, 1, size))
            self._lines += len(line)
            if entry.type == FILE:
                self._bytes += entry.size
                for part in entry.parts:
                    self._used[part.piece] = self._used.get(part.piece, 0) + part.size

    def line(self, line: bytes) -> None:
        """Take a line that is unchanged from the previous listing, newline included."""
        entry = from_line(line)
        # The listing does not contain the number of links; entries on this path have one.
        self.entry(entry, line)

    def run(self, run: StatBlock) -> None:
        """Take a run of unchanged lines."""
        self._flush()
        self._put(struct.pack("<I", len(run.raw)) + run.raw)

    def same(self, count: int) -> None:
        """Begin with so many more bytes of the runs before."""
        self._same += count

    def _put(self, data: bytes) -> None:
        if self._same:
            self._catch_up()
        self._raw.write(data)

    def _catch_up(self) -> None:
        assert self._before is not None
        left, self._same = self._same, 0
        with self._before.open("rb") as raw:
            raw.seek(place_of_first(raw.read(len(_MARK) + _ABOUT.size)))
            while left:
                data = raw.read(min(left, _BUFFER))
                if not data:
                    raise DamagedError("The states of the previous bundle end too early.")
                self._raw.write(data)
                left -= len(data)

    def _alone(
        self,
        kind: int,
        folder: bytes,
        name: bytes,
        entry: Entry,
        links: int,
        size: int,
        line: bytes,
    ) -> None:
        self._flush()
        self._write(kind, folder, name, _packed(entry, links, size), len(line), b"[]", 1, 0)

    def _flush(self) -> None:
        if self._names:
            assert self._folder is not None
            self._write(
                PLAIN,
                self._folder,
                b"\0".join(self._names),
                b"".join(self._states),
                self._lines,
                orjson.dumps(list(self._used.items())),
                len(self._names),
                self._bytes,
            )
        self._folder = None
        self._names, self._states, self._used = [], [], {}
        self._lines = self._bytes = 0

    def _write(
        self,
        kind: int,
        folder: bytes,
        names: bytes,
        states: bytes,
        lines: int,
        text: bytes,
        entries: int,
        size: int,
    ) -> None:
        head = BLOCK_HEAD.pack(
            len(folder), len(names), len(states), lines, len(text), entries, size, kind
        )
        self._put(
            struct.pack("<I", len(head) + len(folder) + len(names) + len(states) + len(text))
            + head
            + folder
            + names
            + states
            + text
        )

    def close(self, listing_sha256: str, listing_length: int) -> None:
        """Finish the file: these are the states of the listing with that SHA-256 and that length of
        all lines.
        """
        self._flush()
        if self._same:
            self._catch_up()
        self._raw.seek(len(_MARK))
        self._raw.write(struct.pack("<64sQ", listing_sha256.encode(), listing_length))
        self._raw.flush()


def _packed(entry: Entry, links: int, size: int) -> bytes:
    return STATE.pack(
        _TYPES[entry.type] | entry.mode,
        entry.inode,
        entry.device,
        links,
        entry.uid,
        entry.gid,
        size,
        # Times outside the years 1677 to 2262 are no valid file times: such files are checked
        # again.
        max(-_LATEST, min(entry.mtime_ns, _LATEST)),
        entry.ctime_ns,
    )


def length_of_listing(path: Path, listing_sha256: str, about: str) -> int:
    """Return the length of all lines of that listing, if a file has its states, taken with the same
    rules; else 0.
    """
    try:
        with path.open("rb") as raw:
            if raw.read(len(_MARK)) != _MARK:
                return 0
            digest, length, size = _ABOUT.unpack(raw.read(_ABOUT.size))
            return (
                int(length)
                if digest == listing_sha256.encode() and raw.read(size) == about.encode()
                else 0
            )
    except (OSError, struct.error):
        return 0


class StatCache:
    """Reads states in parallel with the walk over a tree; entries must be sought in scan order."""

    def __init__(
        self, path: Path, listing: Path, known: Callable[[int], bool] = lambda number: False
    ) -> None:
        self._known, self._number = known, -1
        self._raw: IO[bytes] = path.open("rb", _BUFFER)
        self._raw.seek(place_of_first(self._raw.read(len(_MARK) + _ABOUT.size)))
        self._lines = _Lines(listing)
        self._behind = self._start = 0
        self._run: StatBlock | None = None
        self._next()

    def close(self) -> None:
        """Close it; harmless if it is closed already."""
        self._raw.close()
        self._lines.close()

    def _next(self) -> None:
        if self._run is not None:
            self._start += self._run.length
            if self._run._blob is None:
                self._behind += self._run.length
        self._number += 1
        length = self._raw.read(4)
        self._run = (
            StatBlock(self._raw.read(int.from_bytes(length, "little")), self._take, self._start)
            if length
            else None
        )

    def _take(self) -> bytes:
        assert self._run is not None
        self._lines.skip(self._behind)
        self._behind = 0
        return self._lines.read(self._run.length)

    def unchanged(self, folder: int) -> bool:
        """Return whether the present run, of files in an open folder, is completely unchanged."""
        run = self._run
        assert run is not None
        return self._known(self._number) or unchanged_in(folder, run)

    def seek(self, folder: bytes, name: bytes) -> StatBlock | None:
        """Return the run that holds an entry, if the listing has it."""
        place: tuple[bytes, ...] | None = None
        while (run := self._run) is not None:
            if run.folder == folder and run.names[0] <= name <= run.names[-1]:
                return run
            if place is None:
                place = order(folder + b"/" + name if folder else name)
            last = run.names[-1]
            if order(run.folder + b"/" + last if run.folder else last) >= place:
                return None
            self._next()
        return None


class _Lines:
    """The bytes of a listing as a stream that is read and skipped; unpacked ahead, in a thread."""

    def __init__(self, path: Path) -> None:
        self._path = path
        self._ahead: queue.Queue[bytes | DamagedError] = queue.Queue(_AHEAD)
        self._closing = False
        self._rest = memoryview(b"")
        self._thread: threading.Thread | None = None

    def close(self) -> None:
        self._closing = True
        with suppress(queue.Empty):
            while True:
                self._ahead.get_nowait()

    def _unpack(self) -> None:
        inflater = zstd_inflater()
        try:
            with self._path.open("rb") as raw:
                while (chunk := raw.read(_CHUNK)) and not self._closing:
                    self._hand(inflater.decompress(chunk))
            self._hand(DamagedError("The listing ends too early."))
        except (zstandard.ZstdError, OSError) as error:
            self._hand(DamagedError(f"The listing is damaged: {error}."))

    def _hand(self, data: bytes | DamagedError) -> None:
        while not self._closing:
            with suppress(queue.Full):
                self._ahead.put(data, timeout=0.5)
                return

    def _fill(self) -> None:
        if self._thread is None:
            self._thread = threading.Thread(target=self._unpack, name="listing", daemon=True)
            self._thread.start()
        data = self._ahead.get()
        if isinstance(data, DamagedError):
            raise data
        self._rest = memoryview(data)

    def skip(self, count: int) -> None:
        while count:
            if not self._rest:
                self._fill()
            step = min(count, len(self._rest))
            self._rest = self._rest[step:]
            count -= step

    def read(self, count: int) -> bytes:
        found = []
        while count:
            if not self._rest:
                self._fill()
            step = min(count, len(self._rest))
            found.append(self._rest[:step])
            self._rest = self._rest[step:]
            count -= step
        return b"".join(found)
