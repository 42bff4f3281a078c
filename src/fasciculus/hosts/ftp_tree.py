"""A folder of web space that restored entries are written into over FTP."""

from __future__ import annotations

import errno
import posixpath
from collections.abc import Iterable, Iterator
from datetime import UTC, datetime

from ..core.bundle.entry import Entry
from ..core.errors import ConnectionLostError, MissingError, StoreFullError, UnreachableError
from ..core.protocols.ftp_listing import FtpEntry
from ..ftp import FtpConnection

_SECOND_NS = 1_000_000_000
#: A server may list a folder inside itself without end.
_DEEPEST = 200


class FtpTree:
    """A folder on the server; what is in each of its folders is remembered until it changes."""

    sets_owners = False
    #: FTP sets no owners and no attributes.
    unknown_owners: dict[str, int] = {}
    unset: list[tuple[bytes, str, str]] = []

    def __init__(self, link: FtpConnection, base: str) -> None:
        self._link, self._base = link, base
        self._known: dict[str, dict[str, FtpEntry]] = {}
        #: Folders on the way to something that are real ones.
        self._real: set[str] = set()

    # Looking ---------------------------------------------------------------------

    def forget(self) -> None:
        """Forget what was listed."""
        self._known.clear()
        self._real.clear()

    def entry(self, path: str) -> FtpEntry | None:
        """Return what has a path on the server, None for nothing."""
        if path == "/":
            return FtpEntry("", "folder")
        above, _, name = path.rpartition("/")
        return self._listed(above or "/").get(name)

    def kind(self, path: str) -> str:
        """Return whether a path is a file, folder or link; empty for nothing."""
        found = self.entry(path)
        return found.kind if found is not None else ""

    def _listed(self, folder: str) -> dict[str, FtpEntry]:
        if folder not in self._known:
            self._link.open()
            try:
                rows = self._link.entries(folder)
            except MissingError:
                rows = []
            self._known[folder] = {row.name: row for row in rows}
        return self._known[folder]

    def below(self, folder: str, depth: int = 0) -> Iterator[tuple[str, FtpEntry]]:
        """Yield everything below a folder, by its path; links are not followed."""
        for name, row in list(self._listed(folder).items()):
            path = posixpath.join(folder, name)
            yield path, row
            if row.kind == "folder" and depth < _DEEPEST:
                yield from self.below(path, depth + 1)

    def check_way(self, base: str, folder: str) -> None:
        """Check that no folder between two is a link: the server would follow it. Raises
        ``OSError``.
        """
        here = base
        for name in filter(None, folder[len(base) :].split("/")):
            above, here = here, posixpath.join(here, name)
            if here in self._real or not self.kind(here):
                continue
            rows = self._link.entries_by_list(above)
            if not any(row.name == name and row.kind == "folder" for row in rows):
                raise OSError(errno.ELOOP, "a link or file is on the way to it")
            self._real.add(here)

    # Changing --------------------------------------------------------------------

    def rename(self, path: str, to: str) -> None:
        """Rename an entry to a name that is free."""
        self._link.rename(path, to)
        for one in (path, to):
            self._changed(one)

    def _changed(self, path: str) -> None:
        below = [one for one in self._known if f"{one}/".startswith(f"{path}/")]
        for folder in (posixpath.dirname(path) or "/", *below):
            self._known.pop(folder, None)

    def send(self, path: str, chunks: Iterable[bytes], command: str = "STOR") -> None:
        """Write a file, or append to it (``APPE``)."""
        self._link.open()
        self._link.send(path, chunks, command)
        self._changed(path)

    def set_mode(self, path: str, mode: int) -> None:
        """Set the mode of an entry, if the server can."""
        self._link.set_mode(path, mode)

    def remove_all(self, folder: str, depth: int = 0) -> None:
        """Remove a folder with everything in it; links are not followed."""
        # MLSD may show a link as what it leads to.
        for row in self._link.entries_by_list(folder):
            path = posixpath.join(folder, row.name)
            if row.kind == "folder" and depth < _DEEPEST:
                self.remove_all(path, depth + 1)
            else:
                self._link.remove(path)
        self._link.remove_folder(folder)
        self._changed(folder)

    # Entries of a restore --------------------------------------------------------

    def _path(self, path: bytes) -> str:
        text = path.decode("utf-8", "surrogateescape")
        if any(letter in text for letter in "\r\n\0"):
            raise OSError(errno.EINVAL, "FTP cannot write a name with a line break")
        return posixpath.join(self._base, text) if text else self._base

    def make_folder(self, path: bytes) -> bool:
        """Create a folder; return whether it is new."""
        here = self._path(path)
        if self.kind(here):
            return False
        self._said(lambda: self._link.make_folder(here))
        self._changed(here)
        return True

    def finish_folder(self, path: bytes, like: Entry) -> None:
        """Set the mode of a folder, if the server can."""
        if path:
            self.set_mode(self._path(path), like.mode & 0o777)

    def create_file(self, path: bytes, chunks: Iterable[bytes], like: Entry) -> None:
        """Create a file."""
        here = self._path(path)
        if path.count(b"/"):
            self._parents(posixpath.dirname(here))
        self._said(lambda: self.send(here, chunks))
        if self._link.size(here) not in (None, like.size):
            raise OSError(errno.EIO, "not all of it arrived")
        self.set_mode(here, like.mode & 0o777)
        self._link.set_time(here, datetime.fromtimestamp(like.mtime_ns // _SECOND_NS, UTC))

    def _parents(self, folder: str) -> None:
        if folder != self._base and not self.kind(folder):
            self._parents(posixpath.dirname(folder))
            self._said(lambda: self._link.make_folder(folder))
            self._changed(folder)

    @staticmethod
    def _said(work: object) -> None:
        """Do something; a refusal costs the entry, a lost connection or a full disk everything."""
        assert callable(work)
        try:
            work()
        except (ConnectionLostError, StoreFullError):
            raise
        except UnreachableError as error:
            raise OSError(errno.EACCES, error.message) from error

    def replace_file(self, path: bytes, chunks: Iterable[bytes], like: Entry) -> None:
        """Replace a file."""
        self.create_file(path, chunks, like)

    def create_node(self, path: bytes, like: Entry) -> None:
        """Refuse a link, pipe or device."""
        raise OSError(errno.EOPNOTSUPP, "FTP can make files and folders only")

    replace_node = create_node

    def link(self, first: bytes, path: bytes) -> None:
        """Refuse another name of a file."""
        raise OSError(errno.EOPNOTSUPP, "FTP can make files and folders only")

    relink = link

    def link_live(
        self, root: bytes, home: bytes, first: bytes, path: bytes, size: int, mtime_ns: int
    ) -> bool:
        """Return False: FTP gives no file another name."""
        return False

    def set_flags(self, path: bytes, flags: str) -> None:
        """Refuse inode flags."""
        raise OSError(errno.EOPNOTSUPP, "FTP knows none")

    def drop(self, path: bytes) -> None:
        """Remove a file; harmless if it does not exist."""
        self._link.remove(self._path(path))
        self._changed(self._path(path))

    def holds(self, path: bytes) -> bool:
        """Return whether a path exists."""
        return bool(self.kind(self._path(path)))

    def close(self) -> None:
        """Close it; the host keeps the connection."""
