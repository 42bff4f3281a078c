"""Frames: independent stretches of about 8 MiB of tar, each packed by itself.

A piece is a sequence of zstd frames (RFC 8878), gzip members (RFC 1952), or plain
bytes. Any standard tool reads the whole; we can begin at any frame.
"""

from __future__ import annotations

import gzip
import re
import threading
import zlib
from typing import Protocol

import zstandard

from ..errors import DamagedError, SettingError

FRAME_SIZE = 8 * 1024 * 1024
#: No frame holds more: neither a store's nor anybody else's word may cost memory without bounds.
MOST_UNPACKED = 64 * 1024 * 1024
#: So much of a stream is unpacked at once: zstd makes up to 32 MiB of it.
UNPACK_STEP = 1024
#: The most memory that a zstd frame may ask for (RFC 8878, 3.1.1.1.2).
_WINDOW = MOST_UNPACKED
#: The zstd level for what does not pack.
_FASTEST = -5


class Inflater(Protocol):
    """The common protocol of zlib's and zstandard's decompression objects."""

    @property
    def eof(self) -> bool:
        """Return whether the end of the data was reached."""

    @property
    def unused_data(self) -> bytes:
        """Return the bytes after the end."""

    def decompress(self, data: bytes, /) -> bytes:
        """Return the unpacked bytes of a chunk."""


_SAMPLE = 64 * 1024
#: What sealing puts after a piece's name.
_SEALED = re.compile(r"(?:\.\d+)?\.age$")
_WORTH = 0.97


def _is_packed(data: bytes | bytearray) -> bool:
    """Return whether a frame's contents hardly pack any more, told by three samples of it."""
    if len(data) < 4 * _SAMPLE:
        return False
    step = len(data) // 4
    sample = b"".join(data[start : start + _SAMPLE // 3] for start in (step, 2 * step, 3 * step))
    return len(zlib.compress(sample, 1)) > _WORTH * len(sample)


class Codec(Protocol):
    """A codec: packs and unpacks frames."""

    name: str
    suffix: str

    def pack(self, data: bytes | bytearray) -> bytes:
        """Return one frame; may be called from several threads at once."""

    def inflater(self) -> Inflater | None:
        """Return a fresh object that unpacks one frame, or None where frames are plain bytes."""

    def whole(self, packed: bytes) -> bytes | None:
        """Return a frame unpacked in one go, where its head says how much that is; else None."""


class Zstd:
    """zstd frames with the contents' size in their header, and a checksum."""

    name, suffix = "zstd", ".tar.zst"

    def __init__(self, level: int = 3) -> None:
        if not 1 <= level <= 19:
            raise SettingError(f"zstd has no level {level}.", "Choose 1 to 19.", field="level")
        self._level = level
        self._local = threading.local()

    def pack(self, data: bytes | bytearray) -> bytes:
        """Return compressed data, as one frame."""
        # Images, video and archives are not worth a second squeeze.
        level = _FASTEST if self._level > 1 and _is_packed(data) else self._level
        packers: dict[int, zstandard.ZstdCompressor] = self._local.__dict__.setdefault(
            "packers", {}
        )
        if level not in packers:
            packers[level] = zstandard.ZstdCompressor(level=level, write_checksum=True)
        result: bytes = packers[level].compress(data)
        return result

    def inflater(self) -> Inflater:
        """Return a new decompressor."""
        return zstd_inflater()

    def whole(self, packed: bytes) -> bytes | None:
        """Return the unpacked bytes of a complete frame, None if its size is unknown."""
        size = zstandard.frame_content_size(packed)
        if not 0 <= size <= MOST_UNPACKED:
            return None
        # It makes room for what the head says, and is an error where more comes.
        unpacked: bytes = zstandard.ZstdDecompressor(max_window_size=_WINDOW).decompress(packed)
        return unpacked


def zstd_inflater() -> zstandard.ZstdDecompressionObj:
    """Return a fresh object that unpacks one zstd frame, and refuses one that asks for
    much memory.
    """
    return zstandard.ZstdDecompressor(max_window_size=_WINDOW).decompressobj()


class Gzip:
    """gzip members."""

    name, suffix = "gzip", ".tar.gz"

    def __init__(self, level: int = 6) -> None:
        if not 1 <= level <= 9:
            raise SettingError(f"gzip has no level {level}.", "Choose 1 to 9.", field="level")
        self._level = level

    def pack(self, data: bytes | bytearray) -> bytes:
        """Return compressed data, as one frame."""
        return gzip.compress(data, 1 if _is_packed(data) else self._level, mtime=0)

    def inflater(self) -> Inflater:
        """Return a new decompressor."""
        return zlib.decompressobj(wbits=31)

    def whole(self, packed: bytes) -> None:
        """Return None: the size is unknown."""
        return


class Plain:
    """No packing at all."""

    name, suffix = "none", ".tar"

    def pack(self, data: bytes | bytearray) -> bytes:
        """Return the data unchanged."""
        return bytes(data)

    def inflater(self) -> None:
        """Return None: nothing is packed."""
        return

    def whole(self, packed: bytes) -> None:
        """Return None: nothing is packed."""
        return


def codec(name: str, level: int | None = None) -> Codec:
    """Return the codec of that name: ``zstd``, ``gzip`` or ``none``."""
    match name:
        case "zstd":
            return Zstd(3 if level is None else level)
        case "gzip":
            return Gzip(6 if level is None else level)
        case "none":
            return Plain()
    raise SettingError(
        f"“{name}” is not a compression.", "Choose zstd, gzip or none.", field="compression"
    )


def codec_of(piece: str) -> Codec:
    """Return the codec a piece was packed with, by its name."""
    for kind in (Zstd, Gzip, Plain):
        if _SEALED.sub("", piece).endswith(kind.suffix):
            return kind()
    raise DamagedError(f"The piece {piece} has an ending that is not known.")


#: What zlib and zstandard raise over bytes that are not theirs.
UNPACK_ERRORS = (zstandard.ZstdError, zlib.error, EOFError, OSError)
