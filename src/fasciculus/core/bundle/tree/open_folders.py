"""Folders held open from the root of a tree down to where a walk is.

The tree's owner may exchange a folder for a link at any time. So no path is looked up twice:
each folder is opened once, by its name in the folder above, without following a link, and what was
opened is compared with what was listed. Everything else happens relative to these descriptors.
"""

from __future__ import annotations

import errno
import os

from msgspec import Struct

from ..root_path import FOLDER_FLAGS

#: So many of a deep tree's folders are open at the same time.
_MOST = 128


class _Level(Struct):
    """A folder on the way; ``identity`` is its device and inode."""

    name: bytes
    identity: tuple[int, int]
    descriptor: int = -1


class OpenFolders:
    """A stack of folders, the root first. ``OSError`` says that one is not what it was."""

    def __init__(self, root: int) -> None:
        info = os.fstat(root)
        self._levels = [_Level(b"", (info.st_dev, info.st_ino), root)]
        self._open = 1

    def close(self) -> None:
        """Close all, the root too."""
        for level in self._levels:
            if level.descriptor >= 0:
                os.close(level.descriptor)
        self._levels.clear()

    @property
    def top(self) -> int:
        """Return the descriptor of the folder where the walk is."""
        level = self._levels[-1]
        if level.descriptor < 0:
            self._reopen()
        return level.descriptor

    def enter(self, name: bytes, info: os.stat_result) -> None:
        """Go into a folder of the present one, which was listed with that state."""
        above = self.top
        level = _Level(name, (info.st_dev, info.st_ino))
        level.descriptor = _opened(name, above, level.identity)
        self._levels.append(level)
        self._open += 1
        if self._open > _MOST:
            self._spare()

    def leave(self) -> None:
        """Go back to the folder above."""
        level = self._levels.pop()
        if level.descriptor >= 0:
            os.close(level.descriptor)
            self._open -= 1

    def _spare(self) -> None:
        """Close the one that will be wanted last, but for the root."""
        for level in self._levels[1:]:
            if level.descriptor >= 0:
                os.close(level.descriptor)
                level.descriptor = -1
                self._open -= 1
                return

    def _reopen(self) -> None:
        """Open the way down again, and keep the end of it."""
        kept = len(self._levels) - _MOST // 2
        above = self._levels[0].descriptor
        passed: list[int] = []
        try:
            for number, level in enumerate(self._levels[1:], 1):
                if level.descriptor < 0:
                    descriptor = _opened(level.name, above, level.identity)
                    if number < kept:
                        passed.append(descriptor)
                    else:
                        level.descriptor = descriptor
                        self._open += 1
                    above = descriptor
                else:
                    above = level.descriptor
                for old in passed[:-1]:
                    os.close(old)
                del passed[:-1]
        finally:
            for old in passed:
                os.close(old)


def _opened(name: bytes, above: int, identity: tuple[int, int]) -> int:
    """Return a folder by its name in another, if it is the one of that device and inode."""
    descriptor = os.open(name, FOLDER_FLAGS, dir_fd=above)
    info = os.fstat(descriptor)
    if (info.st_dev, info.st_ino) != identity:
        os.close(descriptor)
        raise OSError(errno.ESTALE, "it was exchanged for another folder meanwhile")
    return descriptor
