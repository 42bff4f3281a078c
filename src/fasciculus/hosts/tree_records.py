"""Records of the entries of a tree with all attributes, made on a host without reading files.

Each has the fields of ``ssh/find.py``, and before the path its attributes, flags and device as
JSON. This file uses nothing but the standard library of Python 3.7 and later, so that a host can
run it after the texts of ``core/bundle/root_path.py`` and ``core/bundle/inode_flags.py``.
"""

import base64
import grp
import json
import os
import pwd
import stat
import sys
from collections.abc import Iterator
from functools import lru_cache

from ..core.bundle.inode_flags import read_flags
from ..core.bundle.root_path import FILE_FLAGS, FOLDER_FLAGS, open_root

_KINDS = {
    stat.S_IFREG: b"f",
    stat.S_IFDIR: b"d",
    stat.S_IFLNK: b"l",
    stat.S_IFIFO: b"p",
    stat.S_IFCHR: b"c",
    stat.S_IFBLK: b"b",
}
#: Folders that are open at the same time.
_MOST_OPEN = 200


@lru_cache(maxsize=4096)
def _user(number: int) -> bytes:
    try:
        return pwd.getpwuid(number).pw_name.encode()
    except KeyError:
        return b"%d" % number


@lru_cache(maxsize=4096)
def _group(number: int) -> bytes:
    try:
        return grp.getgrgid(number).gr_name.encode()
    except KeyError:
        return b"%d" % number


def _time(ns: int) -> bytes:
    seconds, rest = divmod(ns, 10**9)
    return b"%d.%09d" % (seconds, rest)


def _flags(folder: int, name: bytes, how: int) -> str:
    try:
        opened = os.open(name, how, dir_fd=folder)
    except OSError:
        return ""
    try:
        return read_flags(opened)
    finally:
        os.close(opened)


def _attributes(folder: int, name: bytes, info: os.stat_result, flags: str) -> bytes:
    """Return the attributes, flags and device numbers of a name as JSON, empty for none."""
    place = b"/proc/self/fd/%d/%s" % (folder, name)
    found = {}
    try:
        for key in os.listxattr(place, follow_symlinks=False):
            value = os.getxattr(place, key, follow_symlinks=False)
            found[key] = base64.b64encode(value).decode()
    except OSError:
        found = {}
    if stat.S_ISDIR(info.st_mode):
        flags = _flags(folder, name, FOLDER_FLAGS)
    device = [os.major(info.st_rdev), os.minor(info.st_rdev)] if info.st_rdev else []
    if not (found or flags or device):
        return b""
    return json.dumps({"xattrs": found, "flags": flags, "rdev": device}).encode()


def record(folder: int, name: bytes, path: bytes, info: os.stat_result, flags: str = "") -> bytes:
    """Return the record of a name in an open folder. Of files, ``flags`` are given, since reading
    them takes opening the file.
    """
    kind = _KINDS.get(stat.S_IFMT(info.st_mode), b"s")
    target = os.readlink(name, dir_fd=folder) if kind == b"l" else b""
    fields = (
        kind,
        b"%d" % info.st_size,
        b"%o" % stat.S_IMODE(info.st_mode),
        b"%d" % info.st_uid,
        b"%d" % info.st_gid,
        _user(info.st_uid),
        _group(info.st_gid),
        _time(info.st_mtime_ns),
        _time(info.st_ctime_ns),
        b"%d" % info.st_ino,
        b"%d" % info.st_dev,
        b"%d" % info.st_nlink,
        target,
        _attributes(folder, name, info, flags),
        path,
    )
    return b"\0".join(fields) + b"\0"


class _Folder:
    """A folder of the walk: its path, its names to come, and its descriptor if it is open."""

    def __init__(self, path: bytes, descriptor: int, identity: tuple[int, int]) -> None:
        self.path, self.descriptor, self.identity = path, descriptor, identity
        self.names: list[bytes] = sorted(map(os.fsencode, os.listdir(descriptor)), reverse=True)


def records(root: int) -> Iterator[bytes]:
    """Yield the records of a tree, the root's own first. Folders are entered by name in the one
    above, and never through a link.
    """
    info = os.fstat(root)
    yield record(root, b".", b"", info)
    stack = [_Folder(b"", root, (info.st_dev, info.st_ino))]
    while stack:
        here = stack[-1]
        if not here.names:
            stack.pop()
            if stack and here.descriptor >= 0:
                os.close(here.descriptor)
            continue
        name = here.names.pop()
        path = here.path + b"/" + name if here.path else name
        try:
            folder = _descriptor(stack)
            info = os.stat(name, dir_fd=folder, follow_symlinks=False)
            yield record(folder, name, path, info)
            if stat.S_ISDIR(info.st_mode):
                stack.append(_entered(folder, name, path, info))
                _spare(stack)
        except OSError as error:
            complain(path, error)


def _entered(folder: int, name: bytes, path: bytes, info: os.stat_result) -> _Folder:
    opened = os.open(name, FOLDER_FLAGS, dir_fd=folder)
    found = os.fstat(opened)
    identity = (found.st_dev, found.st_ino)
    if identity != (info.st_dev, info.st_ino):
        os.close(opened)
        raise OSError(0, "it was exchanged for another folder meanwhile")
    try:
        return _Folder(path, opened, identity)
    except OSError:
        os.close(opened)
        raise


def _spare(stack: list[_Folder]) -> None:
    """Close folders far above, which are opened again on the way back."""
    if len(stack) > _MOST_OPEN:
        above = stack[-_MOST_OPEN]
        if above.path and above.descriptor >= 0:
            os.close(above.descriptor)
            above.descriptor = -1


def _descriptor(stack: list[_Folder]) -> int:
    """Return the descriptor of the top folder, opened again through those above if need be."""
    top = stack[-1]
    if top.descriptor < 0:
        here = os.dup(stack[0].descriptor)
        for level in stack[1:]:
            further = os.open(level.path.rpartition(b"/")[2], FOLDER_FLAGS, dir_fd=here)
            os.close(here)
            here = further
            found = os.fstat(here)
            if (found.st_dev, found.st_ino) != level.identity:
                os.close(here)
                raise OSError(0, "it was exchanged for another folder meanwhile")
        top.descriptor = here
    return top.descriptor


def complain(path: bytes, error: OSError) -> None:
    """Say on standard error what could not be read."""
    sys.stderr.buffer.write(path + b": " + (error.strerror or str(error)).encode() + b"\n")


def describe(root: bytes, home: bytes, path: bytes) -> bytes | None:
    """Return the record of one path below a root, None if nothing has it. No link is followed."""
    parts = path.split(b"/") if path else []
    try:
        here = open_root(root, home)
    except FileNotFoundError:
        return None
    try:
        for part in parts[:-1]:
            further = os.open(part, FOLDER_FLAGS, dir_fd=here)
            os.close(here)
            here = further
        name = parts[-1] if parts else b"."
        info = os.stat(name, dir_fd=here, follow_symlinks=False)
        flags = _flags(here, name, FILE_FLAGS) if stat.S_ISREG(info.st_mode) else ""
        return record(here, name, path, info, flags)
    except (FileNotFoundError, NotADirectoryError):
        return None
    finally:
        os.close(here)
