"""The folder that a restore writes into, by descriptors, so that nothing leads it elsewhere.

Until the end every folder in it belongs to the service's own user: whoever owns what is restored
cannot exchange anything meanwhile. Paths are relative to the target and may be of any length.
"""

from __future__ import annotations

import errno
import os
from contextlib import suppress
from typing import IO

from ...core.bundle.root_path import FOLDER_FLAGS, NEW_FILE_FLAGS, child_folder, make_root
from ...core.errors import DamagedError

#: Folders that are kept open.
_OPEN = 64
_BLOCK = 64 * 1024
#: What is worth looking for them.
_HOLE = bytes(16 * 1024)
_NO_FOLDER = (errno.ELOOP, errno.ENOTDIR)


class RestoreTarget:
    """An empty folder being filled. Nothing that is there is ever written over."""

    def __init__(self, path: bytes) -> None:
        self._root = make_root(path)
        self._open: dict[bytes, int] = {}

    def close(self) -> None:
        for descriptor in self._open.values():
            os.close(descriptor)
        self._open.clear()
        if self._root >= 0:
            os.close(self._root)
            self._root = -1

    @property
    def is_empty(self) -> bool:
        return not os.listdir(self._root)

    @property
    def free(self) -> int:
        """Bytes that are free there."""
        info = os.fstatvfs(self._root)
        return info.f_bavail * info.f_frsize

    def folder(self, path: bytes, mode: int = 0o755) -> int:
        """The descriptor of a folder, which is made with what leads to it where it is missing."""
        if not path:
            return self._root
        known = self._open.pop(path, None)
        if known is None:
            known = self._reach(path, mode)
        self._open[path] = known
        while len(self._open) > _OPEN:
            os.close(self._open.pop(next(iter(self._open))))
        return known

    def _reach(self, path: bytes, mode: int) -> int:
        """Open a folder from the nearest one above it that is open."""
        here, above, below = self._nearest(path)
        while below:
            name = below.pop()
            above = above + b"/" + name if above else name
            try:
                further = child_folder(here, name, 0o755 if below else mode)
            except OSError as error:
                if error.errno not in _NO_FOLDER:
                    raise
                # A listing must not lead the restore out of its target.
                raise DamagedError(
                    f"{os.fsdecode(above)} is a link or a file where a folder should be."
                ) from error
            finally:
                os.close(here)
            here = further
        return here

    def _nearest(self, path: bytes) -> tuple[int, bytes, list[bytes]]:
        """The nearest open folder above a path: a new descriptor of it, its path, and the names
        that are left, the last one first."""
        above, below = path, list[bytes]()
        while above and above not in self._open:
            above, _, name = above.rpartition(b"/")
            below.append(name)
        return os.dup(self._open[above] if above else self._root), above, below

    def place(self, path: bytes) -> tuple[int, bytes]:
        """The open folder and the name of an entry, with what leads to it made."""
        above, _, name = path.rpartition(b"/")
        return self.folder(above), name

    def new_file(self, path: bytes) -> int:
        """A new file, readable by nobody else yet."""
        folder, name = self.place(path)
        return os.open(name, NEW_FILE_FLAGS, 0o600, dir_fd=folder)

    def drop(self, path: bytes) -> None:
        """Remove a file again."""
        folder, name = self.place(path)
        with suppress(OSError):
            os.unlink(name, dir_fd=folder)

    def holds(self, path: bytes) -> bool:
        """Whether something was written under a path."""
        above, _, name = path.rpartition(b"/")
        here, _, below = self._nearest(above)
        try:
            while below:
                further = os.open(below.pop(), FOLDER_FLAGS, dir_fd=here)
                os.close(here)
                here = further
            os.stat(name, dir_fd=here, follow_symlinks=False)
        except OSError as error:
            if error.errno in (errno.ENOENT, *_NO_FOLDER):
                return False
            raise
        finally:
            os.close(here)
        return True

    def link(self, first: bytes, path: bytes) -> None:
        """Give a file that was written here another name."""
        folder, name = self.place(path)
        above, _, old = first.rpartition(b"/")
        # Both stay open: the first was the last one asked for.
        os.link(old, name, src_dir_fd=self.folder(above), dst_dir_fd=folder, follow_symlinks=False)


def write_sparsely(sink: IO[bytes], data: bytes) -> None:
    """Write to a new file; long stretches of zeros become holes, which take no room."""
    if _HOLE not in data:
        sink.write(data)
        return
    for start in range(0, len(data), _BLOCK):
        block = data[start : start + _BLOCK]
        if not block.strip(b"\0"):
            sink.seek(len(block), os.SEEK_CUR)
        else:
            sink.write(block)
