"""Frames that are kept: each is unpacked once, however many pieces a bundle goes to and fro
among.
"""

from __future__ import annotations

import io
import random
from io import BytesIO
from pathlib import Path
from typing import Any

import pytest
from blake3 import blake3
from hypothesis import given, settings
from hypothesis import strategies as st

from fasciculus.core.bundle.codecs import Zstd
from fasciculus.core.bundle.entry import Entry, Extent
from fasciculus.core.bundle.frame_cache import FrameCache
from fasciculus.core.bundle.reader import BundleReader, PieceReader
from fasciculus.core.errors import DamagedError
from fasciculus.core.subject import Subject

SUBJECT = Subject("account", "millpond")


class Pieces:
    """Many pieces in memory; counts what is asked of them."""

    def __init__(self, count: int, frames: int, seed: int = 7) -> None:
        rng, self.data, self.entries, self.asked = random.Random(seed), {}, [], []
        for number in range(count):
            name, packed = f"{number:03d}.files-0001.tar.zst", b""
            for _ in range(frames):
                contents = [rng.randbytes(rng.randrange(1, 4000)) for _ in range(5)]
                frame = Zstd().pack(b"".join(contents))
                at = 0
                for place, data in enumerate(contents):
                    part = Extent(name, len(packed), len(frame), at, len(data))
                    self.entries.append(
                        (
                            len(packed),
                            place,
                            number,
                            Entry(
                                "files",
                                b"x",
                                size=len(data),
                                digest=blake3(data).hexdigest(),
                                parts=[part],
                            ),
                            data,
                        )
                    )
                    at += len(data)
                packed += frame
            self.data[SUBJECT.piece(name)] = packed
        # As after many nights: from piece to piece, in each of them forwards.
        self.entries.sort(key=lambda row: row[:3])

    def open(self, path: str, offset: int = 0, length: int | None = None) -> BytesIO:
        self.asked.append((path, offset, length))
        return io.BytesIO(self.data[path][offset : None if length is None else offset + length])


@pytest.mark.parametrize("memory", [10**9, 60_000, 0], ids=["in memory", "in both", "in the file"])
def test_each_frame_is_read_once(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, memory: int
) -> None:
    unpacked = []
    frame = PieceReader.frame
    monkeypatch.setattr(
        PieceReader,
        "frame",
        lambda self, *a: unpacked.append((self._path, a[0])) or frame(self, *a),
    )
    pieces = Pieces(40, 4)
    with BundleReader(pieces, SUBJECT, tmp_path) as reader:
        # A cache of this test's size, not of the reader's.
        reader._held = FrameCache(tmp_path, memory)
        for *_, entry, data in pieces.entries:
            assert b"".join(reader.contents(entry)) == data
    assert len(unpacked) == len(set(unpacked)) == 40 * 4
    lengths = [length for path, _, length in pieces.asked if length is not None]
    assert len(lengths) >= 27 * 3, (
        "where streams do not stay open, a frame is asked for and no more"
    )
    assert list(tmp_path.iterdir()) == [], "the file has no name"


def test_a_flipped_bit_costs_the_file_it_lies_in_and_the_next_frame_is_read_all_the_same() -> None:
    pieces = Pieces(1, 3)
    ((path, packed),) = pieces.data.items()
    bad, beside = (pieces.entries[number][-2].parts[0] for number in (7, 8))
    # The contents do not compress, so the frame contains them unchanged.
    at = packed.index(pieces.entries[7][-1]) + bad.size // 2
    pieces.data[path] = packed[:at] + bytes([packed[at] ^ 1]) + packed[at + 1 :]
    lost = []
    with BundleReader(pieces, SUBJECT) as reader:
        for number, (*_, entry, data) in enumerate(pieces.entries):
            try:
                assert b"".join(reader.contents(entry)) == data
            except DamagedError as error:
                assert "not what the listing says" in error.message
                lost.append(number)
    assert lost == [7] and len(pieces.asked) == 3, "the piece, the frame again, and the rest"
    pieces.data[path] = packed[: beside.frame + beside.length // 2]
    with BundleReader(pieces, SUBJECT) as reader:
        for *_, entry, data in pieces.entries[:6]:
            assert b"".join(reader.contents(entry)) == data
        with pytest.raises(DamagedError, match=f"damaged at byte {bad.frame:,}: it ends too early"):
            list(reader.contents(pieces.entries[9][-2]))


@given(
    steps=st.lists(st.tuples(st.integers(0, 5), st.integers(1, 400)), max_size=60),
    memory=st.integers(0, 900),
    disk=st.integers(0, 900),
)
@settings(max_examples=150, deadline=None)
def test_what_is_kept_is_what_was_given_and_the_bounds_hold(
    tmp_path_factory: Any, steps: list[Any], memory: int, disk: int
) -> None:
    held, newest = FrameCache(tmp_path_factory.getbasetemp(), memory, disk), {}
    for number, (piece, size) in enumerate(steps):
        data = random.Random(number).randbytes(size)
        held.keep(f"p{piece}", number, number + 1, data)
        newest[f"p{piece}"] = (number, data)
        for name, (offset, wanted) in newest.items():
            assert held.find(name, offset - 1) is None
            if found := held.find(name, offset):
                assert (
                    held.bytes_of(found, 0, 10**6) == wanted
                    and held.bytes_of(found, 3, 2) == wanted[3:5]
                )
                assert held.bytes_of(found, len(wanted), 5) == b""
        # What it holds: no call tells.
        kept = held._held.values()
        assert sum(row.size for row in kept if row.data is None) <= disk
        assert sum(row.size for row in kept if row.data is not None) <= max(memory, size)
    held.close()
