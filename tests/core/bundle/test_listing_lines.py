"""Lines of a listing: written, read, and refused."""

from __future__ import annotations

import base64
import hashlib
import io
import json
from pathlib import Path
from typing import Any

import pytest
import zstandard

from fasciculus.core.bundle.entry import CHAR, DIR, SYMLINK, Entry, Extent
from fasciculus.core.bundle.listing import (
    ListingPrefix,
    ListingWriter,
    children,
    from_line,
    linked_to,
    read_lines,
    read_listing,
    to_line,
)
from fasciculus.core.errors import DamagedError

PLAIN = Entry(
    "files",
    b"site/index.html",
    size=12,
    mode=0o640,
    uid=1000,
    gid=33,
    user="millpond",
    group="www-data",
    mtime_ns=1_790_000_000_123_456_789,
    ctime_ns=5,
    inode=7,
    device=8,
    digest="ab" * 32,
    parts=[Extent("p1", 0, 90, 12, 5), Extent("p2", 100, 90, 0, 7)],
)


def row(entry: Entry) -> dict[Any, Any]:
    return json.loads(to_line(entry))


def test_a_line_says_what_the_format_says() -> None:
    assert row(PLAIN) == {
        "kind": "files",
        "path": "site/index.html",
        "type": "file",
        "size": 12,
        "mode": "0640",
        "uid": 1000,
        "gid": 33,
        "user": "millpond",
        "group": "www-data",
        "mtime_ns": 1_790_000_000_123_456_789,
        "ctime_ns": 5,
        "inode": 7,
        "device": 8,
        "blake3": "ab" * 32,
        "at": [["p1", 0, 90, 12, 5], ["p2", 100, 90, 0, 7]],
    }
    assert to_line(PLAIN).endswith(b"}\n")


@pytest.mark.parametrize(
    "entry",
    [
        PLAIN,
        Entry("files", b""),
        Entry("files", b"caf\xe9", DIR, mode=0o1777),
        Entry("files", b"l", SYMLINK, target=b"caf\xe9"),
        Entry("files", b"l", SYMLINK, target=b""),
        Entry("files", b"h", link=b"site/index.html"),
        Entry("files", b"h", link=b"caf\xe9"),
        Entry("files", b"d", CHAR, rdev=(5, 1)),
        Entry("files", b"x", xattrs={"user.note": b"\0\xff=\n", "user.empty": b""}),
        Entry("databases", b"shop/data.sql", origin=b"site/data/shop.db"),
        Entry("files", b"old", mtime_ns=-(2**62)),
    ],
)
def test_a_line_comes_back(entry: Entry) -> None:
    assert from_line(to_line(entry)) == entry


def test_what_is_usual_takes_no_room() -> None:
    assert not {"target", "link", "origin", "rdev", "xattrs", "blake3", "at", "inode"} & set(
        row(Entry("files", b"x"))
    )
    assert "size" not in row(Entry("files", b"x", DIR, size=4096))


@pytest.mark.parametrize(
    "change",
    [
        {"path": None},
        {"kind": None},
        {"type": None},
        {"mode": None},
        {"mode": "rw-r--r--"},
        {"mode": 420},
        {"xattrs": {"user.a": "not base64!"}},
        {"xattrs": ["user.a"]},
        {"at": [["p", 0]]},
        {"at": 7},
        {"rdev": 7},
        {"rdev": [1, 2, 3]},
        {"kind": "pictures"},
        {"type": "socket"},
        {"mode": "0100644"},
        {"mode": "-0644"},
        {"size": -1},
        {"size": "12"},
        {"size": 1.5},
        {"size": 2**63},
        {"uid": -1},
        {"gid": 2**32},
        {"user": 7},
        {"mtime_ns": "now"},
        {"inode": -1},
        {"path": "../x"},
        {"path": "a/../../x"},
        {"path": "/etc/passwd"},
        {"path": "a//b"},
        {"path": "a/"},
        {"path": "./a"},
        {"path": "a\0b"},
        {"link": "../x"},
        {"origin": "/etc"},
        {"link_base64": "not base64!"},
        {"at": [["../p", 0, 1, 0, 1]]},
        {"at": [["", 0, 1, 0, 1]]},
        {"at": [["p", -1, 1, 0, 1]]},
        {"at": [["p", 0, 1, 0, -1]]},
        {"at": [[7, 0, 1, 0, 1]]},
    ],
)
def test_a_line_that_is_none_is_damage(change: dict[Any, Any]) -> None:
    (name, value), *_ = change.items()
    found = {**row(PLAIN), name: value}
    if value is None:
        del found[name]
    with pytest.raises(DamagedError, match="cannot be read"):
        from_line(json.dumps(found).encode())


@pytest.mark.parametrize("line", [b"", b"{", b"[]", b"null", b"7", b'"text"'])
def test_what_is_no_line_is_damage(line: bytes) -> None:
    with pytest.raises(DamagedError):
        from_line(line)


def written(entries: list[Any], **more: Any) -> Any:
    raw = io.BytesIO()
    writer = ListingWriter(raw, **more)
    for entry in entries:
        writer.add(entry)
    digest = writer.close()
    assert digest == hashlib.sha256(raw.getvalue()).hexdigest()
    assert writer.bytes == len(raw.getvalue())
    return raw.getvalue(), writer.length


ENTRIES = [Entry("files", b"%05d" % number) for number in range(3000)]


def test_a_listing_is_a_stream_of_lines() -> None:
    raw, length = written(ENTRIES)
    lines = list(read_lines(io.BytesIO(raw)))
    assert len(lines) == 3000 and sum(len(line) + 1 for line in lines) == length
    assert list(read_listing(io.BytesIO(raw))) == ENTRIES
    assert written([])[1] == 0 and list(read_listing(io.BytesIO(written([])[0]))) == []


def test_a_listing_cut_short_altered_or_gone_on_with_is_damage() -> None:
    raw, _ = written(ENTRIES)
    for bad in (raw[:-1], raw[: len(raw) // 2], raw[:-4] + b"\0\0\0\0", b"", b"not a listing"):
        with pytest.raises(DamagedError):
            list(read_lines(io.BytesIO(bad)))
    far = raw + bytes(300 * 1024)
    with pytest.raises(DamagedError, match="after its end"):
        list(read_lines(io.BytesIO(raw + b"\0" * (256 * 1024 - len(raw)) + far)))


def test_a_listing_without_a_last_newline_ends_too_early() -> None:
    raw = zstandard.ZstdCompressor().compress(to_line(PLAIN).rstrip(b"\n"))
    with pytest.raises(DamagedError, match="ends too early"):
        list(read_lines(io.BytesIO(raw)))


def test_entries_of_some_kinds() -> None:
    mixed = [PLAIN, Entry("mail", b"m"), Entry("databases", b"d"), Entry("files", b"z")]
    raw, _ = written(mixed)

    def paths(*kinds: Any) -> Any:
        return [entry.path for entry in read_listing(io.BytesIO(raw), kinds)]

    assert paths("mail") == [b"m"] and paths("files") == [PLAIN.path, b"z"]
    assert paths("databases", "mail") == [b"m", b"d"] and len(paths()) == 4
    assert paths("fil") == []


def test_what_hard_links_lead_to() -> None:
    linked = [
        PLAIN,
        Entry("files", b"h", link=b"caf\xe9"),
        Entry("mail", b"h", link=b"m"),
        Entry("files", b'"link":', DIR),
    ]
    raw, _ = written(linked)
    assert linked_to(io.BytesIO(raw)) == {("files", b"caf\xe9"), ("mail", b"m")}


class Notes:
    """Records its calls."""

    def __init__(self) -> None:
        self.told = []

    def entry(self, entry: Entry, line: bytes) -> None:
        self.told.append(("entry", entry.path))

    def line(self, line: bytes) -> None:
        self.told.append(("line", line))

    def same(self, count: Any) -> None:
        self.told.append(("same", count))


def test_who_notes_hears_of_files_alone() -> None:
    notes = Notes()
    writer = ListingWriter(io.BytesIO(), noting=notes)
    writer.add(PLAIN)
    writer.add(Entry("mail", b"m"))
    writer.add_line(to_line(Entry("files", b"z")))
    writer.add_line(to_line(Entry("mail", b"n")))
    writer.close()
    assert [what for what, _ in notes.told] == ["entry", "line"]


@pytest.fixture
def before(tmp_path: Path) -> Any:
    """A listing that another may begin like."""
    raw, length = written(ENTRIES)
    path = tmp_path / "before.zst"
    path.write_bytes(raw)
    return ListingPrefix(path, hashlib.sha256(raw).hexdigest(), length)


def test_a_listing_that_is_wholly_the_same_is_a_copy(before: Any) -> None:
    raw = io.BytesIO()
    writer = ListingWriter(raw, before=before)
    writer.same(before.length, 0)
    assert writer.close() == before.sha256 and raw.getvalue() == before.path.read_bytes()
    assert writer.length == before.length


@pytest.mark.parametrize("share", [1, 700, 2999, 3000])
def test_a_listing_may_begin_like_another_and_go_on(before: Any, share: Any) -> None:
    begun = sum(len(to_line(entry)) for entry in ENTRIES[:share])
    raw = io.BytesIO()
    writer = ListingWriter(raw, before=before)
    writer.same(begun, 0)
    writer.add(PLAIN)
    writer.close()
    assert list(read_listing(io.BytesIO(raw.getvalue()))) == [*ENTRIES[:share], PLAIN]


def test_a_part_that_is_the_same_is_written_also_when_nothing_follows(before: Any) -> None:
    begun = sum(len(to_line(entry)) for entry in ENTRIES[:10])
    raw = io.BytesIO()
    writer = ListingWriter(raw, before=before)
    writer.same(begun, 0)
    writer.close()
    assert list(read_listing(io.BytesIO(raw.getvalue()))) == ENTRIES[:10]


def test_more_of_the_listing_before_than_there_is_is_damage(before: Any) -> None:
    writer = ListingWriter(io.BytesIO(), before=before)
    writer.same(before.length + 1, 0)
    with pytest.raises(DamagedError, match="ends too early"):
        writer.add(PLAIN)


def test_a_listing_that_changed_meanwhile_is_not_copied(before: Any) -> None:
    before.path.write_bytes(written(ENTRIES[:-1])[0])
    writer = ListingWriter(io.BytesIO(), before=before)
    writer.same(before.length, 0)
    with pytest.raises(DamagedError, match="altered while it was copied"):
        writer.close()


def test_children_of_a_folder_count_all_below() -> None:
    entries = [
        Entry("files", b"", DIR),
        Entry("files", b"a", DIR),
        Entry("files", b"a/b", DIR),
        Entry("files", b"a/b/x", size=3),
        Entry("files", b"a/b/y", size=4),
        Entry("files", b"a/c", size=5),
        Entry("files", b"ab", size=6),
        Entry("databases", b"shop/data.sql", size=7),
    ]

    def below(kind: str, folder: bytes) -> list[Any]:
        return [(e.path, e.type, n, s) for e, n, s in children(iter(entries), kind, folder)]

    assert below("files", b"") == [(b"a", "dir", 3, 12), (b"ab", "file", 1, 6)]
    assert below("files", b"a") == [(b"a/b", "dir", 2, 7), (b"a/c", "file", 1, 5)]
    assert below("databases", b"") == [(b"shop", "dir", 1, 7)], "a folder that has no entry"
    assert below("mail", b"") == [] and below("files", b"none") == []


def test_values_are_base64_of_the_standard_alphabet() -> None:
    value = bytes(range(256))
    assert row(Entry("files", b"x", xattrs={"user.a": value}))["xattrs"]["user.a"] == (
        base64.b64encode(value).decode()
    )
