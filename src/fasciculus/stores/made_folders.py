"""The folders of a store that are known to be there."""

from __future__ import annotations

import posixpath
from collections.abc import Callable


class MadeFolders:
    """Makes folders, each once. ``make`` makes one in a folder that is there, or finds it made."""

    def __init__(self, make: Callable[[str], None]) -> None:
        self._make = make
        self._made: set[str] = set()

    def above(self, path: str) -> None:
        """Make all folders above a file that are not known to be there."""
        folder = posixpath.dirname(path)
        if not folder or folder in self._made:
            return
        self.above(folder)
        self._make(folder)
        self._made.add(folder)

    def forget(self, folder: str) -> None:
        """Note that a folder is about to be removed with its contents."""
        self._made = {made for made in self._made if not (made + "/").startswith(folder + "/")}


class MadeFoldersFromBelow(MadeFolders):
    """The same for a ``make`` that raises ``FileNotFoundError`` if the folder above is missing:
    usually one request suffices.
    """

    def above(self, path: str) -> None:
        """Make all folders above a file that are not known to be there."""
        folder = posixpath.dirname(path)
        if not folder or folder in self._made:
            return
        try:
            self._make(folder)
        except FileNotFoundError:
            self.above(folder)
            self._make(folder)
        self._made.add(folder)
