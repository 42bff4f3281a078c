"""The listing: every entry of a bundle as zstd-compressed JSON lines, in scan order.

Written and read as a stream, so that a listing of millions of entries needs no
memory to speak of.
"""

from __future__ import annotations

import base64
import hashlib
import re
from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import Annotated, Any, BinaryIO, Literal, Protocol

import msgspec
import orjson
import zstandard
from msgspec import Meta, Struct

from ..errors import DamagedError
from .codecs import UNPACK_STEP, zstd_inflater
from .entry import (
    DIR,
    FILE,
    Entry,
    Extent,
)
from .inode_flags import NAMES
from .stat_block import StatBlock

_CHUNK = 256 * 1024
#: Bytes of lines that are packed together.
_LINES = 64 * 1024
#: Bytes of an attribute's name (``XATTR_NAME_MAX``).
_ATTRIBUTE_NAME = 255
#: More than the longest paths and the most attributes of an entry take.
MOST_LINE = 4 * 1024 * 1024
#: Seconds that every file system's times stay below.
_LAST_SECOND = 2**40
OF_FILES = b'{"kind":"files"'

_Id = Annotated[int, Meta(ge=0, le=2**32 - 1)]
_Size = Annotated[int, Meta(ge=0, le=2**63 - 1)]
#: The name of a user or group; longer ones exist on no system.
_Name = Annotated[str, Meta(max_length=256)]


def _put_path(row: dict[str, Any], key: str, value: bytes) -> None:
    try:
        row[key] = value.decode("utf-8")
    except UnicodeDecodeError:
        row[key + "_base64"] = base64.b64encode(value).decode()


def to_line(entry: Entry) -> bytes:
    """Return one line of the listing, with its newline."""
    row: dict[str, Any] = {"kind": entry.kind}
    _put_path(row, "path", entry.path)
    row["type"] = entry.type
    if entry.type == FILE:
        row["size"] = entry.size
    row["mode"] = f"{entry.mode:04o}"
    row["uid"], row["gid"] = entry.uid, entry.gid
    row["user"], row["group"] = entry.user, entry.group
    row["mtime_ns"] = entry.mtime_ns
    if entry.ctime_ns:
        row["ctime_ns"] = entry.ctime_ns
        row["inode"], row["device"] = entry.inode, entry.device
    if entry.target is not None:
        _put_path(row, "target", entry.target)
    if entry.link is not None:
        _put_path(row, "link", entry.link)
    if entry.origin is not None:
        _put_path(row, "origin", entry.origin)
    if entry.rdev != (0, 0):
        row["rdev"] = entry.rdev
    if entry.xattrs:
        row["xattrs"] = {k: base64.b64encode(v).decode() for k, v in entry.xattrs.items()}
    if entry.flags:
        row["flags"] = entry.flags
    if entry.digest:
        row["blake3"] = entry.digest
    if entry.parts:
        row["at"] = [[p.piece, p.frame, p.length, p.offset, p.size] for p in entry.parts]
    return orjson.dumps(row, option=orjson.OPT_APPEND_NEWLINE)


class _Row(Struct, gc=False):
    """A line as JSON: types and ranges are checked while reading."""

    kind: Literal["files", "databases", "mail", "system", "notes"]
    type: Literal["file", "dir", "symlink", "fifo", "char", "block"]
    mode: str
    uid: _Id
    gid: _Id
    user: _Name
    group: _Name
    mtime_ns: int
    path: str | None = None
    path_base64: str | None = None
    size: _Size = 0
    ctime_ns: int = 0
    inode: Annotated[int, Meta(ge=0)] = 0
    device: Annotated[int, Meta(ge=0)] = 0
    target: str | None = None
    target_base64: str | None = None
    link: str | None = None
    link_base64: str | None = None
    origin: str | None = None
    origin_base64: str | None = None
    rdev: tuple[_Id, _Id] = (0, 0)
    xattrs: dict[str, str] = {}
    flags: str = ""
    blake3: str = ""
    at: list[Extent] = []


_decode = msgspec.json.Decoder(_Row).decode


#: A path with a part that is no name, or with a NUL byte.
_leads_out = re.compile(rb"\0|(?:^|/)\.{0,2}(?:/|\Z)").search


def _bytes(text: str | None, encoded: str | None) -> bytes | None:
    if text is not None:
        return text.encode()
    return base64.b64decode(encoded, validate=True) if encoded is not None else None


def _inside(path: bytes) -> bytes:
    """Return a path that stays below its root; ``ValueError`` for any other."""
    if path and _leads_out(path):
        raise ValueError("its path leads out of its folder")
    return path


def _own_path(row: _Row) -> bytes:
    path = _bytes(row.path, row.path_base64)
    if path is None:
        raise ValueError("it has no path")
    return _inside(path)


def _other_path(text: str | None, encoded: str | None) -> bytes | None:
    path = _bytes(text, encoded)
    return path if path is None else _inside(path)


def _time(ns: int) -> int:
    if abs(ns) >= _LAST_SECOND * 1_000_000_000:
        raise ValueError("its time is none")
    return ns


def _attribute(name: str) -> str:
    if not 0 < len(name.encode()) <= _ATTRIBUTE_NAME or "\0" in name:
        raise ValueError("it has an attribute that cannot be called so")
    return name


def _flags(names: str) -> str:
    if names and not NAMES.keys() >= set(names.split(",")):
        raise ValueError("it has flags that are not known")
    return names


def _link_target(path: bytes | None) -> bytes | None:
    if path is not None and b"\0" in path:
        raise ValueError("its target has a NUL byte")
    return path


def _parts(row: _Row) -> list[Extent]:
    total = 0
    for part in row.at:
        if "/" in part.piece or not part.piece:
            raise ValueError("it names a piece outside its own folder")
        total += part.size
    if row.at and row.type == FILE and total != row.size:
        raise ValueError("the lengths of its parts do not add up")
    return row.at


def from_line(line: bytes) -> Entry:
    """Return the entry of one line. Raises :class:`DamagedError` for what is none: a value of
    another type, a size below zero, a path or a piece that leads out of its folder.
    """
    try:
        row = _decode(line)
        mode = int(row.mode, 8)
        if not 0 <= mode <= 0o7777:
            raise ValueError("its mode is none")
        return Entry(
            kind=row.kind,
            path=_own_path(row),
            type=row.type,
            size=row.size,
            mode=mode,
            uid=row.uid,
            gid=row.gid,
            user=row.user,
            group=row.group,
            mtime_ns=_time(row.mtime_ns),
            ctime_ns=_time(row.ctime_ns),
            inode=row.inode,
            device=row.device,
            target=_link_target(_bytes(row.target, row.target_base64)),
            link=_other_path(row.link, row.link_base64),
            origin=_other_path(row.origin, row.origin_base64),
            rdev=row.rdev,
            xattrs={
                _attribute(k): base64.b64decode(v, validate=True) for k, v in row.xattrs.items()
            },
            digest=row.blake3,
            flags=_flags(row.flags),
            parts=_parts(row),
        )
    except (ValueError, RecursionError) as error:
        raise DamagedError(f"A line of the listing cannot be read: {error}.") from error


class ListingObserver(Protocol):
    """Takes note of each line of the files' listing."""

    def entry(self, entry: Entry, line: bytes) -> None:
        """Take an entry with its line."""

    def line(self, line: bytes) -> None:
        """Take the line of an entry that did not change."""

    def same(self, count: int) -> None:
        """Take a number of bytes of unchanged lines."""

    def run(self, run: StatBlock) -> None:
        """Take a run of unchanged entries."""


class ListingPrefix(Struct, frozen=True):
    """A listing that another may begin like: its file, its SHA-256, and the length of all its
    lines, in bytes.
    """

    path: Path
    sha256: str
    length: int


class ListingWriter:
    """Writes a listing to a file and keeps count of its bytes and SHA-256; ``noting`` hears of the
    files.

    ``before`` is the listing whose lines :meth:`same` copies.
    """

    def __init__(
        self,
        raw: BinaryIO,
        noting: ListingObserver | None = None,
        before: ListingPrefix | None = None,
    ) -> None:
        self._raw, self._noting, self._before = raw, noting, before
        self._writer = zstandard.ZstdCompressor(level=1, write_checksum=True).compressobj()
        self._hash = hashlib.sha256()
        self._lines = bytearray()
        self._same = 0
        self.bytes = 0
        #: Bytes of all lines.
        self.length = 0

    def _put(self, lines: bytes) -> None:
        if self._same:
            self._catch_up()
        self.length += len(lines)
        # Many at once: each time, the compressor gives the interpreter to other threads.
        self._lines += lines
        if len(self._lines) >= _LINES:
            self._pack()

    def _pack(self) -> None:
        lines, self._lines = self._lines, bytearray()
        self._write(self._writer.compress(lines))

    def _write(self, data: bytes) -> None:
        if data:
            self._raw.write(data)
            self._hash.update(data)
            self.bytes += len(data)

    def same(self, count: int, noted: int) -> None:
        """Begin with so many more bytes of the lines before, of which as many bytes were noted.

        They are unpacked and packed again only when something else follows: for as long as nothing
        changed, the listing before is a copy of the whole.
        """
        self._same += count
        if self._noting is not None:
            self._noting.same(noted)

    def note(self, run: StatBlock) -> None:
        """Note a run whose lines were added."""
        if self._noting is not None:
            self._noting.run(run)

    def _catch_up(self) -> None:
        assert self._before is not None
        left, self._same = self._same, 0
        inflater = zstd_inflater()
        try:
            with self._before.path.open("rb") as raw:
                while left and (chunk := raw.read(_CHUNK)):
                    lines = inflater.decompress(chunk)[:left]
                    left -= len(lines)
                    self._put(lines)
        except zstandard.ZstdError as error:
            raise DamagedError(f"The listing is damaged: {error}.") from error
        if left:
            raise DamagedError("The listing ends too early.")

    def add(self, entry: Entry) -> None:
        """Write the line of an entry."""
        line = to_line(entry)
        if self._noting is not None and entry.kind == "files":
            self._noting.entry(entry, line)
        self._put(line)

    def add_line(self, line: bytes) -> None:
        """Add an entry by its line, newline included."""
        if self._noting is not None and line.startswith(OF_FILES):
            self._noting.line(line)
        self._put(line)

    def add_lines(self, lines: bytes) -> None:
        """Add entries of which nobody needs to hear."""
        if lines:
            self._put(lines)

    def close(self) -> str:
        """Finish the file and give its SHA-256."""
        if self._before is not None and self._same == self._before.length:
            self._copy(self._before)
        else:
            if self._same:
                self._catch_up()
            self._pack()
            self._write(self._writer.flush())
        self._raw.flush()
        return self._hash.hexdigest()

    def _copy(self, before: ListingPrefix) -> None:
        self.length = before.length
        with before.path.open("rb") as raw:
            while chunk := raw.read(_CHUNK):
                self._write(chunk)
        if self._hash.hexdigest() != before.sha256:
            raise DamagedError("The listing was altered while it was copied.")


def read_lines(raw: BinaryIO) -> Iterator[bytes]:
    """Yield the lines of a listing, each without its newline, as a stream.

    A listing that was cut short or altered raises :class:`DamagedError`, and so does one with a
    line longer than any entry makes.
    """
    rest = b""
    for more in unpacked(raw):
        lines = (rest + more).split(b"\n")
        rest = lines.pop()
        if len(rest) > MOST_LINE:
            raise DamagedError(f"A line of the listing has more than {MOST_LINE:,} bytes.")
        yield from lines
    if rest:
        raise DamagedError("The listing ends too early.")


def unpacked(raw: BinaryIO) -> Iterator[bytes]:
    """Yield the text of a listing as a stream. Raises :class:`DamagedError`."""
    inflater = zstd_inflater()
    try:
        while chunk := raw.read(_CHUNK):
            # Little by little: what it unpacks to has no bounds.
            for start in range(0, len(chunk), UNPACK_STEP):
                if inflater.eof:
                    raise DamagedError("The listing has text after its end.")
                yield inflater.decompress(chunk[start : start + UNPACK_STEP])
    except zstandard.ZstdError as error:
        raise DamagedError(f"The listing is damaged: {error}.") from error
    if not inflater.eof:
        raise DamagedError("The listing ends too early.")
    if inflater.unused_data:
        raise DamagedError("The listing has text after its end.")


def read_listing(raw: BinaryIO, kinds: Iterable[str] = ()) -> Iterator[Entry]:
    """Return the entries of a listing, all or of some kinds, as a stream; :class:`DamagedError` as
    with :func:`read_lines`.
    """
    lines = read_lines(raw)
    if wanted := tuple(b'{"kind":"%s"' % kind.encode() for kind in kinds):
        # Before they are taken apart, which costs much more.
        lines = (line for line in lines if line.startswith(wanted))
    return map(from_line, lines)


def linked_to(raw: BinaryIO) -> set[tuple[str, bytes]]:
    """Kind and path of the entries that hard links of a listing lead to."""
    rows = map(from_line, filter(_names_a_link, read_lines(raw)))
    return {(entry.kind, entry.link) for entry in rows if entry.link is not None}


def _names_a_link(line: bytes) -> bool:
    return b'"link":' in line or b'"link_base64":' in line


def children(
    entries: Iterator[Entry], kind: str, folder: bytes
) -> Iterator[tuple[Entry, int, int]]:
    """Yield the entries directly in a folder, each with the files and bytes at or below it.

    A folder's numbers cover everything in it. Folders without an entry (as in a database's members)
    are synthesized. Works in one pass over scan order.
    """
    prefix = folder + b"/" if folder else b""
    current: Entry | None = None
    files = total = 0
    for entry in entries:
        if entry.kind != kind or not entry.path.startswith(prefix) or entry.path == folder:
            continue
        name, _, below = entry.path[len(prefix) :].partition(b"/")
        path = prefix + name
        if current is None or current.path != path:
            if current is not None:
                yield current, files, total
            current = entry if not below else Entry(kind, path, DIR, mode=0o755)
            files = total = 0
        if entry.type == FILE:
            files += 1
            total += entry.size
    if current is not None:
        yield current, files, total
