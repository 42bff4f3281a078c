"""The folders below a root, opened name by name and never through a link.

This file uses nothing but the standard library of Python 3.7 and later, so that a host can run it
after the text of ``root_path.py`` of ``core/bundle``.
"""

import errno
import os
import stat
from contextlib import contextmanager
from typing import Iterator, List, Optional, Tuple

from ..core.bundle.root_path import FILE_FLAGS, FOLDER_FLAGS, child_folder

#: Paths that are named in a message or answer at most.
MOST_NAMED = 1000
_GONE = (errno.ENOENT, errno.ENOTDIR, errno.ELOOP)


class Folders:
    """Folders below a root; the one used last stays open."""

    def __init__(self, root: int) -> None:
        self._root = root
        self._path = b""
        self._last = -1

    def close(self) -> None:
        """Close all of them; harmless if they are closed."""
        self._forget()
        if self._root >= 0:
            os.close(self._root)
            self._root = -1

    def _forget(self) -> None:
        if self._last >= 0:
            os.close(self._last)
        self._path, self._last = b"", -1

    def parent(self, path: bytes, make: bool = False) -> Tuple[int, bytes]:
        """Return the open folder that a path is in, and its name there. Raises ``OSError``."""
        folder, _, name = path.rpartition(b"/")
        if name in (b"", b".", b".."):
            raise OSError(errno.ELOOP, "the path leads outside")
        if not folder:
            return self._root, name
        if folder != self._path or self._last < 0:
            self._forget()
            self._last = self._reached(folder, make)
            self._path = folder
        return self._last, name

    def _reached(self, folder: bytes, make: bool) -> int:
        here = os.dup(self._root)
        for part in folder.split(b"/"):
            try:
                if part in (b"", b".", b".."):
                    raise OSError(errno.ELOOP, "the path leads outside")
                further = (
                    child_folder(here, part, 0o700)
                    if make
                    else os.open(part, FOLDER_FLAGS, dir_fd=here)
                )
            finally:
                os.close(here)
            here = further
        return here

    def stat(self, path: bytes) -> Optional[os.stat_result]:
        """Return the state of a path; None if nothing has it."""
        try:
            folder, name = self.parent(path)
            return os.stat(name, dir_fd=folder, follow_symlinks=False)
        except OSError as error:
            if error.errno in _GONE:
                # A folder that was removed may be kept open.
                self._forget()
                return None
            raise

    def holds(self, path: bytes) -> bool:
        """Return whether something has a path."""
        return self.stat(path) is not None

    def open(self, path: bytes) -> int:
        """Open a file or folder for reading; the empty path is the root."""
        if not path:
            return os.open(b".", FOLDER_FLAGS, dir_fd=self._root)
        folder, name = self.parent(path)
        return os.open(name, FILE_FLAGS, dir_fd=folder)

    @contextmanager
    def opened(self, path: bytes) -> Iterator[Optional[int]]:
        """Open a file or folder for a while; None if there is neither."""
        info = self.stat(path) if path else os.fstat(self._root)
        if info is None or not (stat.S_ISREG(info.st_mode) or stat.S_ISDIR(info.st_mode)):
            yield None
            return
        descriptor = self.open(path)
        try:
            yield descriptor
        finally:
            os.close(descriptor)

    def newer(self, path: bytes, moment: int) -> List[str]:
        """Return the paths at or below a path that changed after a time, in ns since 1970."""
        found: List[str] = []
        pending = [path]
        while pending and len(found) < MOST_NAMED:
            here = pending.pop()
            info = self.stat(here)
            if info is None or info.st_ctime_ns > moment:
                found.append(os.fsdecode(here))
            if info is not None and stat.S_ISDIR(info.st_mode):
                folder = self.open(here)
                try:
                    names = sorted((os.fsencode(name) for name in os.listdir(folder)), reverse=True)
                finally:
                    os.close(folder)
                pending += [here + b"/" + name for name in names]
        return found
