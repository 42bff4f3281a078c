"""Entries of which something is done at the end of a restore."""

from __future__ import annotations

import tempfile
from array import array
from collections.abc import Iterator
from pathlib import Path

from ...core.bundle.entry import Entry
from ...core.bundle.listing import from_line, to_line


class PendingEntries:
    """Entries kept in a file without a name: a listing may have millions."""

    def __init__(self, spool: Path) -> None:
        self._file = tempfile.TemporaryFile(dir=spool)  # noqa: SIM115  lives as long as this
        self._starts = array("Q")
        self._end = 0

    def add(self, entry: Entry) -> None:
        """Add an entry."""
        line = to_line(entry)
        self._file.write(line)
        self._starts.append(self._end)
        self._end += len(line)

    def last_first(self) -> Iterator[Entry]:
        """Yield all of them, the last one added first."""
        self._file.flush()
        end = self._end
        for start in reversed(self._starts):
            self._file.seek(start)
            yield from_line(self._file.read(end - start))
            end = start

    def close(self) -> None:
        """Close it; harmless if it is closed already."""
        self._file.close()
