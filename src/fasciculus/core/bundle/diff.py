"""The difference of two listings of a subject: added, changed and removed entries."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import Any

import orjson
from msgspec import Struct

from .entry import DIR, order
from .listing import from_line
from .manifest import DiffCounts

NEW, CHANGED, GONE = "new", "changed", "gone"
_AT = b',"at":'
_RIGHTS = ("mode", "uid", "gid", "user", "group", "xattrs", "flags")
_CONTENTS = ("type", "blake3", "target", "target_base64", "rdev")


class Difference(Struct, frozen=True):
    """One entry that differs. ``what`` says whether contents or rights changed; sizes are in
    bytes.
    """

    kind: str
    path: bytes
    type: str
    state: str
    what: str = ""
    size: int = 0
    before: int = 0
    #: Of what is there afterwards: its digest or link target, and its time in ns since 1970.
    digest: str = ""
    mtime_ns: int = 0


class _Line(Struct):
    row: dict[str, Any]
    line: bytes
    place: tuple[bytes, ...]

    @property
    def path(self) -> bytes:
        return b"/".join(self.place)


def _parsed(line: bytes) -> _Line:
    row = orjson.loads(line)
    path = row["path"].encode() if "path" in row else from_line(line).path
    return _Line(row, line, order(path))


def without_place(line: bytes) -> bytes:
    """Return a line without where its bytes are: that differs between bundles though nothing
    changed.
    """
    end = line.rfind(_AT)
    return line if end < 0 else line[:end]


def differences(before: Iterable[bytes], after: Iterable[bytes]) -> Iterator[Difference]:
    """Yield what differs between the lines of two listings.

    Times do not count as differences, nor does the place of the bytes. Files are merged as streams,
    in scan order; the entries of other kinds, which are few, are held.
    """
    one, two = iter(before), iter(after)
    old, new = next(one, None), next(two, None)
    others_old: dict[tuple[str, bytes], _Line] = {}
    others_new: list[_Line] = []
    while old is not None or new is not None:
        if old == new or (
            old is not None and new is not None and without_place(old) == without_place(new)
        ):
            old, new = next(one, None), next(two, None)
            continue
        left = _parsed(old) if old is not None else None
        right = _parsed(new) if new is not None else None
        if left is not None and left.row["kind"] != "files":
            others_old[left.row["kind"], left.path] = left
            old = next(one, None)
        elif right is not None and right.row["kind"] != "files":
            others_new.append(right)
            new = next(two, None)
        elif right is None or (left is not None and left.place < right.place):
            assert left is not None
            yield _gone(left)
            old = next(one, None)
        elif left is None or right.place < left.place:
            yield _new(right)
            new = next(two, None)
        else:
            yield from _changed(left, right)
            old, new = next(one, None), next(two, None)
    for right in others_new:
        left = others_old.pop((right.row["kind"], right.path), None)
        if left is None:
            yield _new(right)
        else:
            yield from _changed(left, right)
    for left in others_old.values():
        yield _gone(left)


def _size(line: _Line) -> int:
    # Another name of a file adds no bytes.
    return 0 if "link" in line.row or "link_base64" in line.row else int(line.row.get("size", 0))


def _digest(row: dict[str, Any]) -> str:
    return str(row.get("blake3", row.get("target", "")))


def _time(row: dict[str, Any]) -> int:
    return int(row.get("mtime_ns", 0))


def _new(line: _Line) -> Difference:
    return Difference(
        line.row["kind"],
        line.path,
        line.row["type"],
        NEW,
        size=_size(line),
        digest=_digest(line.row),
        mtime_ns=_time(line.row),
    )


def _gone(line: _Line) -> Difference:
    return Difference(line.row["kind"], line.path, line.row["type"], GONE, before=_size(line))


def _changed(left: _Line, right: _Line) -> Iterator[Difference]:
    old, new = left.row, right.row
    what = [
        words
        for words, keys in (("contents", _CONTENTS), ("rights", _RIGHTS))
        if any(old.get(key) != new.get(key) for key in keys)
    ]
    # The owner of a database's members is whoever dumped it, so only their contents count.
    if new["kind"] == "databases":
        what = [words for words in what if words == "contents"]
    if what:
        yield Difference(
            new["kind"],
            right.path,
            new["type"],
            CHANGED,
            " and ".join(what),
            0 if new["type"] == DIR else _size(right),
            0 if old["type"] == DIR else _size(left),
            _digest(new),
            _time(new),
        )


def count(before: Iterable[bytes], after: Iterable[bytes]) -> DiffCounts:
    """Return how much differs between the lines of two listings."""
    counts = DiffCounts()
    for difference in differences(before, after):
        if difference.state == NEW:
            counts.new += 1
        elif difference.state == GONE:
            counts.gone += 1
        else:
            counts.changed += 1
        counts.grew += difference.size - difference.before
    return counts
