"""Looks at files from the end of a tree while the walk comes from its beginning.

``stat`` holds the interpreter's lock most of the time, so threads do not help, but a separate
process does. Nobody waits for it: the walk uses known states, and checks the others itself.
"""

from __future__ import annotations

import mmap
import os
import signal
import struct
from contextlib import suppress
from pathlib import Path

from ..stat_block import StatBlock
from ..states.stat_cache import HEAD, place_of_first, unchanged_below

#: Fewer entries than this are looked at before a process has begun.
WORTH = 5000
_AT = struct.Struct("<Q")
_UNCHANGED = 1
_DESCRIPTORS = 1024


class StatPrefetcher:
    """The known runs of a file of states; ``at`` is the position of the walk."""

    def __init__(self, states: Path, root: bytes) -> None:
        # Read, not mapped: what is mapped counts as this process's memory, 70 MB for a million
        # files.
        self._file = os.open(states, os.O_RDONLY | os.O_CLOEXEC)
        self._places, entries = _places(self._file)
        self._known: mmap.mmap | None = None
        self._process = 0
        if entries < WORTH:
            return
        self._known = mmap.mmap(-1, _AT.size + len(self._places))
        self._process = os.fork()
        if not self._process:  # pragma: no cover (it ends without a trace)
            try:
                # The parent's way of being cancelled is not this one's, nor are its pipes, whose
                # end others wait for.
                signal.signal(signal.SIGTERM, signal.SIG_DFL)
                os.closerange(0, self._file)
                os.closerange(self._file + 1, _DESCRIPTORS)
                self._look(root)
            finally:
                os._exit(0)

    def _look(self, root: bytes) -> None:  # pragma: no cover (in the other process)
        assert self._known is not None
        for number in range(len(self._places) - 1, -1, -1):
            if _AT.unpack_from(self._known)[0] >= number:
                return
            start, length = self._places[number]
            run = StatBlock(os.pread(self._file, length, start), bytes)
            if run.is_plain and unchanged_below(root, run):
                self._known[_AT.size + number] = _UNCHANGED

    def unchanged(self, number: int) -> bool:
        """Return whether a run is known to be unchanged, and notify the other process of the walk's
        position.
        """
        if self._known is None:
            return False
        _AT.pack_into(self._known, 0, number)
        return self._known[_AT.size + number] == _UNCHANGED

    def close(self) -> None:
        """Close it; harmless if it is closed already."""
        if self._process:
            with suppress(ProcessLookupError):
                os.kill(self._process, signal.SIGKILL)
            os.waitpid(self._process, 0)
            self._process = 0
        if self._known is not None:
            self._known.close()
        if self._file >= 0:
            os.close(self._file)
            self._file = -1


def _places(file: int) -> tuple[list[tuple[int, int]], int]:
    """Return the place of each run in the file, and the number of all entries."""
    found, entries = [], 0
    at, size = place_of_first(os.pread(file, HEAD, 0)), os.fstat(file).st_size
    while at < size:
        head = os.pread(file, HEAD, at)
        length = int.from_bytes(head[:4], "little")
        found.append((at + 4, length))
        entries += StatBlock.entries_of(head, 4)
        at += 4 + length
    return found, entries
