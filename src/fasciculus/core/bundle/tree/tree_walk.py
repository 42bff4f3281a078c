"""One walk over a local tree, in scan order, that never follows a link and never stops."""

from __future__ import annotations

import errno
import grp
import os
import pwd
import stat
from collections.abc import Callable, Iterator
from contextlib import AbstractContextManager
from functools import lru_cache

from msgspec import Struct

from ...file_filters import CACHE_MARK, CACHE_TAG, ON_THE_WAY, FileSelector
from ..entry import BLOCK, CHAR, DIR, FIFO, FILE, SYMLINK, Entry
from ..inode_flags import read_flags
from ..root_path import FILE_FLAGS, FOLDER_FLAGS
from ..stat_block import StatBlock
from ..states.stat_cache import StatCache, folder_state_of, state_of
from .open_tree import OpenTree

Warn = Callable[[str], None]

_IGNORE_SIZE = 64 * 1024

_TYPES = {
    stat.S_IFREG: FILE,
    stat.S_IFDIR: DIR,
    stat.S_IFLNK: SYMLINK,
    stat.S_IFIFO: FIFO,
    stat.S_IFCHR: CHAR,
    stat.S_IFBLK: BLOCK,
}
_NO_XATTRS = (errno.ENOTSUP, errno.EPERM, errno.EACCES, errno.ENODATA)


@lru_cache(maxsize=4096)
def user_name(uid: int) -> str:
    """Return the name of a user, empty if the system knows none."""
    try:
        return pwd.getpwuid(uid).pw_name
    except KeyError:
        return ""


@lru_cache(maxsize=4096)
def group_name(gid: int) -> str:
    """Return the name of a group, empty if the system knows none."""
    try:
        return grp.getgrgid(gid).gr_name
    except KeyError:
        return ""


def forget_names() -> None:
    """Ask the system again for the names of users and groups: a process may live for many tasks."""
    user_name.cache_clear()
    group_name.cache_clear()


def shown(path: bytes) -> str:
    """Return a path for people."""
    return path.decode("utf-8", "backslashreplace")


#: Bytes of an entry's extended attributes; a file system may hold a thousand times as much.
MOST_ATTRIBUTES = 1024 * 1024
TOO_LARGE_ATTRIBUTES = "its attributes have more than 1 MiB and are not kept"


def read_xattrs(place: bytes | int, where: bytes, warn: Warn) -> dict[str, bytes]:
    """Return the extended attributes of a path, or of an open file; what is wrong with them is
    said to ``warn``.
    """
    follows = isinstance(place, int)
    try:
        keys = os.listxattr(place, follow_symlinks=follows)
        if not keys:
            return {}
        good = [key for key in keys if is_utf8(key)]
        if len(good) < len(keys):
            warn(f"{shown(where)}: an attribute whose name is not UTF-8 is not kept")
        found = {key: os.getxattr(place, key, follow_symlinks=follows) for key in good}
        if sum(map(len, found.values())) <= MOST_ATTRIBUTES:
            return found
        warn(f"{shown(where)}: {TOO_LARGE_ATTRIBUTES}")
        return {}
    except FileNotFoundError:
        return {}
    except OSError as error:
        if error.errno not in _NO_XATTRS:
            warn(f"{shown(where)}: its extended attributes could not be read ({error.strerror})")
        return {}


def is_utf8(name: str) -> bool:
    """Return whether a name that the system gave can be kept as text."""
    try:
        name.encode()
    except UnicodeEncodeError:
        return False
    return True


def describe(
    path: bytes, kind: str, relative: bytes, info: os.stat_result, warn: Warn
) -> Entry | None:
    """Return the entry of one path from its ``lstat``; None, after a warning, for what tar cannot
    hold.
    """
    entry = _described(path, kind, relative, info, warn)
    if entry is not None:
        entry.xattrs = read_xattrs(path, relative, warn)
    return entry


def _described(
    path: bytes, kind: str, relative: bytes, info: os.stat_result, warn: Warn
) -> Entry | None:
    """Return the same without its extended attributes."""
    type_ = _TYPES.get(stat.S_IFMT(info.st_mode))
    if type_ is None:
        warn(f"{shown(relative)}: a socket, left out (it has no contents to keep)")
        return None
    entry = Entry(
        kind=kind,
        path=relative,
        type=type_,
        size=info.st_size if type_ == FILE else 0,
        mode=stat.S_IMODE(info.st_mode),
        uid=info.st_uid,
        gid=info.st_gid,
        user=user_name(info.st_uid),
        group=group_name(info.st_gid),
        mtime_ns=info.st_mtime_ns,
        ctime_ns=info.st_ctime_ns,
        inode=info.st_ino,
        device=info.st_dev,
    )
    if type_ == SYMLINK:
        entry.target = os.readlink(path)
    elif type_ in (CHAR, BLOCK):
        entry.rdev = (os.major(info.st_rdev), os.minor(info.st_rdev))
    elif type_ == DIR:
        entry.flags = _folder_flags(path)
    return entry


def _folder_flags(path: bytes) -> str:
    try:
        descriptor = os.open(path, FOLDER_FLAGS)
    except OSError:
        return ""
    try:
        return read_flags(descriptor)
    finally:
        os.close(descriptor)


class WalkRules(Struct, frozen=True):
    """The wanted part of a tree.

    ``excluded`` are paths relative to the root that are skipped with all below them. ``chooser``
    decides on the rest; ``on_excluded`` is called with each excluded path and its rule.
    """

    excluded: frozenset[bytes] = frozenset()
    chooser: FileSelector | None = None
    on_excluded: Callable[[bytes, int, str], None] = lambda path, size, rule: None
    #: Called for a plain file with one name; returns True if it needs no description, since it is
    #: listed
    #: already.
    is_known: Callable[[bytes, os.stat_result], bool] | None = None
    #: Whether each plain file with one name will be opened: its extended attributes are read then,
    #: which takes a tenth of the time.
    opens_files: bool = False
    #: The states of the previous bundle, with callbacks for a run, or one entry, that is
    #: it was.
    states: StatCache | None = None
    on_run: Callable[[StatBlock], bool] = lambda run: False
    on_same: Callable[[StatBlock, bytes], bool] = lambda run, line: False
    #: For hosts that send all contents in one stream: provides a test of whether an entry is
    #: unchanged and need not be sent, to be called in scan order; ``on_unchanged`` then lists the
    #: entry again.
    unchanged: Callable[[], AbstractContextManager[Callable[[Entry], bool]]] | None = None
    on_unchanged: Callable[[Entry], bool] = lambda entry: False

    @property
    def one_file_system(self) -> bool:
        """Return whether other file systems are skipped."""
        return self.chooser is not None and self.chooser.rules.one_file_system

    def judge(self, path: bytes, is_dir: bool, is_file: bool, size: int, mtime_ns: int) -> str:
        """Return the chooser's verdict on a path; ``on_excluded`` is called for excluded ones."""
        if self.chooser is None:
            return ""
        verdict = self.chooser.judge(path, is_dir, is_file, size, mtime_ns)
        if verdict and verdict != ON_THE_WAY:
            self.on_excluded(path, 0 if is_dir else size, verdict)
        return verdict


class _Folder(Struct):
    """A folder of the walk: the names still to come, the last first."""

    relative: bytes
    names: list[bytes]
    #: Its entry, as long as nothing in it was found to go in.
    owed: Entry | None = None


def scan(
    root: bytes,
    kind: str = "files",
    chosen: WalkRules | None = None,
    warn: Warn = lambda message: None,
    open_: OpenTree | None = None,
) -> Iterator[Entry]:
    """Yield the entries of a tree, the root itself first.

    Unreadable and vanished entries are reported through ``warn``, and the walk continues. Raises
    ``OSError`` only when the root itself cannot be read. ``open_`` is the opened tree, whose files
    the caller reads at the walk's position.
    """
    chosen = chosen or WalkRules()
    if open_ is not None:
        yield from _Walk(open_, kind, chosen, warn).entries()
        return
    with OpenTree(root) as found:
        yield from _Walk(found, kind, chosen, warn).entries()


class _Walk:
    """One walk over a tree that is open."""

    def __init__(self, tree: OpenTree, kind: str, chosen: WalkRules, warn: Warn) -> None:
        self._tree, self._kind, self._chosen, self._warn = tree, kind, chosen, warn
        self._linked: dict[tuple[int, int], bytes] = {}
        self._device: int | None = None
        # A stack of sorted folders instead of recursion, so that depth is not limited.
        self._stack: list[_Folder] = []

    def entries(self) -> Iterator[Entry]:
        info = os.fstat(self._tree.folders.top)
        top = describe(self._tree.place(b"."), self._kind, b"", info, self._warn)
        assert top is not None
        self._device = info.st_dev if self._chosen.one_file_system else None
        if not _same_root(info, self._chosen):
            yield top
        self._stack.append(self._entered(b"", fatal=True))
        while self._stack:
            folder = self._stack[-1]
            if not folder.names:
                self._stack.pop()
                if self._stack:
                    self._tree.leave()
                continue
            states = self._chosen.states
            run = states.seek(folder.relative, folder.names[-1]) if states is not None else None
            if run is not None and run.is_plain and self._take_run(run, folder):
                continue
            name = folder.names.pop()
            relative = folder.relative + b"/" + name if folder.relative else name
            if relative in self._chosen.excluded:
                continue
            try:
                yield from self._entry(name, relative, run)
            except FileNotFoundError:
                self._warn(f"{shown(relative)}: vanished while it was read")
            except OSError as error:
                self._warn(f"{shown(relative)}: could not be read ({error.strerror})")

    def _entry(self, name: bytes, relative: bytes, run: StatBlock | None) -> Iterator[Entry]:
        """Yield one name of the present folder, and what is to be listed before it."""
        chosen = self._chosen
        info = os.stat(name, dir_fd=self._tree.folders.top, follow_symlinks=False)
        is_dir = stat.S_ISDIR(info.st_mode)
        is_file = stat.S_ISREG(info.st_mode)
        verdict = chosen.judge(relative, is_dir, is_file, info.st_size, info.st_mtime_ns)
        if verdict and verdict != ON_THE_WAY:
            return
        if run is not None and is_dir and run.is_folder:
            if run.unchanged([folder_state_of(info)]) and chosen.on_run(run):
                if self._device is None or info.st_dev == self._device:
                    self._enter(name, relative, info)
                return
        elif run is not None and not is_dir and run.is_plain:
            line = run.line(name, state_of(info))
            if line is not None and chosen.on_same(run, line):
                return
        is_known = chosen.is_known
        if is_known is not None and info.st_nlink == 1 and is_file:
            # What leads to it must be listed before it.
            yield from _owed(self._stack)
            if is_known(relative, info):
                return
        place = self._tree.place(name)
        entry = _described(place, self._kind, relative, info, self._warn)
        if entry is None:
            return
        if not (chosen.opens_files and is_file and info.st_nlink == 1):
            entry.xattrs = read_xattrs(place, relative, self._warn)
        if verdict != ON_THE_WAY:
            yield from _owed(self._stack)
            self._note_links(entry, info)
            yield entry
        if is_dir and self._device is not None and info.st_dev != self._device:
            chosen.on_excluded(relative, 0, "on another file system")
        elif is_dir:
            self._enter(name, relative, info)
            self._stack[-1].owed = entry if verdict == ON_THE_WAY else None

    def _note_links(self, entry: Entry, info: os.stat_result) -> None:
        """Lead a further name of a file to the first one."""
        if info.st_nlink > 1 and entry.type == FILE:
            entry.links = info.st_nlink
            first = self._linked.setdefault((info.st_dev, info.st_ino), entry.path)
            if first is not entry.path:
                entry.link = first

    def _enter(self, name: bytes, relative: bytes, info: os.stat_result) -> None:
        try:
            self._tree.enter(name, relative, info)
        except OSError as error:
            self._warn(_unread_folder(relative, error))
            self._tree.stay(relative)
            self._stack.append(_Folder(relative, []))
            return
        self._stack.append(self._entered(relative))

    def _entered(self, relative: bytes, fatal: bool = False) -> _Folder:
        """Return the names of the folder that was just opened."""
        here = self._tree.folders.top
        names = _names(here, relative, self._warn, fatal)
        chooser = self._chosen.chooser
        if chooser is not None and chooser.looks_into_folders and names:
            tag = _head(here, CACHE_TAG, len(CACHE_MARK)) if CACHE_TAG in names else None
            ignore = os.fsencode(chooser.rules.ignore_file)
            text = None
            if ignore and ignore in names:
                text = _head(here, ignore, _IGNORE_SIZE).decode("utf-8", "surrogateescape")
            chooser.enter(relative, tag, text)
        return _Folder(relative, names)

    def _take_run(self, run: StatBlock, folder: _Folder) -> bool:
        """Take the next names of a folder in one go when they are a run of the previous bundle
        that did not change.
        """
        names = run.names
        count = len(names)
        if folder.names[-count:] != names[::-1]:
            return False
        states = self._chosen.states
        assert states is not None
        try:
            here = self._tree.folders.top
        except OSError:
            return False
        if not states.unchanged(here) or not self._chosen.on_run(run):
            return False
        del folder.names[-count:]
        return True


def _same_root(info: os.stat_result, chosen: WalkRules) -> bool:
    """Return whether the root is unchanged, and was reported."""
    run = chosen.states.seek(b"", b"") if chosen.states is not None else None
    return (
        run is not None
        and run.is_folder
        and run.unchanged([folder_state_of(info)])
        and chosen.on_run(run)
    )


def _owed(stack: list[_Folder]) -> Iterator[Entry]:
    """Yield the folders on the way to an entry that were not listed yet."""
    for above in stack:
        if above.owed is not None:
            yield above.owed
            above.owed = None


def _head(folder: int, name: bytes, size: int) -> bytes:
    """Return the beginning of a file in a folder; nothing if it is no file, or a link."""
    try:
        descriptor = os.open(name, FILE_FLAGS, dir_fd=folder)
    except OSError:
        return b""
    with os.fdopen(descriptor, "rb") as file:
        try:
            return file.read(size)
        except OSError:
            return b""


def _names(folder: int, relative: bytes, warn: Warn, fatal: bool = False) -> list[bytes]:
    """Return a folder's names in reverse order, so that the next one pops off the end."""
    try:
        names = [os.fsencode(name) for name in os.listdir(folder)]
    except OSError as error:
        if fatal:
            raise
        warn(_unread_folder(relative, error))
        return []
    names.sort(reverse=True)
    return names


def _unread_folder(relative: bytes, error: OSError) -> str:
    if isinstance(error, FileNotFoundError):
        return f"{shown(relative)}: vanished while it was read"
    return f"{shown(relative)}: the folder could not be read ({error.strerror})"
