"""Frames, packed and unpacked."""

from __future__ import annotations

import gzip
import random
import zlib
from typing import Any

import pytest
import zstandard

from fasciculus.core.bundle.codecs import (
    FRAME_SIZE,
    UNPACK_ERRORS,
    Gzip,
    Plain,
    Zstd,
    codec,
    codec_of,
)
from fasciculus.core.errors import DamagedError, SettingError

TEXT = b"the mill pond, the ferry line, the lantern choir\n" * 8000
NOISE = random.Random(7).randbytes(400_000)


def unpacked(name: str, data: bytes) -> bytes:
    inflater = codec(name).inflater()
    return data if inflater is None else inflater.decompress(data)


@pytest.mark.parametrize("name", ["zstd", "gzip", "none"])
@pytest.mark.parametrize("data", [b"", b"x", TEXT, NOISE], ids=["none", "one", "text", "noise"])
def test_a_frame_comes_back_whole(name: str, data: bytes) -> None:
    packed = codec(name).pack(data)
    assert unpacked(name, packed) == data
    assert codec(name).pack(bytearray(data)) == packed, "the same bytes are the same frame"


@pytest.mark.parametrize(("name", "suffix"), [("zstd", "zst"), ("gzip", "gz"), ("none", "tar")])
def test_the_name_of_a_piece_tells_its_codec(name: str, suffix: str) -> None:
    found = codec(name)
    assert found.name == name and found.suffix.endswith(suffix)
    assert codec_of(f"b.files-0001{found.suffix}").name == name


@pytest.mark.parametrize("piece", ["p.tar.rar", "p", "p.zst", "p.tar.zst.part"])
def test_a_piece_of_unknown_packing(piece: str) -> None:
    with pytest.raises(DamagedError, match="ending that is not known"):
        codec_of(piece)


@pytest.mark.parametrize(
    ("name", "levels", "refused"), [("zstd", (1, 19), (0, 20)), ("gzip", (1, 9), (0, 10))]
)
def test_levels_have_bounds(name: str, levels: tuple[Any, ...], refused: tuple[Any, ...]) -> None:
    for level in levels:
        assert unpacked(name, codec(name, level).pack(TEXT)) == TEXT
    for level in refused:
        with pytest.raises(SettingError) as caught:
            codec(name, level)
        assert caught.value.field == "level"
        assert caught.value.hint == f"Choose {levels[0]} to {levels[1]}."


def test_a_higher_level_packs_better() -> None:
    words = random.Random(3).choices([b"mill", b"pond", b"ferry", b"line", b"choir"], k=60_000)
    data = b" ".join(words)
    assert len(Zstd(19).pack(data)) < len(Zstd(1).pack(data)) < len(data) // 3
    assert len(Gzip(9).pack(data)) < len(Gzip(1).pack(data))


def test_what_is_packed_already_is_not_packed_again_with_effort() -> None:
    """With the fastest level noise comes out as it went in; text must not."""
    for strong, fast in ((Zstd(19), Zstd(1)), (Gzip(9), Gzip(1))):
        assert len(strong.pack(NOISE)) <= len(NOISE) + 200
        assert len(strong.pack(TEXT)) <= len(fast.pack(TEXT))
    assert Gzip(9).pack(NOISE) == gzip.compress(NOISE, 1, mtime=0)
    small = NOISE[:1000]
    assert Gzip(9).pack(small) == gzip.compress(small, 9, mtime=0), "too small to take samples of"
    half = TEXT[:200_000] + NOISE[:10_000] + TEXT[:200_000]
    assert Gzip(9).pack(half) == gzip.compress(half, 9, mtime=0)


def test_the_default_level_is_in_force_without_one() -> None:
    assert codec("zstd").pack(TEXT) == Zstd(3).pack(TEXT)
    assert codec("gzip").pack(TEXT) == Gzip(6).pack(TEXT)
    assert isinstance(codec("none", 9), Plain)


def test_a_frame_says_its_size_and_has_a_checksum() -> None:
    frame = zstandard.get_frame_parameters(Zstd().pack(TEXT))
    assert frame.content_size == len(TEXT) and frame.has_checksum


@pytest.mark.parametrize("name", ["zstd", "gzip"])
def test_a_flipped_bit_is_an_error_that_readers_know(name: str) -> None:
    packed = bytearray(codec(name).pack(NOISE[:5000]))
    packed[len(packed) // 2] ^= 1
    with pytest.raises(UNPACK_ERRORS):
        unpacked(name, bytes(packed))
    assert issubclass(zlib.error, UNPACK_ERRORS)


def test_a_compression_that_is_none() -> None:
    with pytest.raises(SettingError) as caught:
        codec("rar")
    assert caught.value.sentence() == "“rar” is not a compression. Choose zstd, gzip or none."
    assert caught.value.field == "compression"


@pytest.mark.parametrize(("size", "level"), [(4 * 65536 - 1, 9), (4 * 65536, 1)])
def test_what_is_worth_a_sample(size: int, level: int) -> None:
    data = NOISE[:size]
    assert Gzip(9).pack(data) == gzip.compress(data, level, mtime=0)


def test_samples_are_taken_at_three_places() -> None:
    """A frame counts as packed only when all of it seems to be."""
    size = 4 * 65536
    step = size // 4
    for place in (step, 2 * step, 3 * step):
        data = bytearray(NOISE[:size])
        data[place : place + 21_000] = bytes(21_000)
        assert Gzip(9).pack(data) == gzip.compress(data, 9, mtime=0), place
    elsewhere = bytearray(NOISE[:size])
    elsewhere[:60_000] = bytes(60_000)
    assert Gzip(9).pack(elsewhere) == gzip.compress(elsewhere, 1, mtime=0)


def test_the_levels_in_force() -> None:
    fast = zstandard.ZstdCompressor(level=-5, write_checksum=True)
    assert Zstd(19).pack(NOISE) == fast.compress(NOISE)
    assert Zstd(1).pack(NOISE) == zstandard.ZstdCompressor(1, write_checksum=True).compress(NOISE)
    assert Zstd().pack(TEXT) == Zstd(3).pack(TEXT) and FRAME_SIZE == 8 * 1024 * 1024
