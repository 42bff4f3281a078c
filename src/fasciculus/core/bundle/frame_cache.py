"""Unpacked frames that will be wanted again.

An incremental bundle goes to and fro among the pieces of many nights, each of which is read from
its beginning to its end: so the frame that was read last is kept of every piece, in memory as long
as there is room, then in a file."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path
from typing import IO

from msgspec import Struct

from ..errors import DamagedError

MEMORY = 64 * 1024 * 1024
DISK = 1024 * 1024 * 1024


class CachedFrame(Struct):
    """A frame: its place in the piece, the place of the next one, and its bytes or their place in
    the file.

    ``broken`` is what is wrong with a damaged one, of which only the beginning could be had.
    """

    offset: int
    following: int
    size: int
    data: bytes | None
    broken: DamagedError | None = None
    place: int = -1


class FrameCache:
    """One frame a piece. ``folder`` is where the file may be; without one, what has no room is
    dropped.
    """

    def __init__(self, folder: Path | None, memory: int = MEMORY, disk: int = DISK) -> None:
        self._folder, self._memory, self._disk = folder, memory, disk
        # By piece, the one that was asked for longest ago first.
        self._held: dict[str, CachedFrame] = {}
        self._in_memory = self._in_file = 0
        self._file: IO[bytes] | None = None
        self._free: list[tuple[int, int]] = []
        self._end = 0

    def close(self) -> None:
        """Close it; harmless if it is closed already."""
        self._held.clear()
        if self._file is not None:
            self._file.close()
            self._file = None

    def find(self, piece: str, offset: int) -> CachedFrame | None:
        """Return the frame of a piece at an offset, if it is the one that is kept."""
        found = self._held.get(piece)
        if found is None or found.offset != offset:
            return None
        self._held[piece] = self._held.pop(piece)
        return found

    def bytes_of(self, found: CachedFrame, start: int, count: int) -> bytes:
        """Return a stretch of a kept frame; less than ``count`` where it ends."""
        if found.data is not None:
            return found.data[start : start + count]
        assert self._file is not None
        count = min(count, found.size - start)
        return os.pread(self._file.fileno(), count, found.place + start) if count > 0 else b""

    def keep(
        self,
        piece: str,
        offset: int,
        following: int,
        data: bytes,
        broken: DamagedError | None = None,
    ) -> CachedFrame:
        """Keep a frame in the place of the previous one of its piece."""
        self._drop(piece)
        found = self._held[piece] = CachedFrame(offset, following, len(data), data, broken)
        self._in_memory += len(data)
        for other in list(self._held):
            if self._in_memory <= self._memory or other == piece:
                break
            self._put_away(other)
        return found

    def _drop(self, piece: str) -> None:
        found = self._held.pop(piece, None)
        if found is None:
            return
        if found.data is not None:
            self._in_memory -= found.size
        else:
            self._in_file -= found.size
            self._free.append((found.place, found.size))

    def _put_away(self, piece: str) -> None:
        """Move frames from memory to the file if there is space."""
        found = self._held[piece]
        if found.data is None:
            return
        if self._folder is None or self._in_file + found.size > self._disk:
            self._drop(piece)
            return
        if self._file is None:
            # It has no name: nothing is left of it whatever happens.
            self._file = tempfile.TemporaryFile(dir=self._folder, buffering=0)  # noqa: SIM115
        found.place = self._room(found.size)
        os.pwrite(self._file.fileno(), found.data, found.place)
        found.data = None
        self._in_memory -= found.size
        self._in_file += found.size

    def _room(self, size: int) -> int:
        for number, (place, free) in enumerate(self._free):
            if free >= size:
                del self._free[number]
                if free > size:
                    self._free.append((place + size, free - size))
                return place
        place = self._end
        self._end += size
        return place
