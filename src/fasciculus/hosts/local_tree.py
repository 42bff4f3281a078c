"""A folder that restored entries are written into, by descriptors, so that nothing leads elsewhere.

Every path is relative to the folder and opened name by name, never through a link: neither an
existing one nor one that the restore created. Paths may be of any length.

This file uses nothing but the standard library of Python 3.7 and later: it is also sent to hosts,
after the texts of ``root_path.py`` and ``inode_flags.py`` of ``core/bundle``.
"""

import errno
import grp
import os
import pwd
import stat
from contextlib import suppress
from typing import IO, Any, Callable, Dict, Iterable, List, Optional, Tuple

from ..core.bundle.inode_flags import set_flags
from ..core.bundle.root_path import (
    FILE_FLAGS,
    FOLDER_FLAGS,
    NEW_FILE_FLAGS,
    child_folder,
    make_root,
    open_root,
    partial_name,
)

#: Folders that are kept open.
_OPEN = 64
_BLOCK = 64 * 1024
#: Shorter stretches of zeros are written.
_HOLE = bytes(16 * 1024)
_NO_FOLDER = (errno.ELOOP, errno.ENOTDIR)
#: The longest name that common file systems take, in bytes.
_LONGEST_NAME = 255


class LocalTree:
    """A folder of this machine being filled.

    Entries are given with the attributes of :class:`~fasciculus.core.bundle.entry.Entry`: type,
    mode, owner and group (name and number), time, attributes and link target.
    """

    def __init__(self, root: bytes, home: bytes = b"") -> None:
        self._path = root
        try:
            self._root = open_root(root, home)
            self._is_new = False
        except FileNotFoundError:
            self._root = make_root(root, home)
            self._is_new = True
        self._open: Dict[bytes, int] = {}
        self._sets_owners = os.geteuid() == 0
        self._owners = Owners()
        #: Attributes that could not be set: path, name and reason.
        self.unset: List[Tuple[bytes, str, str]] = []

    def close(self) -> None:
        """Close all folders."""
        for descriptor in self._open.values():
            os.close(descriptor)
        self._open.clear()
        if self._root >= 0:
            os.close(self._root)
            self._root = -1

    def remove_if_unused(self) -> None:
        """Remove the folder if it was made for this restore, and nothing came into it."""
        if not self._is_new:
            return
        with suppress(OSError):
            for name in os.listdir(self._root):
                with suppress(OSError):
                    os.rmdir(name, dir_fd=self._root)
            above = os.open("..", FOLDER_FLAGS, dir_fd=self._root)
            try:
                own = os.path.basename(self._path.rstrip(b"/"))
                here = os.stat(own, dir_fd=above, follow_symlinks=False)
                if os.path.samestat(here, os.fstat(self._root)):
                    os.rmdir(own, dir_fd=above)
            finally:
                os.close(above)

    @property
    def unknown_owners(self) -> Dict[str, int]:
        """Return the owners and groups that do not exist here, with the number of entries that
        root got.
        """
        return self._owners.unknown

    @property
    def sets_owners(self) -> bool:
        """Return whether entries get their owners, which only root can give."""
        return self._sets_owners

    @property
    def is_empty(self) -> bool:
        """Return whether nothing is in the folder."""
        return not os.listdir(self._root)

    @property
    def free(self) -> int:
        """Return the number of free bytes there."""
        info = os.fstatvfs(self._root)
        return info.f_bavail * info.f_frsize

    # Folders -----------------------------------------------------------------

    def make_folder(self, path: bytes) -> bool:
        """Make a folder, for the service's own user until it is finished.

        Return whether it is new; for the empty path, whether the whole folder is. Raises
        ``OSError`` if a link or a file is in its place or on the way to it.
        """
        is_new = not self.holds(path) if path else self._is_new
        self._folder(path, 0o700)
        return is_new

    def finish_folder(self, path: bytes, like: Any) -> None:
        """Give a folder its owner, attributes, mode and time; whatever is in it must be there."""
        self._dress(self._folder(path), path, like)

    def _folder(self, path: bytes, mode: int = 0o755) -> int:
        """Open a folder; it and its parents are created if missing."""
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
                further = child_folder(here, _checked(name), 0o755 if below else mode)
            except OSError as error:
                if error.errno not in _NO_FOLDER:
                    raise
                # A listing must not lead the restore out of its folder.
                where = os.fsdecode(above)
                raise OSError(
                    errno.ELOOP, where + " is a link or a file where a folder should be"
                ) from error
            finally:
                os.close(here)
            here = further
        return here

    def _nearest(self, path: bytes) -> Tuple[int, bytes, List[bytes]]:
        """Return the nearest open folder above a path as a new descriptor, its path, and the
        names that are left, the last one first."""
        if path.startswith(b"/"):
            raise OSError(errno.ELOOP, "the path leads outside")
        above = path
        below: List[bytes] = []
        while above and above not in self._open:
            above, _, name = above.rpartition(b"/")
            below.append(name)
        return os.dup(self._open[above] if above else self._root), above, below

    def _place(self, path: bytes) -> Tuple[int, bytes]:
        """Return the open folder and the name of an entry; what leads to it is made."""
        above, _, name = path.rpartition(b"/")
        return self._folder(above), _checked(name)

    # Files, links and the rest ---------------------------------------------------

    def create_file(self, path: bytes, chunks: Iterable[bytes], like: Any) -> None:
        """Write a file where nothing is; one that is not whole does not stay."""
        folder, name = self._place(path)
        self._fill(folder, name, path, chunks, like)

    def replace_file(self, path: bytes, chunks: Iterable[bytes], like: Any) -> None:
        """Write a file in place of whatever was there, whole or not at all."""
        self._replace(path, lambda folder, name: self._fill(folder, name, path, chunks, like))

    def create_node(self, path: bytes, like: Any) -> None:
        """Make a symbolic link, pipe or device where nothing is."""
        folder, name = self._place(path)
        self._make_node(folder, name, path, like)

    def replace_node(self, path: bytes, like: Any) -> None:
        """Make a symbolic link, pipe or device in place of whatever was there."""
        self._replace(path, lambda folder, name: self._make_node(folder, name, path, like))

    def link(self, first: bytes, path: bytes) -> None:
        """Give a file that was written here another name."""
        self._link(first, *self._place(path))

    def relink(self, first: bytes, path: bytes) -> None:
        """Give a file another name, in place of whatever had that name."""
        self._replace(path, lambda folder, name: self._link(first, folder, name))

    def _link(self, first: bytes, folder: int, name: bytes) -> None:
        above, _, old = first.rpartition(b"/")
        # Both folders stay open: the new name's was the last one asked for.
        os.link(old, name, src_dir_fd=self._folder(above), dst_dir_fd=folder, follow_symlinks=False)

    def link_live(
        self, root: bytes, home: bytes, first: bytes, path: bytes, size: int, mtime_ns: int
    ) -> bool:
        """Give a file of another folder in use a name here, if it has that size and time.

        ``first`` is its path below ``root``. Return whether that was possible.
        """
        folder, _, name = first.rpartition(b"/")
        try:
            above = open_root(root, home)
            try:
                for part in filter(None, folder.split(b"/")):
                    further = os.open(_checked(part), FOLDER_FLAGS, dir_fd=above)
                    os.close(above)
                    above = further
                info = os.stat(name, dir_fd=above, follow_symlinks=False)
                if (info.st_size, info.st_mtime_ns) != (size, mtime_ns):
                    return False
                there, own = self._place(path)
                os.link(name, own, src_dir_fd=above, dst_dir_fd=there, follow_symlinks=False)
            finally:
                os.close(above)
        except OSError:
            return False
        return True

    def open_file(self, path: bytes) -> int:
        """Open a file for reading. Raises ``OSError``."""
        folder, name = self._place(path)
        return os.open(name, FILE_FLAGS, dir_fd=folder)

    def dress_file(self, descriptor: int, path: bytes, like: Any) -> None:
        """Give an open file its owner, attributes, mode and time."""
        self._dress(descriptor, path, like)

    def set_flags(self, path: bytes, flags: str) -> None:
        """Set the inode flags of a file or folder."""
        folder, name = self._place(path) if path else (self._root, b".")
        descriptor = os.open(name, FILE_FLAGS, dir_fd=folder)
        try:
            set_flags(descriptor, flags)
        finally:
            os.close(descriptor)

    def drop(self, path: bytes) -> None:
        """Remove a file; harmless if it is not there."""
        folder, name = self._place(path)
        with suppress(OSError):
            os.unlink(name, dir_fd=folder)

    def holds(self, path: bytes) -> bool:
        """Return whether something has a path."""
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

    def _replace(self, path: bytes, make: Callable[[int, bytes], None]) -> None:
        folder, name = self._place(path)
        partial = partial_name(name)
        with suppress(FileNotFoundError):
            os.unlink(partial, dir_fd=folder)
        try:
            make(folder, partial)
            os.rename(partial, name, src_dir_fd=folder, dst_dir_fd=folder)
        finally:
            with suppress(OSError):
                os.unlink(partial, dir_fd=folder)

    def _fill(
        self, folder: int, name: bytes, path: bytes, chunks: Iterable[bytes], like: Any
    ) -> None:
        # Readable by nobody else until its owner and mode are set.
        with os.fdopen(os.open(name, NEW_FILE_FLAGS, 0o600, dir_fd=folder), "wb", 0) as sink:
            try:
                for chunk in chunks:
                    write_sparsely(sink, chunk)
                # A hole at the end is only there once the file is that long.
                sink.truncate()
            except BaseException:
                with suppress(OSError):
                    os.unlink(name, dir_fd=folder)
                raise
            self._dress(sink.fileno(), path, like)

    def _make_node(self, folder: int, name: bytes, path: bytes, like: Any) -> None:
        if like.type == "symlink":
            os.symlink(like.target or b"", name, dir_fd=folder)
        elif like.type == "fifo":
            os.mkfifo(name, 0o600, dir_fd=folder)
        else:
            kind = stat.S_IFCHR if like.type == "char" else stat.S_IFBLK
            os.mknod(name, 0o600 | kind, os.makedev(*like.rdev), dir_fd=folder)
        if self._sets_owners:
            os.chown(name, *self._owners.of(like), dir_fd=folder, follow_symlinks=False)
        self._set_attributes(b"/proc/self/fd/%d/%s" % (folder, name), path, like)
        if like.type != "symlink":
            os.chmod(name, like.mode, dir_fd=folder)
        times = (like.mtime_ns, like.mtime_ns)
        os.utime(name, ns=times, dir_fd=folder, follow_symlinks=False)

    # Owners and attributes ------------------------------------------------------

    def _dress(self, descriptor: int, path: bytes, like: Any) -> None:
        """Set owner, attributes, mode and time, in the order in which none undoes another."""
        if self._sets_owners:
            os.fchown(descriptor, *self._owners.of(like))
        self._set_attributes(descriptor, path, like)
        os.fchmod(descriptor, like.mode)
        os.utime(descriptor, ns=(like.mtime_ns, like.mtime_ns))

    def _set_attributes(self, place: Any, path: bytes, like: Any) -> None:
        for key, value in like.xattrs.items():
            try:
                if isinstance(place, int):
                    os.setxattr(place, key, value)
                else:
                    os.setxattr(place, key, value, follow_symlinks=False)
            except OSError as error:
                self.unset.append((path, key, error.strerror or str(error)))


class Owners:
    """The numbers of users and groups here, by the names and numbers in a bundle."""

    def __init__(self) -> None:
        self._users: Dict[Tuple[str, int], Optional[int]] = {}
        self._groups: Dict[Tuple[str, int], Optional[int]] = {}
        #: Owners and groups that do not exist here, with the number of entries.
        self.unknown: Dict[str, int] = {}

    def of(self, like: Any) -> Tuple[int, int]:
        """Return the numbers of an entry's owner and group here.

        The name counts, as with tar. A name that does not exist here, or a number that now has a
        name, may mean another user: such an entry belongs to root.
        """
        user, group = (like.user, like.uid), (like.group, like.gid)
        if user not in self._users:
            self._users[user] = resolve_user(*user)
        if group not in self._groups:
            self._groups[group] = resolve_group(*group)
        uid, gid = self._users[user], self._groups[group]
        missing = set()
        if uid is None:
            missing.add(user[0] or str(user[1]))
        if gid is None:
            missing.add(group[0] or str(group[1]))
        for name in missing:
            self.unknown[name] = self.unknown.get(name, 0) + 1
        return uid or 0, gid or 0


def resolve_user(name: str, number: int) -> Optional[int]:
    """Return the number of a recorded user here; None if that user does not exist here."""
    try:
        return pwd.getpwnam(name).pw_uid if name else _unused(pwd.getpwuid, number)
    except (KeyError, ValueError):
        return None


def resolve_group(name: str, number: int) -> Optional[int]:
    """Return the number of a recorded group here; None if that group does not exist here."""
    try:
        return grp.getgrnam(name).gr_gid if name else _unused(grp.getgrgid, number)
    except (KeyError, ValueError):
        return None


def _unused(look_up: Callable[[int], Any], number: int) -> Optional[int]:
    """Return a number that had no name, unless it has one now or is none."""
    if not 0 < number < 2**32 - 1:
        return 0 if number == 0 else None
    try:
        look_up(number)
    except KeyError:
        return number
    return None


def _checked(name: bytes) -> bytes:
    """Refuse what is not the name of an entry in a folder."""
    if name in (b"", b".", b"..") or b"/" in name or b"\0" in name:
        raise OSError(errno.ELOOP, "the path leads outside")
    if len(name) > _LONGEST_NAME:
        raise OSError(errno.ENAMETOOLONG, os.strerror(errno.ENAMETOOLONG))
    return name


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
