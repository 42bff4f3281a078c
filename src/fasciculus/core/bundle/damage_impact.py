"""The entries affected by a damaged piece."""

from __future__ import annotations

from collections.abc import Container, Iterable, Iterator

from ..errors import DamagedError, MissingError
from .entry import Entry
from .reader import BundleReader


class DamageImpact:
    """Tells the entries whose bytes cannot be had any more.

    ``missing`` pieces harm whatever is in them. Every extent in ``damaged`` ones is read, since a
    flipped bit spoils one frame, not the piece. Results are remembered for the other bundles that
    need them.
    """

    def __init__(
        self, reader: BundleReader, damaged: Container[str], missing: Container[str]
    ) -> None:
        self._reader, self._damaged, self._missing = reader, damaged, missing
        self._read: dict[tuple[str, int, int], bool] = {}

    def of(self, entries: Iterable[Entry]) -> Iterator[tuple[Entry, set[str]]]:
        """Yield the harmed ones among a listing's entries, each with the pieces at fault."""
        for entry in entries:
            at_fault = {part.piece for part in entry.parts if part.piece in self._missing}
            suspect = {part.piece for part in entry.parts if part.piece in self._damaged}
            if at_fault or (suspect and not self._whole(entry)):
                yield entry, at_fault | suspect

    def _whole(self, entry: Entry) -> bool:
        first = entry.parts[0]
        place = (first.piece, first.frame, first.offset)
        if place not in self._read:
            try:
                for _ in self._reader.contents(entry):
                    pass
                self._read[place] = True
            except (DamagedError, MissingError):
                self._read[place] = False
        return self._read[place]
