"""A tree that is open for reading, at the place where a walk stands."""

from __future__ import annotations

import errno
import os
import stat

from ..root_path import FILE_FLAGS, open_root
from .open_folders import OpenFolders


class OpenTree:
    """The folders from a root to where a walk is, and the files in the one where it stands.

    Nothing is reached through a link, even if something is exchanged meanwhile. ``home`` is the
    folder that links on the way to the root must not leave.
    """

    def __init__(self, root: bytes, home: bytes = b"") -> None:
        self.folders = OpenFolders(open_root(root, home))
        self._relative = [b""]
        self._stayed = 0

    def __enter__(self) -> OpenTree:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def close(self) -> None:
        """Close it; harmless if it is closed already."""
        self.folders.close()

    def enter(self, name: bytes, relative: bytes, info: os.stat_result) -> None:
        """Go into a folder that was listed with that state. Raises ``OSError``."""
        self.folders.enter(name, info)
        self._relative.append(relative)

    def stay(self, relative: bytes) -> None:
        """Stand in for a folder that could not be opened."""
        self._relative.append(relative)
        self._stayed += 1

    def leave(self) -> None:
        """Go back to the folder above."""
        self._relative.pop()
        if self._stayed:
            self._stayed -= 1
        else:
            self.folders.leave()

    def place(self, name: bytes) -> bytes:
        """Return a path to a name in the present folder, for calls that take no descriptor; its
        last part must not be followed.
        """
        return b"/proc/self/fd/%d/%s" % (self.folders.top, name)

    def open(self, relative: bytes) -> tuple[int, os.stat_result]:
        """Open a file of the folder where the walk stands; return its descriptor and state.

        Raises ``OSError``, also for what is no file any more.
        """
        folder, _, name = relative.rpartition(b"/")
        if folder != self._relative[-1]:
            raise OSError(errno.ESTALE, "the walk has gone on")
        descriptor = os.open(name, FILE_FLAGS, dir_fd=self.folders.top)
        info = os.fstat(descriptor)
        if not stat.S_ISREG(info.st_mode):
            os.close(descriptor)
            raise OSError(errno.ELOOP, "it is no file any more")
        return descriptor, info
