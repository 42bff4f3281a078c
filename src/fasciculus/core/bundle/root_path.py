"""Opens a path even if others may exchange folders on the way.

Each part of a path is looked up once, in the folder above it. This file uses nothing but the
standard library of Python 3.7 and later: it is also sent to hosts, where it runs as it stands.
"""

import errno
import hashlib
import os
import stat
from contextlib import suppress
from typing import List, Tuple

#: How a folder, a file and a new file are opened by their name in an open folder: never through a
#: link, and held up by no pipe or device.
FOLDER_FLAGS = os.O_RDONLY | os.O_DIRECTORY | os.O_NOFOLLOW | os.O_CLOEXEC
FILE_FLAGS = os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK | os.O_CLOEXEC
NEW_FILE_FLAGS = os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW | os.O_CLOEXEC

_PLACE = os.O_PATH | os.O_CLOEXEC
_WAY = os.O_PATH | os.O_NOFOLLOW | os.O_DIRECTORY | os.O_CLOEXEC
_LINKS = 40


def open_root(path: bytes, home: bytes = b"") -> int:
    """Open the root of a tree.

    A link on the way counts where only the service's own user could have put it. A link that others
    could set is followed only within ``home``, their folder. Raises ``OSError``; its ``strerror``
    says which link leads out.
    """
    return _descend(path, home, FOLDER_FLAGS)


def open_file(path: bytes, home: bytes = b"") -> int:
    """Open a file for reading, links on the way and at its end counting as for :func:`open_root`.

    Neither a pipe nor a device holds the caller up; what it is, the caller finds out.
    """
    return _descend(path, home, FILE_FLAGS)


def open_listed_file(path: bytes) -> int:
    """Open a file that was listed as one: its name must not have become a link."""
    folder, _, name = path.rpartition(b"/")
    above = open_root(folder or b"/")
    try:
        return os.open(name, FILE_FLAGS, dir_fd=above)
    finally:
        os.close(above)


def _descend(path: bytes, home: bytes, flags: int) -> int:
    home = os.path.normpath(home) if home else b""
    way = [part for part in path.split(b"/") if part not in (b"", b".")]
    stack = [os.open(b"/", _PLACE)]
    names = []  # type: List[bytes]
    links = 0
    try:
        while way:
            name = way.pop(0)
            if name == b"..":
                if names:
                    names.pop()
                    os.close(stack.pop())
                continue
            info = os.stat(name, dir_fd=stack[-1], follow_symlinks=False)
            if not stat.S_ISLNK(info.st_mode):
                _stays([*names, name], home, links)
                if not way and not flags & os.O_DIRECTORY:
                    if links:
                        _inside([*names, name], home)
                    return os.open(name, flags, dir_fd=stack[-1])
                stack.append(os.open(name, _WAY, dir_fd=stack[-1]))
                names.append(name)
                continue
            links += 0 if _only_ours(stack[-1]) else 1
            if links > _LINKS or (links and not home):
                raise OSError(errno.ELOOP, f"{_shown(names, name)} is a link that others could set")
            target = os.readlink(name, dir_fd=stack[-1])
            if target.startswith(b"/"):
                while names:
                    names.pop()
                    os.close(stack.pop())
            way = [part for part in target.split(b"/") if part not in (b"", b".")] + way
        if links:
            _inside(names, home)
        return os.open(b".", flags, dir_fd=stack[-1])
    finally:
        for descriptor in stack:
            os.close(descriptor)


def _stays(names: List[bytes], home: bytes, links: int) -> None:
    """Refuse to go on outside the home once a link of others was followed."""
    if not links:
        return
    here = b"/" + b"/".join(names)
    if not (home + b"/").startswith(here + b"/") and not (here + b"/").startswith(home + b"/"):
        raise OSError(errno.ELOOP, f"a link leads to {os.fsdecode(here)}, out of the home")


def _inside(names: List[bytes], home: bytes) -> None:
    here = b"/" + b"/".join(names)
    if not (here + b"/").startswith(home + b"/"):
        raise OSError(errno.ELOOP, f"a link leads to {os.fsdecode(here)}, out of the home")


def _only_ours(folder: int) -> bool:
    """Return whether nobody but root and the service's own user may put names into a folder."""
    info = os.fstat(folder)
    return info.st_uid in (0, os.geteuid()) and not info.st_mode & 0o022


def _shown(names: List[bytes], name: bytes) -> str:
    return os.fsdecode(b"/" + b"/".join([*names, name]))


def make_root(path: bytes, home: bytes = b"") -> int:
    """Open a folder as :func:`open_root` does; what is missing of the way is made, for the
    service's own user alone to write into.
    """
    missing = []  # type: List[bytes]
    here = path.rstrip(b"/") or b"/"
    while True:
        try:
            found = open_root(here, home)
            break
        except FileNotFoundError:
            here, _, name = here.rpartition(b"/")
            here = here or b"/"
            missing.append(name)
    while missing:
        try:
            below = child_folder(found, missing.pop(), 0o755)
        finally:
            os.close(found)
        found = below
    return found


def child_folder(above: int, name: bytes, mode: int) -> int:
    """Open a folder in another, making it where it is not there; never through a link."""
    try:
        return os.open(name, FOLDER_FLAGS, dir_fd=above)
    except FileNotFoundError:
        with suppress(FileExistsError):
            os.mkdir(name, mode, dir_fd=above)
    return os.open(name, FOLDER_FLAGS, dir_fd=above)


def open_parent(path: bytes) -> Tuple[int, bytes]:
    """Return the open folder and the name under which a path's file is to be written.

    A link at the end of the path is followed where only root could have set it; any other is
    refused. Missing folders are made.
    """
    for _ in range(_LINKS):
        folder, _, name = path.rstrip(b"/").rpartition(b"/")
        above = make_root(folder or b"/")
        try:
            target = os.readlink(name, dir_fd=above)
        except OSError:
            return above, name
        ours = _only_ours(above)
        os.close(above)
        if not ours:
            break
        path = os.path.join(folder, target)
    raise OSError(errno.ELOOP, f"{os.fsdecode(path)} is a link that others could set")


def partial_name(name: bytes) -> bytes:
    """Return the name under which a file is written before it replaces another one."""
    return b".fasciculus-new-" + hashlib.blake2b(name, digest_size=8).hexdigest().encode()
