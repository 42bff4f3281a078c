"""Exchanging entries of a folder in use for new ones, by renames that a journal records.

Next to the folder, on the same file system, is a side folder that only root can enter. ``new`` has
the staged entries; ``journal`` has one operation a line; ``old`` holds what is set aside, ``late``
files that someone created while the operations ran, ``undone`` files that an undo has removed.

``state`` is ``staging`` until everything is staged and the journal is complete, then ``switching``
until the last operation is done, then ``switched``; an undo makes it ``undoing`` and ``undone``.
Each operation may be repeated: interrupted at any point, it is continued from the first one.

This file uses nothing but the standard library of Python 3.7 and later, so that a host can run it
after the texts of ``root_path.py`` of ``core/bundle`` and of ``side_folder.py``.
"""

import base64
import errno
import fcntl
import json
import os
import stat
import time
from contextlib import suppress
from typing import Any, Callable, Dict, Iterator, List, Optional, Tuple

from ..core.bundle.root_path import FOLDER_FLAGS, child_folder, open_root
from .side_folder import remove_side_folder

STAGING, SWITCHING, SWITCHED, UNDOING, UNDONE = (
    "staging",
    "switching",
    "switched",
    "undoing",
    "undone",
)
PLACE, REMOVE, DRESS = "place", "remove", "dress"
_FILE_FLAGS = os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK | os.O_CLOEXEC
_GONE = (errno.ENOENT, errno.ENOTDIR, errno.ELOOP)
_MOST_NAMED = 1000


class Switch:
    """The operations on one folder. ``home`` is the folder that links on the way to it must not
    leave; ``on_step`` is called before each change with its number.
    """

    def __init__(
        self,
        root: bytes,
        home: bytes,
        side: bytes,
        on_step: Callable[[int], None] = lambda number: None,
    ) -> None:
        self.side = side
        self._on_step, self._steps = on_step, 0
        self._side = open_root(side)
        try:
            # An earlier step may still be under way, though nobody waits for it any more.
            fcntl.flock(self._side, fcntl.LOCK_EX)
            self._live = _Folders(open_root(root, home))
        except BaseException:
            os.close(self._side)
            raise
        self._trees = {
            name: _Folders(child_folder(self._side, name.encode(), 0o700))
            for name in ("new", "old", "late", "undone")
        }
        #: What could not be done: path and reason.
        self.problems: List[Tuple[str, str]] = []

    def close(self) -> None:
        """Close all folders."""
        for tree in [self._live, *self._trees.values()]:
            tree.close()
        if self._side >= 0:
            os.close(self._side)
            self._side = -1

    # Journal ---------------------------------------------------------------------

    @property
    def state(self) -> str:
        """Return how far it is."""
        return str(self._read_state().get("state", STAGING))

    def _read_state(self) -> Dict[str, Any]:
        try:
            with self._opened("state") as file:
                found = json.load(file)
        except FileNotFoundError:
            return {}
        return dict(found)

    def _opened(self, name: str) -> Any:
        return os.fdopen(os.open(name, _FILE_FLAGS, dir_fd=self._side), encoding="utf-8")

    def _enter(self, state: str) -> None:
        """Record a state so that it survives a crash."""
        kept = dict(self._read_state(), state=state)
        kept[state] = time.time_ns()
        flags = os.O_WRONLY | os.O_CREAT | os.O_TRUNC | os.O_NOFOLLOW | os.O_CLOEXEC
        with os.fdopen(os.open("state.new", flags, 0o600, dir_fd=self._side), "w") as file:
            json.dump(kept, file)
            file.flush()
            os.fsync(file.fileno())
        os.rename("state.new", "state", src_dir_fd=self._side, dst_dir_fd=self._side)
        os.fsync(self._side)

    def operations(self) -> Iterator[Dict[str, Any]]:
        """Yield the operations of the journal in their order."""
        with self._opened("journal") as file:
            for line in file:
                yield json.loads(line)

    def _last_first(self) -> Iterator[Dict[str, Any]]:
        """Yield the operations of the journal, the last one first."""
        starts: List[int] = []
        with os.fdopen(os.open("journal", _FILE_FLAGS, dir_fd=self._side), "rb") as file:
            at = 0
            for line in file:
                starts.append(at)
                at += len(line)
            for start in reversed(starts):
                file.seek(start)
                yield json.loads(file.readline())

    # Switching -------------------------------------------------------------------

    def run(self) -> None:
        """Carry out all operations; the journal is complete, and everything is staged."""
        # What was staged must survive a crash before anything is exchanged for it.
        os.sync()
        self._enter(SWITCHING)
        self._forward()

    def _forward(self) -> None:
        for row in self.operations():
            self._try(self._do, row)
        os.sync()
        self._enter(SWITCHED)

    def recover(self) -> str:
        """Finish what was interrupted, or take it back; return the state it is in then: ``staging``
        if nothing was exchanged, so that the side folder may go.
        """
        state = self.state
        if state == SWITCHING:
            self._forward()
        elif state == UNDOING:
            self._backward()
        return self.state

    def _try(self, work: Callable[[Dict[str, Any]], None], row: Dict[str, Any]) -> None:
        try:
            work(row)
        except OSError as error:
            if error.errno in (errno.EIO, errno.EROFS, errno.ENOSPC, errno.EDQUOT):
                raise
            if len(self.problems) < _MOST_NAMED:
                self.problems.append((row["path"], error.strerror or str(error)))

    def _step(self) -> None:
        self._steps += 1
        self._on_step(self._steps)

    def _do(self, row: Dict[str, Any]) -> None:
        path = os.fsencode(row["path"])
        if row["op"] == PLACE:
            if not self._trees["new"].holds(path):
                return
            was_there = self._live.holds(path)
            if was_there:
                self._set_aside(path)
            try:
                self._move(self._trees["new"], self._live, path)
            except OSError:
                # Rather what was there than nothing.
                if was_there and self._trees["old"].holds(path) and not self._live.holds(path):
                    self._move(self._trees["old"], self._live, path)
                raise
        elif row["op"] == REMOVE:
            if self._live.holds(path) and not self._trees["old"].holds(path):
                self._set_aside(path)
        else:
            self._dress(path, row["new"])

    def _set_aside(self, path: bytes) -> None:
        """Move what has a path out of the way; nothing that is kept there is replaced."""
        if not self._trees["old"].holds(path):
            self._move(self._live, self._trees["old"], path)
            return
        self._move(self._live, self._trees["late"], path)
        kept = os.fsdecode(self.side) + "/late"
        self.problems.append((os.fsdecode(path), "something was put there meanwhile: " + kept))

    def _move(self, source: "_Folders", target: "_Folders", path: bytes) -> None:
        folder, name = source.parent(path)
        there = target.parent(path, make=target is not self._live)[0]
        self._step()
        os.rename(name, name, src_dir_fd=folder, dst_dir_fd=there)

    def _dress(self, path: bytes, like: Dict[str, Any]) -> None:
        """Set owner, attributes, mode and time of a folder, or of a file with one name."""
        descriptor = self._live.open(path)
        try:
            info = os.fstat(descriptor)
            if not stat.S_ISDIR(info.st_mode) and (
                not stat.S_ISREG(info.st_mode) or info.st_nlink != 1
            ):
                raise OSError(errno.ESTALE, "it was exchanged, and keeps its owner and mode")
            self._step()
            if os.geteuid() == 0 and (info.st_uid, info.st_gid) != (like["uid"], like["gid"]):
                os.fchown(descriptor, like["uid"], like["gid"])
            _set_attributes(descriptor, like["xattrs"])
            os.fchmod(descriptor, like["mode"])
            os.utime(descriptor, ns=(like["mtime"], like["mtime"]))
        finally:
            os.close(descriptor)

    # Undoing ---------------------------------------------------------------------

    def changed(self) -> List[str]:
        """Return the paths that changed since the switch, so that an undo would lose something."""
        moment = int(self._read_state().get(SWITCHED, 0))
        found: List[str] = []
        for row in self.operations():
            if len(found) >= _MOST_NAMED:
                break
            path = os.fsencode(row["path"])
            if row["op"] == PLACE:
                if not self._trees["new"].holds(path):
                    found += self._live.newer(path, moment)
            elif row["op"] == REMOVE and self._trees["old"].holds(path) and self._live.holds(path):
                found.append(row["path"])
        return found[:_MOST_NAMED]

    def undo(self) -> None:
        """Put back what was set aside; its replacements are kept in the side folder."""
        self._enter(UNDOING)
        self._backward()

    def _backward(self) -> None:
        for row in self._last_first():
            if row["op"] != DRESS:
                self._try(self._take_back, row)
        # As they were written: the deepest first, since each rename changes a folder's time.
        for row in self.operations():
            if row["op"] == DRESS:
                self._try(self._undress, row)
        os.sync()
        self._enter(UNDONE)

    def _take_back(self, row: Dict[str, Any]) -> None:
        path = os.fsencode(row["path"])
        old, undone = self._trees["old"], self._trees["undone"]
        if row["op"] == PLACE and self._trees["new"].holds(path):
            # It was never placed; what was there may have been set aside all the same.
            if old.holds(path) and not self._live.holds(path):
                self._move(old, self._live, path)
            return
        if row["op"] == REMOVE and not old.holds(path):
            return
        if not undone.holds(path) and self._live.holds(path):
            self._move(self._live, undone, path)
        if old.holds(path):
            self._move(old, self._live, path)

    def _undress(self, row: Dict[str, Any]) -> None:
        self._dress(os.fsencode(row["path"]), row["old"])

    def drop(self) -> None:
        """Remove the side folder with all that is set aside."""
        self.close()
        remove_side_folder(self.side)


class _Folders:
    """The folders below a root, opened name by name and never through a link."""

    def __init__(self, root: int) -> None:
        self._root = root
        self._path = b""
        self._last = -1

    def close(self) -> None:
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
        return os.open(name, _FILE_FLAGS, dir_fd=folder)

    def newer(self, path: bytes, moment: int) -> List[str]:
        """Return the paths at or below a path that changed after a time, in ns since 1970."""
        found: List[str] = []
        pending = [path]
        while pending and len(found) < _MOST_NAMED:
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


def _set_attributes(descriptor: int, wanted: Dict[str, str]) -> None:
    """Set extended attributes, and remove others that a user may set."""
    with suppress(OSError):
        for key in os.listxattr(descriptor):
            if key not in wanted and key.startswith(("user.", "system.posix_acl_")):
                os.removexattr(descriptor, key)
    for key, value in wanted.items():
        with suppress(OSError):
            os.setxattr(descriptor, key, base64.b64decode(value))
