"""Exchanging entries of a folder in use for new ones, by renames that a journal records.

Next to the folder, on the same file system, is a side folder that only root can enter. ``new`` has
the staged entries; ``journal`` has one operation a line; ``old`` holds what is set aside, ``late``
files that someone created while the operations ran, ``undone`` files that an undo has removed.

``state`` is ``staging`` until everything is staged and the journal is complete, then ``switching``
until the last operation is done, then ``switched``; an undo makes it ``undoing`` and ``undone``.
Each operation may be repeated: interrupted at any point, it is continued from the first one.

This file uses nothing but the standard library of Python 3.7 and later, so that a host can run it
after the texts of ``root_path.py`` and ``inode_flags.py`` of ``core/bundle``, of
``side_folder.py``, ``switch_folders.py`` and ``flag_log.py``.
"""

import base64
import errno
import fcntl
import json
import os
import stat
import time
from contextlib import ExitStack, suppress
from typing import Any, Callable, Dict, Iterator, List, Tuple

from ..core.bundle.inode_flags import replace_flags, set_flags
from ..core.bundle.root_path import FILE_FLAGS, child_folder, open_root
from .flag_log import FlagLog, is_of
from .side_folder import remove_side_folder
from .switch_folders import MOST_NAMED, Folders

STAGING, SWITCHING, SWITCHED, UNDOING, UNDONE = (
    "staging",
    "switching",
    "switched",
    "undoing",
    "undone",
)
PLACE, REMOVE, DRESS, FLAG = "place", "remove", "dress", "flag"


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
            self._live = Folders(open_root(root, home))
        except BaseException:
            os.close(self._side)
            raise
        self._trees = {
            name: Folders(child_folder(self._side, name.encode(), 0o700))
            for name in ("new", "old", "late", "undone")
        }
        self._flags = FlagLog(self._side)
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
        return os.fdopen(os.open(name, FILE_FLAGS, dir_fd=self._side), encoding="utf-8")

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
        with os.fdopen(os.open("journal", FILE_FLAGS, dir_fd=self._side), "rb") as file:
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
        self._lock_again()
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
            if len(self.problems) < MOST_NAMED:
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
        elif row["op"] == FLAG:
            self._flag(path, row["flags"])
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

    def _move(self, source: Folders, target: Folders, path: bytes) -> None:
        folder, name = source.parent(path)
        there = target.parent(path, make=target is not self._live)[0]
        self._step()
        try:
            os.rename(name, name, src_dir_fd=folder, dst_dir_fd=there)
        except PermissionError:
            above = path.rpartition(b"/")[0]
            with ExitStack() as opened:
                found = [
                    (place, opened.enter_context(tree.opened(place)))
                    for tree, place in ((source, path), (self._live, above))
                ]
                with self._flags.without([(p, d) for p, d in found if d is not None]):
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
            try:
                _put_on(descriptor, info, like)
            except PermissionError:
                with self._flags.without([(path, descriptor)]):
                    _put_on(descriptor, info, like)
        finally:
            os.close(descriptor)

    # Inode flags -----------------------------------------------------------------

    def _flag(self, path: bytes, flags: str) -> None:
        """Give a file or folder inode flags, in addition to its own."""
        with self._live.opened(path) as descriptor:
            if descriptor is None:
                raise OSError(errno.ESTALE, "it was exchanged, and gets no inode flags")
            self._step()
            self._flags.note(path, descriptor)
            try:
                set_flags(descriptor, flags)
            except PermissionError:
                # An immutable file gets no other flags.
                with self._flags.without([(path, descriptor)]):
                    set_flags(descriptor, flags)

    def _lock_again(self) -> None:
        """Set the flags that were taken away for an operation which was interrupted then."""
        for row in self._flags.rows():
            if row["taken"]:
                for tree in (self._live, *self._trees.values()):
                    self._flag_if_same(tree, row, set_flags)

    def _unflag(self) -> None:
        """Take the flags away that were set, now that all else is as before."""
        seen = set()
        for row in self._flags.rows():
            if not row["taken"] and row["path"] not in seen:
                seen.add(row["path"])
                self._flag_if_same(self._live, row, replace_flags)

    def _flag_if_same(
        self, tree: Folders, row: Dict[str, Any], give: Callable[[int, str], None]
    ) -> None:
        def work(row: Dict[str, Any]) -> None:
            with tree.opened(os.fsencode(row["path"])) as descriptor:
                if descriptor is not None and is_of(row, descriptor):
                    give(descriptor, row["flags"])

        self._try(work, row)

    # Undoing ---------------------------------------------------------------------

    def changed(self) -> List[str]:
        """Return the paths that changed since the switch, so that an undo would lose something."""
        moment = int(self._read_state().get(SWITCHED, 0))
        found: List[str] = []
        for row in self.operations():
            if len(found) >= MOST_NAMED:
                break
            path = os.fsencode(row["path"])
            if row["op"] == PLACE:
                if not self._trees["new"].holds(path):
                    found += self._live.newer(path, moment)
            elif row["op"] == REMOVE and self._trees["old"].holds(path) and self._live.holds(path):
                found.append(row["path"])
        return found[:MOST_NAMED]

    def undo(self) -> None:
        """Put back what was set aside; its replacements are kept in the side folder."""
        self._enter(UNDOING)
        self._backward()

    def _backward(self) -> None:
        for row in self._last_first():
            if row["op"] in (PLACE, REMOVE):
                self._try(self._take_back, row)
        # As they were written: the deepest first, since each rename changes a folder's time.
        for row in self.operations():
            if row["op"] == DRESS:
                self._try(self._undress, row)
        self._unflag()
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


def _put_on(descriptor: int, info: os.stat_result, like: Dict[str, Any]) -> None:
    if os.geteuid() == 0 and (info.st_uid, info.st_gid) != (like["uid"], like["gid"]):
        os.fchown(descriptor, like["uid"], like["gid"])
    _set_attributes(descriptor, like["xattrs"])
    os.fchmod(descriptor, like["mode"])
    os.utime(descriptor, ns=(like["mtime"], like["mtime"]))


def _set_attributes(descriptor: int, wanted: Dict[str, str]) -> None:
    """Set extended attributes, and remove others that a user may set."""
    with suppress(OSError):
        for key in os.listxattr(descriptor):
            if key not in wanted and key.startswith(("user.", "system.posix_acl_")):
                os.removexattr(descriptor, key)
    for key, value in wanted.items():
        with suppress(OSError):
            os.setxattr(descriptor, key, base64.b64decode(value))
