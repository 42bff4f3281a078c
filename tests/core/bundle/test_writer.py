"""Entries in, pieces and listing out: where pieces are cut, what is counted, what is taken over."""

from __future__ import annotations

import hashlib
import io
import os
import random
import tarfile
from io import BytesIO
from pathlib import Path
from typing import Any

import pytest
import zstandard

from fasciculus.core.bundle.codecs import codec
from fasciculus.core.bundle.entry import DIR, Entry, Extent
from fasciculus.core.bundle.listing import ListingWriter, read_listing, to_line
from fasciculus.core.bundle.manifest import PieceRecord
from fasciculus.core.bundle.reader import BundleReader
from fasciculus.core.bundle.writer import SMALLEST_PIECE, BundleWriter
from fasciculus.core.subject import Subject

SUBJECT = Subject("account", "millpond")
BUNDLE = "2026-11-24T021500Z-nightly"
MIB = 1024 * 1024
NOISE = random.Random(3).randbytes(3 * MIB)


class Room:
    """A spool for pieces that may fail when one is handed over."""

    def __init__(self, root: Path, breaks: bool = False) -> None:
        self.root, self.breaks, self.records = root / SUBJECT.pieces, breaks, []
        self.root.mkdir(parents=True)

    def take(self) -> Path:
        return self.root

    def put(self, path: Path, record: PieceRecord) -> None:
        if self.breaks:
            raise OSError(28, "No space left on device")
        assert path.stat().st_size == record.bytes
        assert hashlib.sha256(path.read_bytes()).hexdigest() == record.sha256
        self.records.append(record)


class Packing:
    """A writer with its room and its listing."""

    def __init__(
        self, root: Path, packing: str = "none", breaks: bool = False, **more: Any
    ) -> None:
        self.root, self.room, self.raw = root, Room(root, breaks), io.BytesIO()
        self.listing = ListingWriter(self.raw)
        fields = {"piece_size": 64 * MIB, "frame_size": 8 * MIB, **more}
        self.writer = BundleWriter(BUNDLE, codec(packing), self.room, self.listing, **fields)

    def end(self) -> list[Any]:
        pieces = self.writer.finish()
        self.listing.close()
        assert pieces == self.room.records
        return pieces

    @property
    def entries(self) -> list[Any]:
        return list(read_listing(io.BytesIO(self.raw.getvalue())))

    def open(self, path: str, offset: int = 0, length: Any = None) -> BytesIO:
        with (self.root / path).open("rb") as file:
            file.seek(offset)
            return io.BytesIO(file.read() if length is None else file.read(length))

    def contents(self, entry: Entry) -> bytes:
        with BundleReader(self, SUBJECT) as reader:
            return b"".join(reader.contents(entry))


def file(path: bytes, size: int = 0, kind: str = "files") -> Entry:
    return Entry(kind, path, size=size)


def members(piece: Path) -> list[Any]:
    with tarfile.open(piece) as archive:
        return [(member.name, member.size) for member in archive]


def test_what_goes_in_comes_out_and_is_counted(tmp_path: Path) -> None:
    packing = Packing(tmp_path, "zstd")
    packing.writer.add(Entry("files", b"", DIR))
    packing.writer.add(file(b"a"), NOISE[:1000])
    packing.writer.add(file(b"b"), NOISE[:2000])
    packing.writer.add_stream(file(b"c", 5000), io.BytesIO(NOISE[:5000]), pytest.fail)
    packing.writer.add(file(b"empty"))
    (piece,) = packing.end()
    counts = packing.writer.counts["files"]
    assert (counts.entries, counts.bytes) == (5, 8000)
    assert piece.name == f"{BUNDLE}.files-0001.tar.zst"
    assert packing.writer.used == {piece.name: 8000}
    found = {entry.path: entry for entry in packing.entries}
    assert packing.contents(found[b"a"]) == NOISE[:1000]
    assert packing.contents(found[b"c"]) == NOISE[:5000]
    assert found[b"empty"].parts == [] and found[b""].type == DIR


def test_each_kind_has_pieces_of_its_own_with_numbers_that_go_on(tmp_path: Path) -> None:
    packing = Packing(tmp_path, numbers={"files": 7})
    for kind in ("files", "databases", "mail"):
        packing.writer.add(file(b"x", kind=kind), b"of " + kind.encode())
    names = [piece.name.removeprefix(BUNDLE) for piece in packing.end()]
    assert names == [".files-0008.tar", ".databases-0001.tar", ".mail-0001.tar"]
    assert {kind: count.entries for kind, count in packing.writer.counts.items()} == {
        "files": 1,
        "databases": 1,
        "mail": 1,
    }


def test_no_piece_is_larger_than_it_may_be_and_none_is_cut_too_soon(tmp_path: Path) -> None:
    packing = Packing(tmp_path, piece_size=MIB)
    for number in range(40):
        packing.writer.add(file(b"%02d" % number), NOISE[number : number + 100_000])
    pieces = packing.end()
    assert all(piece.bytes <= MIB for piece in pieces)
    held = [len(members(packing.room.root / piece.name)) for piece in pieces]
    assert held == [10, 10, 10, 10], "as many as fit"
    assert [packing.contents(e) for e in packing.entries] == [
        NOISE[n : n + 100_000] for n in range(40)
    ]


def test_many_small_entries_are_cut_into_pieces_too(tmp_path: Path) -> None:
    packing = Packing(tmp_path, piece_size=MIB)
    for number in range(5000):
        packing.writer.add(Entry("files", b"%05d" % number, DIR))
    pieces = packing.end()
    assert len(pieces) == 3 and all(piece.bytes <= MIB for piece in pieces)
    names = [name for piece in pieces for name, _ in members(packing.room.root / piece.name)]
    assert len(names) == len(set(names)) == 5000


def test_a_piece_is_never_smaller_than_is_worth_it(tmp_path: Path) -> None:
    packing = Packing(tmp_path, piece_size=1)
    for number in range(20):
        packing.writer.add(file(b"%02d" % number), NOISE[:100_000])
    assert len(packing.end()) == 2 and SMALLEST_PIECE == MIB


@pytest.mark.parametrize("way", ["add", "add_stream"])
def test_a_file_larger_than_a_piece_is_split_and_read_back_as_one(tmp_path: Path, way: str) -> None:
    packing = Packing(tmp_path, piece_size=MIB)
    packing.writer.add(file(b"before"), b"x")
    entry = file(b"film", len(NOISE))
    if way == "add":
        packing.writer.add(entry, NOISE)
    else:
        packing.writer.add_stream(entry, io.BytesIO(NOISE), pytest.fail)
    assert not packing.writer.links_to(b"film") and packing.writer.links_to(b"before")
    with pytest.raises(ValueError, match="bring its own bytes"):
        packing.writer.add_link(file(b"other"), entry)
    packing.writer.add(file(b"behind"), b"y")
    pieces = packing.end()
    parts = [row for piece in pieces for row in members(packing.room.root / piece.name)]
    split = [(name, size) for name, size in parts if "film" in name]
    assert [name for name, _ in split] == [
        f"files/film.fasciculus-part-{n:04}" for n in range(1, len(split) + 1)
    ]
    assert len(split) == 4 and sum(size for _, size in split) == len(NOISE)
    assert all(piece.bytes <= MIB for piece in pieces)
    found = {entry.path: entry for entry in packing.entries}
    assert packing.contents(found[b"film"]) == NOISE
    assert packing.contents(found[b"behind"]) == b"y"


@pytest.mark.parametrize("size", [MIB - 3000, MIB - 2000, MIB - 1049, MIB - 600, MIB, MIB + 1])
def test_files_about_as_large_as_a_piece(tmp_path: Path, size: int) -> None:
    packing = Packing(tmp_path, piece_size=MIB)
    packing.writer.add(file(b"a"), NOISE[:size])
    packing.writer.add(file(b"b"), NOISE[1 : size + 1])
    assert all(piece.bytes <= MIB for piece in packing.end())
    assert [packing.contents(e) for e in packing.entries] == [NOISE[:size], NOISE[1 : size + 1]]


def test_a_link_is_listed_with_the_bytes_of_its_first(tmp_path: Path) -> None:
    packing = Packing(tmp_path)
    first = file(b"a")
    packing.writer.add(first, b"one")
    link = Entry("files", b"b", link=b"a")
    packing.writer.add_link(link, first)
    (piece,) = packing.end()
    one, other = packing.entries
    assert other.parts == one.parts and other.digest == one.digest and other.link == b"a"
    assert packing.writer.counts["files"].bytes == 3, "its bytes count once"
    assert packing.writer.used == {piece.name: 3}
    with tarfile.open(packing.room.root / piece.name) as archive:
        assert archive.getmember("files/b").islnk()


def test_contents_that_are_known_are_not_stored_again(tmp_path: Path) -> None:
    held = [Extent("old", 0, 10, 0, 3)]
    asked = []

    def known(kind: str, digest: str, size: int) -> list[Any] | None:
        asked.append((kind, size))
        return held if size == 3 else None

    packing = Packing(tmp_path, known=known)
    packing.writer.add(file(b"a"), b"old")
    packing.writer.add(file(b"b"), b"news")
    packing.writer.add(file(b"c"))
    (piece,) = packing.end()
    one, two, _ = packing.entries
    assert one.parts == held and two.parts[0].piece == piece.name
    assert asked == [("files", 3), ("files", 4)], "nobody asks for nothing"
    assert packing.writer.used == {"old": 3, piece.name: 4}
    assert members(packing.room.root / piece.name) == [("files/b", 4), ("files/c", 0)]


def test_entries_taken_over_as_they_are(tmp_path: Path) -> None:
    packing = Packing(tmp_path)
    done = []
    one = Entry("files", b"a", size=5, digest="ab" * 32, parts=[Extent("old", 0, 9, 0, 5)])
    rest = [Entry("files", b"b%d" % n, size=2, parts=[Extent("old", 0, 9, 5, 2)]) for n in range(3)]
    packing.writer.add_line("files", to_line(one).rstrip(b"\n"), 5, [["old", 0, 9, 0, 5]])
    lines = b"".join(map(to_line, rest))
    for _ in range(2):
        packing.writer.add_lines("files", lines, 3, 6, [("old", 6)], lambda: done.append(True))
    packing.writer.add(file(b"new"), b"x")
    (piece,) = packing.end()
    assert [entry.path for entry in packing.entries] == [
        b"a",
        *[b"b0", b"b1", b"b2"] * 2,
        b"new",
    ], "in the order in which they were added"
    counts = packing.writer.counts["files"]
    assert (counts.entries, counts.bytes) == (8, 5 + 12 + 1)
    assert packing.writer.used == {"old": 5 + 12, piece.name: 1}
    assert done == [True, True]


def test_a_bundle_in_which_nothing_is_new_has_no_piece(tmp_path: Path) -> None:
    packing = Packing(tmp_path)
    one = Entry("files", b"a", size=5, parts=[Extent("old", 0, 9, 0, 5)])
    packing.writer.add_known(one, one.parts)
    link = Entry("files", b"b", link=b"a", size=5)
    packing.writer.add_known(link, one.parts)
    assert packing.end() == [] and len(packing.entries) == 2
    assert packing.writer.used == {"old": 5}, "a link needs no additional data"


def test_a_file_that_becomes_shorter_is_filled_with_zeros_and_said(tmp_path: Path) -> None:
    packing = Packing(tmp_path)
    warned = []
    packing.writer.add_stream(file(b"a", 5000), io.BytesIO(NOISE[:1200]), warned.append)
    packing.end()
    (entry,) = packing.entries
    assert packing.contents(entry) == NOISE[:1200] + bytes(3800)
    assert warned == ["a: became shorter while it was read; the missing end is zero bytes"]


def test_a_file_that_cannot_be_read_to_its_end_is_said(tmp_path: Path) -> None:
    class Broken(io.BytesIO):
        def read(self, count: int = -1) -> bytes:  # type: ignore[override]
            if self.tell() >= 1000:
                raise OSError(5, "Input/output error")
            return super().read(min(count, 1000))

    packing = Packing(tmp_path)
    warned = []
    packing.writer.add_stream(file(b"a", 3000), Broken(NOISE[:3000]), warned.append)
    packing.end()
    assert "could not be read to its end (Input/output error)" in warned[0]
    assert packing.contents(packing.entries[0]) == NOISE[:1000] + bytes(2000)


def test_a_file_that_grows_is_read_as_far_as_it_was(tmp_path: Path) -> None:
    packing = Packing(tmp_path)
    packing.writer.add_stream(file(b"a", 100), io.BytesIO(NOISE[:500]), pytest.fail)
    packing.end()
    assert packing.contents(packing.entries[0]) == NOISE[:100]


def test_frames_are_cut_where_they_are_full(tmp_path: Path) -> None:
    packed = []
    packing = Packing(tmp_path, "zstd", frame_size=100_000, on_packed=packed.append)
    for number in range(20):
        packing.writer.add(file(b"%02d" % number), NOISE[number : number + 30_000])
    (piece,) = packing.end()
    frames = {entry.parts[0].frame for entry in packing.entries}
    assert len(frames) == 5 and sum(packed) == piece.bytes
    data = (packing.room.root / piece.name).read_bytes()
    for entry in packing.entries:
        part = entry.parts[0]
        frame = data[part.frame : part.frame + part.length]
        plain = zstandard.ZstdDecompressor().decompress(frame)
        assert len(plain) == zstandard.frame_content_size(frame)
        stretch = plain[part.offset : part.offset + part.size]
        assert stretch == packing.contents(entry) and len(stretch) == 30_000


def test_trouble_of_the_room_ends_the_packing_and_abandoning_leaves_no_thread(
    tmp_path: Path,
) -> None:
    packing = Packing(tmp_path, breaks=True, piece_size=MIB)
    with pytest.raises(OSError, match="No space left"):
        for number in range(200):
            packing.writer.add(file(b"%03d" % number), NOISE[:100_000])
        packing.writer.finish()
    packing.writer.abandon()
    # Its thread: an abandoned writer says nothing when it has ended.
    packing.writer._writer.join(20)
    assert not packing.writer._writer.is_alive()


def test_what_was_abandoned_takes_no_more(tmp_path: Path) -> None:
    packing = Packing(tmp_path)
    packing.writer.add(file(b"a"), b"x")
    packing.writer.abandon()
    # Until its thread has ended.
    packing.writer._writer.join(20)
    with pytest.raises(RuntimeError, match="abandoned"):
        packing.writer.add(file(b"b"), b"y")
    assert os.listdir(packing.room.root) in ([], [f"{BUNDLE}.files-0001.tar"])


def test_a_long_file_is_cut_into_frames_too(tmp_path: Path) -> None:
    packing = Packing(tmp_path, "zstd", frame_size=100_000, piece_size=64 * MIB)
    packed = []
    # What is packed, at the moment when it is.
    packing.writer._on_packed = packed.append
    packing.writer.add_stream(file(b"film", len(NOISE)), io.BytesIO(NOISE), pytest.fail)
    (piece,) = packing.end()
    # What is read at a time is a mebibyte: each such stretch is a frame.
    assert len(packed) >= 3 and max(packed) < 2 * MIB and sum(packed) == piece.bytes
    assert packing.contents(packing.entries[0]) == NOISE


def test_no_file_of_a_piece_stays_open(tmp_path: Path) -> None:
    before = len(os.listdir("/proc/self/fd"))
    packing = Packing(tmp_path, piece_size=MIB)
    for number in range(40):
        packing.writer.add(file(b"%02d" % number), NOISE[:100_000])
    packing.end()
    assert len(os.listdir("/proc/self/fd")) <= before
    # Its thread: the writer does not tell whether it has ended.
    assert not packing.writer._writer.is_alive()
