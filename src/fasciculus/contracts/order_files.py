"""The files that an order names: what a worker elsewhere needs of them, and what it leaves."""

from __future__ import annotations

import os
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import msgspec

from .artifacts import Artifact
from .orders import CopyOrder, Order, PreviousOrder

#: What belongs to the machine of a worker alone, or does not leave the service's.
_STAYS = ("own_folders", "spool", "tokens")
#: What a task reads, and never writes.
_READ = ("before",)


@dataclass(frozen=True, slots=True)
class OrderFile:
    """A file or folder of an order; ``is_output`` says whether the task may leave it."""

    artifact: Artifact
    is_output: bool

    def paths(self) -> Iterator[Path]:
        """Yield the files that are there now: itself, or all in the folder. Links are left out."""
        top = Path(self.artifact)
        if top.is_symlink():
            return
        if top.is_file():
            yield top
        for place, folders, names in os.walk(top):
            folders.sort()
            for name in sorted(names):
                path = Path(place) / name
                if path.is_file() and not path.is_symlink():
                    yield path

    def reference_of(self, path: Path) -> str:
        """Return how one of its files is called wherever it lies."""
        return str(Path(self.artifact.reference) / path.relative_to(self.artifact))

    def has(self, reference: str) -> bool:
        """Return whether a reference is of it, or of something in it."""
        return f"{reference}/".startswith(f"{self.artifact.reference}/")


def files_of(order: Order) -> list[OrderFile]:
    """Return the files and folders of the service that an order names.

    Listings of copies are not among them: a worker that needs one reads it from the store.
    """
    return list(_files(order, True))


def _files(value: object, is_output: bool) -> Iterator[OrderFile]:
    if isinstance(value, Artifact):
        if value.area == "home":
            yield OrderFile(value, is_output)
    elif isinstance(value, list | tuple):
        for item in value:
            yield from _files(item, is_output)
    elif isinstance(value, dict):
        yield from _files(list(value.values()), is_output)
    elif isinstance(value, msgspec.Struct):
        is_output = is_output and not isinstance(value, CopyOrder | PreviousOrder)
        for name in value.__struct_fields__:
            if name in _STAYS or (isinstance(value, CopyOrder) and name == "listing"):
                continue
            yield from _files(getattr(value, name), is_output and name not in _READ)
