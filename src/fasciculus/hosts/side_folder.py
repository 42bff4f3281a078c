"""The side folder of a restore in place: next to a folder in use, and closed to all but root.

This file uses nothing but the standard library of Python 3.7 and later, so that a host can run it
after the texts of ``root_path.py`` and ``inode_flags.py`` of ``core/bundle``.
"""

import errno
import os
import stat
import subprocess
from contextlib import suppress

from ..core.bundle.inode_flags import read_flags, replace_flags
from ..core.bundle.root_path import FILE_FLAGS, child_folder, open_root

#: Holds the side folders of all restores on one file system.
NAME = b".fasciculus-restores"


def side_folder(root: bytes, home: bytes, name: bytes) -> bytes:
    """Return the path of the side folder of a restore into a folder, whether or not it is there.

    It is on the same file system, in the nearest folder above that only root can change, because
    any other owner of that folder could move the side folder away. Raises ``OSError`` if no folder
    qualifies.
    """
    live = open_root(root, home)
    try:
        device = os.fstat(live).st_dev
        real = os.readlink(b"/proc/self/fd/%d" % live)
    finally:
        os.close(live)
    return os.path.join(_nearest(real, device), NAME, name)


def make_side_folder(path: bytes) -> None:
    """Make the side folder of a restore. Raises ``OSError``, also if it is there already."""
    shared, name = os.path.split(path)
    above = os.path.dirname(shared)
    parent = open_root(above)
    try:
        opened = child_folder(parent, NAME, 0o700)
    finally:
        os.close(parent)
    try:
        info = os.fstat(opened)
        if info.st_uid != os.geteuid() or stat.S_IMODE(info.st_mode) & 0o077:
            raise OSError(errno.EPERM, os.fsdecode(above + b"/" + NAME) + " is open to others")
        os.mkdir(name, 0o700, dir_fd=opened)
    finally:
        os.close(opened)


def remove_side_folder(path: bytes) -> None:
    """Remove a side folder with everything in it, however deep. Raises ``OSError``."""
    done = subprocess.run(["rm", "-rf", "--", path], stderr=subprocess.PIPE)
    if done.returncode != 0:
        _remove_flags(path)
        done = subprocess.run(["rm", "-rf", "--", path], stderr=subprocess.PIPE)
    if done.returncode != 0:
        raise OSError(errno.EIO, done.stderr.decode("utf-8", "replace").strip()[:500])


def _remove_flags(path: bytes) -> None:
    """Remove the inode flags of everything below a folder, since they prevent its removal."""
    for _, _, names, folder in os.fwalk(path):
        _remove_flags_of(folder)
        for name in names:
            if not stat.S_ISREG(os.stat(name, dir_fd=folder, follow_symlinks=False).st_mode):
                continue
            with suppress(OSError):
                descriptor = os.open(name, FILE_FLAGS, dir_fd=folder)
                try:
                    _remove_flags_of(descriptor)
                finally:
                    os.close(descriptor)


def _remove_flags_of(descriptor: int) -> None:
    if read_flags(descriptor):
        replace_flags(descriptor, "")


def _nearest(path: bytes, device: int) -> bytes:
    """Return the nearest folder above a path, on the same file system, that only root can change;
    nobody else can move it either.
    """
    found = b""
    here = path
    while here != b"/":
        here = os.path.dirname(here)
        info = os.stat(here, follow_symlinks=False)
        is_ours = info.st_uid in (0, os.geteuid())
        is_closed = is_ours and not info.st_mode & 0o022
        if is_closed and not found and info.st_dev == device:
            found = here
        elif not is_closed and not (is_ours and info.st_mode & stat.S_ISVTX):
            # Its owner may rename what is below.
            found = b""
        if not found and info.st_dev != device:
            break
    if not found:
        raise OSError(errno.EPERM, "no folder above it on the same file system belongs to root")
    return found
