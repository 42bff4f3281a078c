"""This machine."""

from __future__ import annotations

import os
import stat
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from functools import partial
from pathlib import Path
from typing import Any, Literal

from ..core.bundle.entry import Entry
from ..core.bundle.inode_flags import read_flags
from ..core.bundle.root_path import open_file, open_listed_file
from ..core.bundle.tree import tree_walk as walking
from ..core.bundle.tree.open_tree import OpenTree
from ..core.bundle.tree.tree_walk import WalkRules, Warn, forget_names
from ..core.errors import FasciculusError, MissingError
from ..core.steps import Step
from ..kinds import Secrets, Settings
from .base import (
    CommandResult,
    FileState,
    HostEntry,
    HostKind,
    TreeName,
)
from .local_side import LocalSide
from .local_tree import LocalTree
from .placed_files import remove_file, write_file
from .text_files import read_text_of

#: The grain of a file system's clock, and more.
_GRAIN_NS = 20_000_000
_CHUNK = 1024 * 1024
_SMALL = 64 * 1024


class LocalFile:
    """An open file of this machine, read without a buffer; ``size`` is what it had at that time."""

    def __init__(self, descriptor: int, size: int) -> None:
        self._descriptor, self._size = descriptor, size

    def fileno(self) -> int:
        """Return its descriptor."""
        return self._descriptor

    def read(self, count: int = -1, /) -> bytes:
        """Return the next bytes, ``count`` at most; all without a count."""
        if count >= 0:
            # Memory for so many is set aside before: most files are small.
            return os.read(self._descriptor, min(count, max(self._size + 1, _SMALL)))
        chunks = []
        while data := os.read(self._descriptor, _CHUNK):
            chunks.append(data)
        return b"".join(chunks)

    def now(self) -> FileState:
        """Return the present state of the file."""
        info = os.fstat(self._descriptor)
        return FileState(info.st_size, info.st_mtime_ns, info.st_ctime_ns)

    def again(self) -> bool:
        """Start reading from the beginning; return whether that is possible."""
        os.lseek(self._descriptor, 0, os.SEEK_SET)
        self._size = os.fstat(self._descriptor).st_size
        return True

    def close(self) -> None:
        """Close it; harmless if it is closed already."""
        if self._descriptor >= 0:
            os.close(self._descriptor)
            self._descriptor = -1


class LocalSettings(Settings):
    """The machine that the service runs on."""

    kind: Literal["local"] = "local"

    def describe(self) -> str:
        """Return its place, in a few words for a list."""
        return "this machine"


class LocalHost:
    """The machine that the worker runs on."""

    is_local, tells_ctime, seen_key = True, True, ""

    def __init__(self) -> None:
        forget_names()

    def steps(self) -> Iterator[Step]:
        """Yield the steps of connecting."""
        yield from ()

    def connect(self) -> None:
        """Connect; harmless if it is connected already."""

    def settled_ns(self) -> int:
        """Return the time before which changes are certain to have been seen, in ns."""
        return time.time_ns() - _GRAIN_NS

    def close(self) -> None:
        """Close it; harmless if it is closed already."""

    def spool_in(self, folder: Path) -> None:
        """Use another folder for temporary files."""

    def tree(self, root: str, chosen: WalkRules, warn: Warn, home: str = "") -> Iterator[HostEntry]:
        """Yield the entries of a tree in scan order."""
        with _opened(root, home) as tree:
            try:
                for entry in walking.scan(b"", "files", chosen, warn, tree):
                    open_ = partial(self.opened, tree, entry, entry.path)
                    if chosen.opens_files:
                        open_ = partial(_with_xattrs, open_, entry, warn)
                    yield HostEntry(entry, open_)
            except OSError as error:
                raise FasciculusError(
                    f"The folder {root} cannot be read: {error.strerror}.",
                    "Check its owner and rights.",
                ) from error

    def survey(self, root: str, warn: Warn, home: str = "") -> Iterator[TreeName]:
        """Yield the names of a tree in scan order."""
        with _opened(root, home) as tree:
            stack = [(b"", iter(_listed(tree, b"", warn)))]
            while stack:
                folder, names = stack[-1]
                below = folder + b"/" if folder else b""
                here = tree.folders.top
                for name in names:
                    try:
                        info = os.stat(name, dir_fd=here, follow_symlinks=False)
                    except OSError:
                        continue
                    kind = info.st_mode & 0o170000
                    is_dir = kind == stat.S_IFDIR
                    relative = below + name
                    yield TreeName(
                        relative,
                        is_dir,
                        kind == stat.S_IFREG,
                        info.st_size,
                        info.st_mtime_ns,
                        info.st_dev,
                    )
                    if is_dir and _entered(tree, name, relative, info, warn):
                        stack.append((relative, iter(_listed(tree, relative, warn))))
                        break
                else:
                    stack.pop()
                    if stack:
                        tree.leave()

    @staticmethod
    def opened(tree: OpenTree, entry: Entry, path: bytes) -> LocalFile:
        """Open a file where a walk stands; the entry says what was opened, should another file
        have taken the name since it was listed.
        """
        descriptor, info = tree.open(path)
        entry.flags = read_flags(descriptor)
        if (info.st_dev, info.st_ino) != (entry.device, entry.inode):
            entry.size, entry.mode = info.st_size, stat.S_IMODE(info.st_mode)
            entry.uid, entry.gid = info.st_uid, info.st_gid
            entry.user, entry.group = (
                walking.user_name(info.st_uid),
                walking.group_name(info.st_gid),
            )
            entry.mtime_ns, entry.ctime_ns = info.st_mtime_ns, info.st_ctime_ns
            entry.device, entry.inode = info.st_dev, info.st_ino
        return LocalFile(descriptor, info.st_size)

    def open(self, path: bytes) -> LocalFile:
        """Return a stream of a file's bytes."""
        # A FIFO put where a file was must not hold the worker up, nor a link lead it away.
        descriptor = open_listed_file(path)
        return LocalFile(descriptor, os.fstat(descriptor).st_size)

    def type_of(self, path: str) -> str:
        """Return whether a path is a file, a folder or something else, empty if nothing."""
        if os.path.isfile(path):
            return "file"
        if os.path.isdir(path):
            return "dir"
        return "other" if os.path.exists(path) else ""

    def names(self, folder: bytes) -> list[bytes]:
        """Return the names in a folder."""
        return os.listdir(folder)

    def read_text(self, path: str) -> str:
        """Return the text of a settings file."""
        try:
            with open(open_file(os.fsencode(path)), "rb") as file:
                return read_text_of(file, path)
        except OSError as error:
            raise MissingError(
                f"{path} cannot be read: {error.strerror}.", "Correct the host's mail settings."
            ) from error

    def describe(self, path: bytes, kind: str, relative: bytes, warn: Warn) -> Entry | None:
        """Return the entry of a path, None if it does not exist."""
        try:
            return walking.describe(path, kind, relative, os.lstat(path), warn)
        except FileNotFoundError:
            return None

    def write(self, path: str, data: bytes) -> None:
        """Replace a file atomically."""
        write_file(os.fsencode(path), data)

    def writable_tree(self, root: str) -> LocalTree:
        """Open a folder for restored entries."""
        return LocalTree(os.fsencode(root))

    def side_folder(self, root: str, home: str, name: str) -> LocalSide:
        """Return the side folder of a restore in place."""
        return LocalSide(self, os.fsencode(root), os.fsencode(home), name.encode())

    def remove(self, path: str) -> None:
        """Remove a file; harmless if it does not exist."""
        remove_file(os.fsencode(path))

    def run(
        self, command: str, seconds: float, stdin: bytes = b"", limit: int = 1 << 20
    ) -> CommandResult:
        """Run a command with the shell."""
        from .local_command import run

        return run(command, seconds, stdin, limit)

    def state_of(self, path: bytes) -> bytes:
        """Return a value that changes with every write to a file."""
        try:
            info = os.stat(path)
        except OSError:
            return b""
        return f"{info.st_size} {info.st_mtime_ns} {info.st_ctime_ns} {info.st_ino}".encode()

    def dial(self, socket: str, address: str, port: int) -> Any:
        """Return None: the driver connects by itself."""
        return None


@contextmanager
def _opened(root: str, home: str) -> Iterator[OpenTree]:
    try:
        tree = OpenTree(os.fsencode(root), os.fsencode(home))
    except FileNotFoundError as error:
        raise MissingError(
            f"The folder {root} does not exist.", "Correct the folder of this account or site."
        ) from error
    except OSError as error:
        raise FasciculusError(
            f"The folder {root} cannot be read: {error.strerror}.", "Check its owner and rights."
        ) from error
    with tree:
        yield tree


def _with_xattrs(open_: Callable[[], LocalFile], entry: Entry, warn: Warn) -> LocalFile:
    """Open a file, and read its extended attributes into its entry."""
    file = open_()
    entry.xattrs = walking.read_xattrs(file.fileno(), entry.path, warn)
    return file


def _listed(tree: OpenTree, relative: bytes, warn: Warn) -> list[bytes]:
    try:
        return sorted(os.fsencode(name) for name in os.listdir(tree.folders.top))
    except OSError as error:
        warn(f"{walking.shown(relative)}: the folder could not be read ({error.strerror})")
        return []


def _entered(
    tree: OpenTree, name: bytes, relative: bytes, info: os.stat_result, warn: Warn
) -> bool:
    try:
        tree.enter(name, relative, info)
    except OSError as error:
        warn(f"{walking.shown(relative)}: the folder could not be read ({error.strerror})")
        return False
    return True


KIND = HostKind(
    "local",
    "This machine",
    LocalSettings,
    Secrets,
    lambda spec, spool: LocalHost(),
    max_concurrent=os.cpu_count() or 1,
)
