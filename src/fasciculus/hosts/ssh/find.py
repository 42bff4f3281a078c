"""A tree of another host from one ``find -printf``, brought into scan order within bounded
memory.
"""

from __future__ import annotations

import base64
import heapq
import json
import struct
import tempfile
from collections.abc import Iterable, Iterator
from itertools import chain
from pathlib import Path
from typing import BinaryIO

from ...core.bundle.entry import BLOCK, CHAR, DIR, FIFO, FILE, SYMLINK, Entry
from ...core.bundle.tree.tree_walk import WalkRules, Warn, is_utf8
from ...core.errors import FasciculusError
from ...core.file_filters import ON_THE_WAY
from ..base import TreeName

#: One record an entry: fields end with NUL, which no name can hold. Times have ten digits of
#: fraction.
_FIELDS = ("%y", "%s", "%m", "%U", "%G", "%u", "%g", "%T@", "%C@", "%i", "%D", "%n", "%l", "%P")
FORMAT = "".join(field + r"\0" for field in _FIELDS)
_COUNT = len(_FIELDS)
_TYPES = {b"f": FILE, b"d": DIR, b"l": SYMLINK, b"p": FIFO, b"c": CHAR, b"b": BLOCK}
_HELD = 100_000
_HEAD = 100
_LENGTH = struct.Struct("<I")

Record = list[bytes]


def records(chunks: Iterable[bytes], count: int = _COUNT) -> Iterator[Record]:
    """Yield the records of ``find``, as they come; ``count`` is how many fields each has."""
    rest = b""
    fields: list[bytes] = []
    for chunk in chunks:
        parts = (rest + chunk).split(b"\0")
        rest = parts.pop()
        fields += parts
        whole = len(fields) // count * count
        for start in range(0, whole, count):
            yield fields[start : start + count]
        fields = fields[whole:]
    if rest or fields:
        raise FasciculusError("The scan of the host was interrupted.", "Start again.")


def first_line(chunks: Iterator[bytes]) -> tuple[bytes, Iterator[bytes]]:
    """Return a short first line and all that follows it."""
    head = b""
    while b"\n" not in head and len(head) < _HEAD and (chunk := next(chunks, b"")):
        head += chunk
    line, _, rest = head.partition(b"\n")
    return line.strip(), chain((rest,), chunks)


def key(record: Record) -> bytes:
    """Scan order: a folder directly before what is in it."""
    return record[-1].replace(b"/", b"\0")


def _write(sink: BinaryIO, record: Record) -> None:
    data = b"\0".join(record)
    sink.write(_LENGTH.pack(len(data)))
    sink.write(data)


def read_records(source: BinaryIO) -> Iterator[Record]:
    """Yield the spooled records."""
    while head := source.read(4):
        yield source.read(_LENGTH.unpack(head)[0]).split(b"\0")


class RecordSorter:
    """Records sorted on disk where they are many. To be used in a ``with`` statement."""

    def __init__(self, spool: Path) -> None:
        self._spool = spool
        self._runs: list[BinaryIO] = []

    def __enter__(self) -> RecordSorter:
        return self

    def __exit__(self, *_: object) -> None:
        for run in self._runs:
            run.close()

    def sort(self, found: Iterator[Record]) -> Iterator[Record]:
        """Yield records in scan order."""
        held: list[Record] = []
        for record in found:
            held.append(record)
            if len(held) >= _HELD:
                self._spill(held)
                held = []
        held.sort(key=key)
        if not self._runs:
            return iter(held)
        return heapq.merge(*map(read_records, self._runs), held, key=key)

    def _spill(self, held: list[Record]) -> None:
        held.sort(key=key)
        run = tempfile.TemporaryFile(dir=self._spool)  # noqa: SIM115  closed at the end of all
        for record in held:
            _write(run, record)
        run.seek(0)
        self._runs.append(run)


def _ns(text: bytes) -> int:
    """Nanoseconds of a time such as ``1700000000.1234567890``."""
    seconds, _, fraction = text.partition(b".")
    return int(seconds) * 1_000_000_000 + int(fraction[:9].ljust(9, b"0") or 0)


def _name(name: bytes, number: bytes) -> str:
    # Where a number has no name, find shows the number.
    return "" if name == number else name.decode("utf-8", "replace")


def entry_of(record: Record) -> Entry | None:
    """Return the entry of a record; None for what tar cannot hold (a socket)."""
    type_ = _TYPES.get(record[0])
    if type_ is None:
        return None
    more = json.loads(record[13]) if len(record) > _COUNT and record[13] else {}
    xattrs = {key: base64.b64decode(value) for key, value in more.get("xattrs", {}).items()}
    major, minor = more.get("rdev") or (0, 0)
    return Entry(
        kind="files",
        path=record[-1],
        type=type_,
        size=int(record[1]) if type_ == FILE else 0,
        mode=int(record[2], 8),
        uid=int(record[3]),
        gid=int(record[4]),
        user=_name(record[5], record[3]),
        group=_name(record[6], record[4]),
        mtime_ns=_ns(record[7]),
        ctime_ns=_ns(record[8]),
        inode=int(record[9]),
        device=int(record[10]),
        target=record[12] if type_ == SYMLINK else None,
        links=int(record[11]) if type_ == FILE else 1,
        xattrs={key: value for key, value in xattrs.items() if is_utf8(key)},
        flags=more.get("flags", ""),
        rdev=(major, minor),
    )


def seen(record: Record) -> TreeName:
    """Return the data of a record."""
    return TreeName(
        record[13],
        record[0] == b"d",
        record[0] == b"f",
        int(record[1]),
        _ns(record[7]),
        int(record[10]),
    )


class FolderMarks:
    """Files that the chooser needs: cache tags and ignore files."""

    def __init__(self) -> None:
        self.tags: dict[bytes, bytes] = {}
        self.ignores: dict[bytes, str] = {}


def choose(
    found: Iterator[Record], chosen: WalkRules, marks: FolderMarks, warn: Warn
) -> Iterator[Record]:
    """Yield the records that go in, in scan order, as the walk of a local tree would
    choose them.
    """
    chooser, skipped = chosen.chooser, b""
    device: bytes | None = None
    owed: list[Record] = []
    for record in found:
        path = record[-1]
        if not path:
            device = record[10]
            if chooser is not None:
                _enter(chosen, marks, path)
            yield record
            continue
        if skipped and path.startswith(skipped):
            continue
        is_dir, is_file = record[0] == b"d", record[0] == b"f"
        if path in chosen.excluded:
            skipped = path + b"/"
            continue
        if record[0] not in _TYPES:
            warn(
                f"{path.decode('utf-8', 'backslashreplace')}: a socket, left out "
                "(it has no contents to keep)"
            )
            continue
        if chooser is not None:
            verdict = chosen.judge(path, is_dir, is_file, int(record[1]), _ns(record[7]))
            if verdict and verdict != ON_THE_WAY:
                skipped = path + b"/"
                continue
            owed = [above for above in owed if path.startswith(above[-1] + b"/")]
            if is_dir:
                _enter(chosen, marks, path)
            if verdict == ON_THE_WAY:
                owed.append(record)
                continue
            yield from owed
            owed = []
        yield record
        if is_dir and chosen.one_file_system and record[10] != device:
            chosen.on_excluded(path, 0, "on another file system")
            skipped = path + b"/"


def _enter(chosen: WalkRules, marks: FolderMarks, path: bytes) -> None:
    assert chosen.chooser is not None
    if path in marks.tags or path in marks.ignores:
        chosen.chooser.enter(path, marks.tags.get(path), marks.ignores.get(path))


def spool(found: Iterator[Record], sink: BinaryIO) -> None:
    """Write records down, to be read twice."""
    for record in found:
        _write(sink, record)
    sink.seek(0)
