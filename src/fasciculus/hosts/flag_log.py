"""Inode flags that a switch takes away for a moment or sets, in a log of the side folder.

This file uses nothing but the standard library of Python 3.7 and later, so that a host can run it
after the text of ``inode_flags.py`` of ``core/bundle``.
"""

import errno
import json
import os
from contextlib import contextmanager, suppress
from typing import Any, Dict, Iterator, List, Tuple

from ..core.bundle.inode_flags import read_flags, replace_flags, set_flags

_NAME = "flags"
#: With one of these a file is not renamed, and nothing in a folder is.
_LOCKS = ("schg", "sappnd")


class FlagLog:
    """A log of flags by path, device and inode. ``side`` is the open side folder."""

    def __init__(self, side: int) -> None:
        self._side = side

    @contextmanager
    def without(self, found: List[Tuple[bytes, int]]) -> Iterator[None]:
        """Take away the flags that lock some files or folders, and set them again afterwards.

        ``found`` are paths with open descriptors. Raises ``PermissionError`` if none is locked.
        """
        locked = []
        for path, descriptor in found:
            names = read_flags(descriptor).split(",")
            if any(name in _LOCKS for name in names):
                locked.append((path, descriptor, ",".join(names)))
        if not locked:
            raise PermissionError(errno.EPERM, os.strerror(errno.EPERM))
        for path, descriptor, flags in locked:
            self._add(path, descriptor, flags, True)
            kept = [name for name in flags.split(",") if name not in _LOCKS]
            replace_flags(descriptor, ",".join(kept))
        try:
            yield
        finally:
            for _, descriptor, flags in locked:
                set_flags(descriptor, flags)

    def note(self, path: bytes, descriptor: int) -> None:
        """Record the flags of an open file before others are set."""
        self._add(path, descriptor, read_flags(descriptor), False)

    def _add(self, path: bytes, descriptor: int, flags: str, taken: bool) -> None:
        info = os.fstat(descriptor)
        row = {
            "path": os.fsdecode(path),
            "device": info.st_dev,
            "inode": info.st_ino,
            "flags": flags,
            "taken": taken,
        }
        how = os.O_WRONLY | os.O_CREAT | os.O_APPEND | os.O_NOFOLLOW | os.O_CLOEXEC
        with os.fdopen(os.open(_NAME, how, 0o600, dir_fd=self._side), "w") as file:
            file.write(json.dumps(row) + "\n")
            file.flush()
            os.fsync(file.fileno())

    def rows(self) -> Iterator[Dict[str, Any]]:
        """Yield the entries, the oldest first."""
        flags = os.O_RDONLY | os.O_NOFOLLOW | os.O_CLOEXEC
        with suppress(FileNotFoundError):
            with os.fdopen(os.open(_NAME, flags, dir_fd=self._side), encoding="utf-8") as file:
                for line in file:
                    # A crash may have cut the last line, before its flags were taken away.
                    with suppress(ValueError):
                        yield dict(json.loads(line))


def is_of(row: Dict[str, Any], descriptor: int) -> bool:
    """Return whether a log entry is of an open file."""
    info = os.fstat(descriptor)
    return (info.st_dev, info.st_ino) == (row["device"], row["inode"])
