"""The wanted side of a restore in place: the entries of a bundle by their paths on the host."""

from __future__ import annotations

import heapq
from collections.abc import Iterator
from itertools import groupby
from operator import attrgetter

from msgspec.structs import replace

from ....core.bundle.entry import DIR, Entry, order
from ....core.bundle.reader import is_at_or_below
from ....core.contents import Contents
from ....core.errors import DamagedError
from ..plan import RestorePlan
from .relocating import RelocatedPaths


class WantedEntries:
    """The entries that come back to a subject's folder: its files, and the copies of database files
    in it.

    ``paths`` are the chosen ones, none for everything.
    """

    def __init__(self, plan: RestorePlan) -> None:
        self._plan = plan
        self._places = RelocatedPaths(plan.order.relocation)
        paths = (self._places.place(path) for path in plan.paths)
        self.paths = _without_nested([path for path in paths if path is not None])
        self._kinds = plan.order.contents or list(Contents)
        #: Paths of the database files, with the copies of them in the bundle.
        self.origins = dict(self._copies())

    def entries(self) -> Iterator[Entry]:
        """Yield the entries, and the folders that lead to a chosen path, in scan order."""
        files = self._files() if Contents.FILES in self._kinds else iter(())
        copies = (
            replace(entry, path=path)
            for path, entry in sorted(self.origins.items(), key=_by_path)
            if Contents.DATABASES in self._kinds
        )
        both = heapq.merge(files, copies, key=_place_of) if self.origins else files
        for path, same in groupby(both, key=attrgetter("path")):
            # Of a database that is listed as a file too, the copy is the consistent one.
            *_, entry = same
            if self.is_wanted(path) or (entry.type == DIR and self.leads(path)):
                yield entry

    def _copies(self) -> Iterator[tuple[bytes, Entry]]:
        for entry in self._plan.entries(["databases"]):
            path = self._places.place(entry.origin) if entry.origin else None
            if path is not None:
                yield path, entry

    def _files(self) -> Iterator[Entry]:
        last: tuple[bytes, ...] | None = None
        for entry in self._plan.entries(["files"]):
            here = order(entry.path)
            if last is not None and here < last:
                raise DamagedError(f"The listing is out of order at {entry.text}.")
            last = here
            placed = self._places.entry(entry)
            if placed is not None:
                yield placed

    def is_wanted(self, path: bytes) -> bool:
        """Return whether a path was chosen, or is below one that was."""
        return not self.paths or any(is_at_or_below(path, chosen) for chosen in self.paths)

    def leads(self, path: bytes) -> bool:
        """Return whether a folder is on the way to a chosen path."""
        return any(not path or chosen.startswith(path + b"/") for chosen in self.paths)


def _by_path(item: tuple[bytes, Entry]) -> tuple[bytes, ...]:
    return order(item[0])


def _without_nested(paths: list[bytes]) -> list[bytes]:
    """Return paths in scan order, without those below another one."""
    found: list[bytes] = []
    for path in sorted(set(paths), key=order):
        if not found or not is_at_or_below(path, found[-1]):
            found.append(path)
    return found


def _place_of(entry: Entry) -> tuple[bytes, ...]:
    return order(entry.path)
