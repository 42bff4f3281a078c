"""References to files that are too large for an order, or that only one side has."""

from __future__ import annotations

import re
from collections.abc import Mapping
from pathlib import Path
from typing import Literal, Self, cast, get_args

#: ``home``: what the service keeps, and what a task leaves for it; ``spool``: what a task needs
#: until it ends.
Area = Literal["home", "spool"]
#: The folder of each area on one machine.
Folders = Mapping[str, str]

_NAME = re.compile(r"[^/\0]+(/[^/\0]+)*")


class Artifact(str):
    """A file or a folder of an area.

    In memory it is a local path. Serialised in an order it is the reference ``AREA/NAME``, and the
    worker that takes the order resolves it in its own folders.
    """

    area: str
    folder: str

    @classmethod
    def within(cls, area: Area, folder: Path, path: Path) -> Self:
        """Return the artifact at a path in the folder of an area. Raises ``ValueError`` for one
        that is elsewhere.
        """
        found, above = cls(path), str(folder).rstrip("/")
        if found != str(folder) and not found.startswith(f"{above}/"):
            raise ValueError(f"{found} is not in {folder}")
        found.area, found.folder = area, str(folder)
        return found

    @property
    def reference(self) -> str:
        """Return how it is called wherever it lies; ``AREA/.`` is the area's folder itself."""
        name = self.removeprefix(self.folder).lstrip("/")
        return f"{self.area}/{name or '.'}"


def resolved(reference: str, folders: Folders) -> Artifact:
    """Return the artifact of a reference on this machine. Raises ``ValueError`` for what is no
    reference: no other path can be reached with one.
    """
    area, _, name = reference.partition("/")
    parts = name.split("/")
    is_inside = _NAME.fullmatch(name) is not None and {".", ".."}.isdisjoint(parts)
    if area not in get_args(Area) or not (is_inside or parts == ["."]):
        raise ValueError(f"{reference!r} is no artifact")
    if area not in folders:
        raise ValueError(f"no folder for {reference!r}")
    folder = Path(folders[area])
    return Artifact.within(cast(Area, area), folder, folder / name)
