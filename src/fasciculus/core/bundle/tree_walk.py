"""One walk over a local tree, in scan order, that never follows a link and never stops."""

from __future__ import annotations

import errno
import grp
import os
import pwd
import stat
from collections.abc import Callable, Iterator
from functools import lru_cache

from msgspec import Struct

from ..file_filters import (
    CACHE_MARK,
    CACHE_TAG,
    ON_THE_WAY,
    FileSelector,
)
from .entry import (
    BLOCK,
    CHAR,
    DIR,
    FIFO,
    FILE,
    SYMLINK,
    Entry,
)
from .stat_cache import (
    StatBlock,
    StatCache,
    folder_state_of,
    state_of,
)

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
    try:
        return pwd.getpwuid(uid).pw_name
    except KeyError:
        return ""


@lru_cache(maxsize=4096)
def group_name(gid: int) -> str:
    try:
        return grp.getgrgid(gid).gr_name
    except KeyError:
        return ""


def shown(path: bytes) -> str:
    """A path for people."""
    return path.decode("utf-8", "backslashreplace")


def _xattrs(path: bytes, where: bytes, warn: Warn) -> dict[str, bytes]:
    try:
        keys = os.listxattr(path, follow_symlinks=False)
        return {key: os.getxattr(path, key, follow_symlinks=False) for key in keys}
    except FileNotFoundError:
        return {}
    except OSError as error:
        if error.errno not in _NO_XATTRS:
            warn(f"{shown(where)}: its extended attributes could not be read ({error.strerror})")
        return {}


def describe(
    path: bytes, kind: str, relative: bytes, info: os.stat_result, warn: Warn
) -> Entry | None:
    """The entry of one path from its ``lstat``; None, after a warning, for what tar cannot hold."""
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
    entry.xattrs = _xattrs(path, relative, warn)
    return entry


class WalkRules(Struct, frozen=True):
    """What of a tree is wanted.

    ``left_out`` are paths relative to the root that are skipped with all below them. ``chooser``
    judges the rest; ``on_left_out`` is told what it left out, and by which rule.
    """

    left_out: frozenset[bytes] = frozenset()
    chooser: FileSelector | None = None
    on_left_out: Callable[[bytes, int, str], None] = lambda path, size, rule: None
    #: Told of a plain file with one name; True when it needs no describing, since it is listed
    #: already.
    is_known: Callable[[bytes, os.stat_result], bool] | None = None
    #: The states of the previous bundle, with whoever hears of a run, or of one entry, that is as
    #: it was.
    states: StatCache | None = None
    on_run: Callable[[StatBlock], bool] = lambda run: False
    on_same: Callable[[StatBlock, bytes], bool] = lambda run, line: False

    @property
    def one_file_system(self) -> bool:
        return self.chooser is not None and self.chooser.rules.one_file_system


class _Folder(Struct):
    """A folder of the walk: the names still to come, the last first."""

    path: bytes
    relative: bytes
    names: list[bytes]
    #: Its entry, as long as nothing in it was found to go in.
    owed: Entry | None = None


def scan(
    root: bytes,
    kind: str = "files",
    chosen: WalkRules | None = None,
    warn: Warn = lambda message: None,
) -> Iterator[Entry]:
    """The entries of a tree, the root itself first.

    What cannot be read or vanishes on the way is named through ``warn``, and the walk
    goes on. Raises ``OSError`` only when the root itself cannot be read.
    """
    chosen = chosen or WalkRules()
    chooser, left_out, is_known, states = (
        chosen.chooser,
        chosen.left_out,
        chosen.is_known,
        chosen.states,
    )
    linked: dict[tuple[int, int], bytes] = {}
    info = os.lstat(root)
    if not stat.S_ISDIR(info.st_mode):
        raise NotADirectoryError(errno.ENOTDIR, os.strerror(errno.ENOTDIR), os.fsdecode(root))
    top = describe(root, kind, b"", info, warn)
    assert top is not None
    device = info.st_dev if chosen.one_file_system else None
    if not _same_root(info, chosen):
        yield top
    # A stack of sorted folders instead of recursion: depth is bounded by the tree alone.
    stack = [_enter(root, b"", chooser, warn, fatal=True)]
    while stack:
        folder = stack[-1]
        if not folder.names:
            stack.pop()
            continue
        run = states.seek(folder.relative, folder.names[-1]) if states is not None else None
        if run is not None and run.is_plain and _take_run(run, folder, chosen):
            continue
        name = folder.names.pop()
        path = folder.path + b"/" + name
        relative = folder.relative + b"/" + name if folder.relative else name
        if relative in left_out:
            continue
        try:
            info = os.lstat(path)
            verdict = ""
            is_dir = stat.S_ISDIR(info.st_mode)
            if chooser is not None:
                verdict = chooser.judge(
                    relative, is_dir, stat.S_ISREG(info.st_mode), info.st_size, info.st_mtime_ns
                )
                if verdict and verdict != ON_THE_WAY:
                    chosen.on_left_out(relative, 0 if is_dir else info.st_size, verdict)
                    continue
            if run is not None and is_dir and run.is_folder:
                if run.unchanged([folder_state_of(info)]) and chosen.on_run(run):
                    if device is None or info.st_dev == device:
                        stack.append(_enter(path, relative, chooser, warn))
                    continue
            elif run is not None and not is_dir and run.is_plain:
                line = run.line(name, state_of(info))
                if line is not None and chosen.on_same(run, line):
                    continue
            if is_known is not None and info.st_nlink == 1 and stat.S_ISREG(info.st_mode):
                # What leads to it must be listed before it.
                yield from _owed(stack)
                if is_known(relative, info):
                    continue
            entry = describe(path, kind, relative, info, warn)
        except FileNotFoundError:
            warn(f"{shown(relative)}: vanished while it was read")
            continue
        except OSError as error:
            warn(f"{shown(relative)}: could not be read ({error.strerror})")
            continue
        if entry is None:
            continue
        if verdict != ON_THE_WAY:
            yield from _owed(stack)
            if info.st_nlink > 1 and entry.type == FILE:
                entry.links = info.st_nlink
                first = linked.setdefault((info.st_dev, info.st_ino), relative)
                if first is not relative:
                    entry.link = first
            yield entry
        if is_dir:
            if device is not None and info.st_dev != device:
                chosen.on_left_out(relative, 0, "on another file system")
                continue
            below = _enter(path, relative, chooser, warn)
            below.owed = entry if verdict == ON_THE_WAY else None
            stack.append(below)


def _same_root(info: os.stat_result, chosen: WalkRules) -> bool:
    """Whether the root is as it was, and was reported."""
    run = chosen.states.seek(b"", b"") if chosen.states is not None else None
    return (
        run is not None
        and run.is_folder
        and run.unchanged([folder_state_of(info)])
        and chosen.on_run(run)
    )


def _take_run(run: StatBlock, folder: _Folder, chosen: WalkRules) -> bool:
    """Take the next names of a folder in one go when they are a run of the previous bundle that did
    not change.
    """
    names = run.names
    count = len(names)
    if folder.names[-count:] != names[::-1]:
        return False
    assert chosen.states is not None
    if not chosen.states.unchanged(folder.path) or not chosen.on_run(run):
        return False
    del folder.names[-count:]
    return True


def _owed(stack: list[_Folder]) -> Iterator[Entry]:
    """The folders on the way to an entry that were not listed yet."""
    for above in stack:
        if above.owed is not None:
            yield above.owed
            above.owed = None


def _enter(
    path: bytes, relative: bytes, chooser: FileSelector | None, warn: Warn, fatal: bool = False
) -> _Folder:
    names = _names(path, relative, warn, fatal)
    if chooser is not None and chooser.looks_into_folders and names:
        tag = _head(path + b"/" + CACHE_TAG, len(CACHE_MARK)) if CACHE_TAG in names else None
        ignore = os.fsencode(chooser.rules.ignore_file)
        text = None
        if ignore and ignore in names:
            text = _head(path + b"/" + ignore, _IGNORE_SIZE).decode("utf-8", "surrogateescape")
        chooser.enter(relative, tag, text)
    return _Folder(path, relative, names)


def _head(path: bytes, size: int) -> bytes:
    try:
        descriptor = os.open(path, os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK | os.O_CLOEXEC)
    except OSError:
        return b""
    with os.fdopen(descriptor, "rb") as file:
        try:
            return file.read(size)
        except OSError:
            return b""


def _names(path: bytes, relative: bytes, warn: Warn, fatal: bool = False) -> list[bytes]:
    """A folder's names in reverse order, so that the next one pops off the end."""
    try:
        names = os.listdir(path)
    except OSError as error:
        if fatal:
            raise
        if isinstance(error, FileNotFoundError):
            warn(f"{shown(relative)}: vanished while it was read")
        else:
            warn(f"{shown(relative)}: the folder could not be read ({error.strerror})")
        return []
    names.sort(reverse=True)
    return names
