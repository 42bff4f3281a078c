"""Reading back out of pieces: ranges asked for, and every byte checked."""

from __future__ import annotations

import io
import random
from typing import Any

import pytest
from blake3 import blake3

from fasciculus.core.bundle.codecs import codec
from fasciculus.core.bundle.entry import DIR, SYMLINK, Entry, Extent
from fasciculus.core.bundle.reader import BundleReader, PieceReader, only
from fasciculus.core.errors import DamagedError
from fasciculus.core.subject import Subject

SUBJECT = Subject("account", "millpond")
SUFFIX = {"zstd": ".tar.zst", "gzip": ".tar.gz", "none": ".tar"}


class Source:
    """Pieces in memory; remembers what was asked, and which streams are open."""

    def __init__(self, pieces: dict[Any, Any]) -> None:
        self.pieces = {SUBJECT.piece(name): data for name, data in pieces.items()}
        self.asked, self.streams = [], []

    def open(self, path: Any, offset: Any = 0, length: Any = None) -> Any:
        self.asked.append((offset, length))
        end = None if length is None else offset + length
        self.streams.append(io.BytesIO(self.pieces[path][offset:end]))
        return self.streams[-1]


def packed(packing: str, *contents: Any) -> Any:
    """A piece of one frame for each of the contents, and the extents of each frame."""
    data, places = b"", []
    for part in contents:
        frame = codec(packing).pack(part)
        places.append((len(data), len(frame)))
        data += frame
    return data, places


def entry(contents: bytes, *parts: Any, name: bytes = b"x") -> Entry:
    return Entry(
        "files",
        name,
        size=len(contents),
        digest=blake3(contents).hexdigest(),
        parts=[Extent(*part) for part in parts],
    )


def read(source: Source, wanted: Entry, **more: Any) -> bytes:
    with BundleReader(source, SUBJECT) as reader:
        return b"".join(reader.contents(wanted, **more))


@pytest.fixture(params=["zstd", "gzip", "none"])
def packing(request: pytest.FixtureRequest) -> str:
    return request.param


def test_a_file_alone_asks_for_its_frame_and_no_more(packing: str) -> None:
    data, places = packed(packing, b"a" * 1000, b"mill" * 300, b"c" * 1000)
    name = "p" + SUFFIX[packing]
    source = Source({name: data})
    frame, length = places[1]
    wanted = entry((b"mill" * 300)[8:48], (name, frame, length, 8, 40))
    assert read(source, wanted, alone=True) == (b"mill" * 300)[8:48]
    assert source.asked == [(frame, length)]


def test_a_stretch_over_several_frames_is_followed(packing: str) -> None:
    halves = [bytes([n]) * 1000 for n in range(4)]
    data, places = packed(packing, *halves)
    name = "p" + SUFFIX[packing]
    if packing == "none":
        places = [(0, len(data))]
    source = Source({name: data})
    contents = b"".join(halves)[500:3600]
    wanted = entry(contents, (name, *places[0], 500, len(contents)))
    assert read(source, wanted) == contents
    assert len(source.asked) == 1, "frames that follow each other are one request"


def test_contents_spread_over_pieces_are_joined_in_order(packing: str) -> None:
    one, places_one = packed(packing, b"mill ")
    two, places_two = packed(packing, b"xx", b"pond")
    names = "a" + SUFFIX[packing], "b" + SUFFIX[packing]
    source = Source({names[0]: one, names[1]: two})
    parts = [(names[0], *places_one[0], 0, 5), (names[1], *places_two[1], 0, 4)]
    assert read(source, entry(b"mill pond", *parts)) == b"mill pond"
    with pytest.raises(DamagedError, match="not what the listing says"):
        read(source, entry(b"mill pond", *reversed(parts)))


def test_folders_and_links_have_no_bytes_and_ask_for_none() -> None:
    source = Source({})
    for kind in (DIR, SYMLINK):
        assert read(source, Entry("files", b"x", kind, parts=[Extent("p", 0, 1, 0, 1)])) == b""
    assert read(source, entry(b"")) == b"", "nor an empty file"
    assert source.asked == []


def test_a_listing_that_promises_more_than_there_is(packing: str) -> None:
    data, places = packed(packing, b"short")
    name = "p" + SUFFIX[packing]
    wanted = entry(b"short and more", (name, *places[0], 0, 14))
    with pytest.raises(DamagedError):
        read(Source({name: data}), wanted)
    beyond = entry(b"x", (name, *places[0], 400, 1))
    with pytest.raises(DamagedError):
        read(Source({name: data}), beyond)


@pytest.mark.parametrize("packing", ["zstd", "gzip"])
@pytest.mark.parametrize("cut", [30, 400])
def test_a_piece_that_is_cut_short_is_damage_that_says_where(packing: str, cut: int) -> None:
    noise = random.Random(5).randbytes(4000)
    data, places = packed(packing, noise, noise[::-1])
    name = "p" + SUFFIX[packing]
    source = Source({name: data[:-cut]})
    wanted = entry(noise[::-1], (name, *places[1], 0, len(noise)))
    with pytest.raises(DamagedError) as caught:
        read(source, wanted)
    assert caught.value.hint == "Restore from another copy or another moment." or (
        "not what the listing says" in caught.value.message
    )
    first = entry(noise, (name, *places[0], 0, len(noise)))
    assert read(Source({name: data[:-cut]}), first) == noise, "the frame before is whole"


def test_after_an_error_the_next_read_begins_anew() -> None:
    noise = random.Random(6).randbytes(3000)
    data, places = packed("zstd", noise, noise)
    bad = bytearray(data)
    bad[places[0][1] // 2] ^= 1
    source = Source({"p.tar.zst": bytes(bad)})
    with BundleReader(source, SUBJECT) as reader:
        with pytest.raises(DamagedError):
            list(reader.contents(entry(noise, ("p.tar.zst", *places[0], 0, 3000))))
        good = entry(noise, ("p.tar.zst", *places[1], 0, 3000))
        assert b"".join(reader.contents(good)) == noise


def test_a_frame_that_is_asked_for_again_is_not_read_again() -> None:
    data, places = packed("zstd", b"mill" * 100)
    source = Source({"p.tar.zst": data})
    rows = [entry((b"mill" * 100)[n : n + 4], ("p.tar.zst", *places[0], n, 4)) for n in range(50)]
    with BundleReader(source, SUBJECT) as reader:
        for number, row in enumerate(rows):
            assert b"".join(reader.contents(row)) == (b"mill" * 100)[number : number + 4]
    assert len(source.asked) == 1


def test_no_more_than_a_dozen_streams_stay_open() -> None:
    pieces, rows = {}, []
    for number in range(30):
        data, places = packed("zstd", b"%d" % number, b"more")
        pieces[f"{number}.tar.zst"] = data
        rows.append(
            entry(b"%d" % number, (f"{number}.tar.zst", *places[0], 0, len(b"%d" % number)))
        )
    source = Source(pieces)
    with BundleReader(source, SUBJECT) as reader:
        for row in rows:
            list(reader.contents(row))
            assert sum(not stream.closed for stream in source.streams) <= 12
    assert all(stream.closed for stream in source.streams)


def test_frames_of_one_piece_one_after_the_other() -> None:
    data, places = packed("gzip", b"one", b"two", b"three")
    source = Source({"p.tar.gz": data})
    reader = PieceReader(source, SUBJECT.piece("p.tar.gz"))
    at, found = 0, []
    while at < len(data):
        frame, at = reader.frame(at, 0, True)
        found.append(frame)
    assert found == [b"one", b"two", b"three"] and at == len(data)
    assert source.asked == [(0, None)]
    with pytest.raises(DamagedError, match=f"damaged at byte {at}: it ends too early"):
        reader.frame(at, 0, True)
    assert reader.frame(places[1][0], places[1][1], False)[0] == b"two"
    assert source.asked[-1] == places[1]
    reader.close()


@pytest.mark.parametrize("packing", ["zstd", "gzip", "none"])
def test_what_comes_before_damage_is_salvaged(packing: str) -> None:
    text = b"".join(b"line %06d of the mill pond\n" % n for n in range(6000))
    data, places = packed(packing, text)
    name = "p" + SUFFIX[packing]
    bad = bytearray(data)
    bad[-3 if packing != "none" else len(bad) - 1] ^= 0xFF
    reader = PieceReader(Source({name: bytes(bad)}), SUBJECT.piece(name))
    found = reader.salvaged(*places[0])
    kept = len(text) - (1 if packing == "none" else 0)
    assert found[:kept] == text[:kept], "only the checksum is wrong"


def test_entries_at_or_below_some_paths() -> None:
    entries = [Entry("files", path) for path in (b"a", b"a/b", b"a-b", b"ab", b"c", b"c/d/e")]

    def chosen(*paths: Any) -> list[Any]:
        return [row.path for row in only(entries, paths)]

    assert chosen(b"a") == [b"a", b"a/b"]
    assert chosen(b"a/") == [b"a", b"a/b"]
    assert chosen(b"c/d", b"ab") == [b"ab", b"c/d/e"]
    assert chosen(b"nothing") == []
    assert chosen() == [row.path for row in entries]
