"""The side folder of a restore in place on web space that is reached over FTP.

It is in the root of the space, or as near to it as can be written, closed to web servers that read
``.htaccess``. The operations are those of ``switch.py``; each is one or two renames by the server.
"""

from __future__ import annotations

import errno
import json
import os
import posixpath
from collections.abc import Iterator
from contextlib import closing
from typing import Any, Protocol

from ..core.bundle.entry import Entry
from ..core.bundle.tree.tree_walk import WalkRules, Warn
from ..core.errors import (
    ConnectionLostError,
    FasciculusError,
    StoreFullError,
    UnreachableError,
)
from ..core.protocols.ftp_listing import FtpEntry
from ..ftp import FtpConnection
from .base import HostEntry, OpenFile, Problems
from .ftp_tree import FtpTree
from .side_folder import NAME
from .switch import DRESS, PLACE, REMOVE, STAGING, SWITCHED, SWITCHING, UNDOING, UNDONE

_DENIED = b"Require all denied\n"
_MOST_NAMED = 1000
#: The most bytes of a journal, and of the states of what was placed.
_MOST = 256 * 1024 * 1024
#: Which of the trees in the side folder there are.
_TREES = NEW, OLD, LATE, TAKEN = "new", "old", "late", "undone"


class WebSpace(Protocol):
    """The host: its connection, and the paths of the server, which begin at the space's root."""

    link: FtpConnection

    def connect(self) -> None:
        """Reach the server; harmless if that was done already."""

    def server_path(self, path: bytes | str) -> str:
        """Return a path as the server has it."""

    def host_path(self, path: str) -> str:
        """Return a path of the server as others name it."""

    def make_folders(self, folder: str) -> None:
        """Make a folder of the server, and those above it; harmless if they exist."""

    def write(self, path: str, data: bytes) -> None:
        """Replace a file atomically."""

    def open(self, path: bytes) -> OpenFile:
        """Return a file's bytes."""

    def tree(self, root: str, chosen: WalkRules, warn: Warn, home: str = "") -> Iterator[HostEntry]:
        """Yield the entries of a tree in scan order."""

    def describe(self, path: bytes, kind: str, relative: bytes, warn: Warn) -> Entry | None:
        """Return the entry of a path, None if it does not exist."""


class FtpSide:
    """The side folder ``name`` for the folder ``root``."""

    sets_owners = False
    limits = (
        "Over FTP the exchange is not one step: while it runs, a site may see some new and some "
        "old files. If the connection is lost, it continues as soon as the server answers.",
        "FTP knows no owners and no links, and seldom modes and times: these stay as the server "
        "sets them.",
        "The data that is set aside is in the space itself, in .fasciculus-restores; anyone who "
        "can sign in there can read and change it.",
    )

    def __init__(self, host: WebSpace, root: str, name: str) -> None:
        self._host, self._root = host, root
        self._live = host.server_path(root)
        self._name, self._found = name, ""
        self._tree = FtpTree(host.link, "/")
        self._problems: Problems = []

    @property
    def path(self) -> str:
        """Return the path of the side folder, whether or not it exists."""
        return self._side

    @property
    def _places(self) -> list[str]:
        """Return where it may be: in the root of the space, unless that cannot be written."""
        above = ("/", posixpath.dirname(self._live), self._live)
        return [posixpath.join(place, os.fsdecode(NAME)) for place in dict.fromkeys(above)]

    @property
    def _side(self) -> str:
        if not self._found:
            there = (f"{place}/{self._name}" for place in self._places)
            self._found = next((p for p in there if self._tree.kind(p)), "")
        return self._found or f"{self._places[0]}/{self._name}"

    @property
    def free(self) -> int | None:
        """Return the bytes that fit, None if the server does not tell."""
        self._host.connect()
        return self._host.link.free("/")

    def owner_of(self, like: Entry) -> tuple[int, int]:
        """Return the numbers of an entry's owner and group: FTP has none."""
        return like.uid, like.gid

    def walk(self, path: bytes, chosen: WalkRules, warn: Warn) -> Iterator[HostEntry]:
        """Yield the entries at and below a folder in scan order."""
        return self._host.tree(os.path.join(self._root, os.fsdecode(path)), chosen, warn)

    def describe(self, path: bytes, warn: Warn) -> Entry | None:
        """Return the entry of one path, None if it does not exist."""
        whole = os.path.join(os.fsencode(self._root), path) if path else os.fsencode(self._root)
        return self._host.describe(whole, "files", path, warn)

    # Staging ---------------------------------------------------------------------

    def make(self) -> None:
        """Make the side folder, and the folder itself if it is missing."""
        self._host.connect()
        if self._tree.kind(self._side):
            raise OSError(errno.EEXIST, "the side folder exists already")
        self._host.make_folders(self._live)
        self._found = f"{self._writable_place()}/{self._name}"
        for name in ("", *_TREES):
            self._host.make_folders(posixpath.join(self._side, name).rstrip("/"))
        self._tree.forget()

    def _writable_place(self) -> str:
        """Return the first place that can be written, closed to web servers."""
        refused = ""
        for place in self._places:
            try:
                self._host.make_folders(place)
                self._host.write(f"{place}/.htaccess", _DENIED)
            except (ConnectionLostError, StoreFullError):
                raise
            except UnreachableError as error:
                refused = error.message
                continue
            return place
        raise OSError(errno.EACCES, refused)

    def remove(self) -> None:
        """Remove the side folder with everything in it; harmless if it does not exist."""
        self._host.connect()
        self._tree.forget()
        if self._tree.kind(self._side) == "folder":
            self._tree.remove_all(self._side)

    def add_to_journal(self, data: bytes) -> None:
        """Append to the journal."""
        self._tree.send(posixpath.join(self._side, "journal"), [data], "APPE")

    def staging(self) -> FtpTree:
        """Open the folder for what will be put in place."""
        return FtpTree(self._host.link, posixpath.join(self._side, NEW))

    # Switching -------------------------------------------------------------------

    def state(self) -> str | None:
        """Return how far the switch is, None if there is no side folder."""
        self._host.connect()
        self._tree.forget()
        if self._tree.kind(self._side) != "folder":
            return None
        found = self._kept("state").decode("ascii", "replace")
        return found if found in (SWITCHING, SWITCHED, UNDOING, UNDONE) else STAGING

    def switch(self) -> Problems:
        """Exchange everything; return the paths that failed, with the reasons."""
        self._problems = []
        self._enter(SWITCHING)
        return self._forward()

    def recover(self) -> tuple[str, Problems]:
        """Finish what was interrupted; return the state it is in then, and what failed."""
        self._host.connect()
        self._problems = []
        state = self.state()
        if state == SWITCHING:
            self._forward()
        elif state == UNDOING:
            self._backward()
        return self.state() or STAGING, self._problems

    def undo(self) -> Problems:
        """Put back what was set aside; return the paths that failed, with the reasons."""
        self._problems = []
        self._enter(UNDOING)
        return self._backward()

    def drop(self) -> None:
        """Remove what is set aside."""
        self.remove()

    def close(self) -> None:
        """Close it; the host keeps its connection."""

    def changed(self) -> list[str]:
        """Return the paths that changed since the switch."""
        self._host.connect()
        self._tree.forget()
        try:
            seen = dict(json.loads(self._kept("seen") or b"{}"))
        except ValueError:
            seen = {}
        found = [path for path, state in seen.items() if self._seen(path) != state]
        return found[:_MOST_NAMED]

    def _enter(self, state: str) -> None:
        self._host.write(posixpath.join(self._side, "state"), state.encode())

    def _kept(self, name: str) -> bytes:
        """Return a file of the side folder, empty if it is missing."""
        try:
            with closing(self._host.open(os.fsencode(self._host_path(name)))) as file:
                chunks, left = [], _MOST
                while left > 0 and (chunk := file.read(min(left, 1 << 20))):
                    chunks.append(chunk)
                    left -= len(chunk)
        except FileNotFoundError:
            return b""
        return b"".join(chunks)

    def _host_path(self, name: str) -> str:
        return self._host.host_path(posixpath.join(self._side, name))

    def _operations(self) -> list[dict[str, Any]]:
        """Return the operations of the journal; the space's owner may have changed it."""
        rows = []
        for line in self._kept("journal").splitlines():
            try:
                row = json.loads(line)
                if row["op"] in (PLACE, REMOVE, DRESS) and _is_inside(row["path"]):
                    rows.append(row)
            except (ValueError, KeyError, TypeError):
                self._problems.append((self._side, "a line of the journal cannot be read"))
        return rows

    def _forward(self) -> Problems:
        self._tree.forget()
        rows = self._operations()
        for row in rows:
            self._try(self._do, row)
        self._tree.forget()
        placed = [row["path"] for row in rows if row["op"] == PLACE and row["path"]]
        seen = {path: self._seen(path) for path in placed}
        self._host.write(posixpath.join(self._side, "seen"), json.dumps(seen).encode())
        self._enter(SWITCHED)
        return self._problems

    def _backward(self) -> Problems:
        self._tree.forget()
        for row in reversed(self._operations()):
            if row["op"] != DRESS:
                self._try(self._take_back, row)
            else:
                self._try(self._dress_as_before, row)
        self._enter(UNDONE)
        return self._problems

    def _try(self, work: Any, row: dict[str, Any]) -> None:
        try:
            work(row)
        except (ConnectionLostError, StoreFullError):
            raise
        except (FasciculusError, OSError) as error:
            if len(self._problems) < _MOST_NAMED:
                said = error.message if isinstance(error, FasciculusError) else str(error.strerror)
                self._problems.append((row["path"], said))

    def _at(self, tree: str, path: str) -> str:
        return posixpath.join(self._live if tree == "live" else f"{self._side}/{tree}", path)

    def _holds(self, tree: str, path: str) -> bool:
        return bool(self._tree.kind(self._at(tree, path)))

    def _move(self, source: str, target: str, path: str) -> None:
        for tree in (source, target):
            base = self._live if tree == "live" else self._side
            self._tree.check_way(base, posixpath.dirname(self._at(tree, path)))
        to = self._at(target, path)
        if target != "live":
            self._host.make_folders(posixpath.dirname(to))
        self._tree.rename(self._at(source, path), to)

    def _do(self, row: dict[str, Any]) -> None:
        path = row["path"]
        if row["op"] == PLACE:
            if not self._holds(NEW, path):
                return
            if self._holds("live", path):
                self._set_aside(path)
            try:
                self._move(NEW, "live", path)
            except (UnreachableError, OSError):
                # Rather what was there than nothing.
                if self._host.link.is_open and self._holds(OLD, path):
                    self._move(OLD, "live", path)
                raise
        elif row["op"] == REMOVE:
            if self._holds("live", path) and not self._holds(OLD, path):
                self._set_aside(path)
        else:
            self._dress(path, row["new"])

    def _set_aside(self, path: str) -> None:
        if not self._holds(OLD, path):
            self._move("live", OLD, path)
            return
        self._move("live", LATE, path)
        kept = f"{self._side}/{LATE}"
        self._problems.append((path, f"something was put there meanwhile: {kept}"))

    def _take_back(self, row: dict[str, Any]) -> None:
        path = row["path"]
        if row["op"] == PLACE and self._holds(NEW, path):
            if self._holds(OLD, path) and not self._holds("live", path):
                self._move(OLD, "live", path)
            return
        if row["op"] == REMOVE and not self._holds(OLD, path):
            return
        if self._holds("live", path) and not self._holds(TAKEN, path):
            self._move("live", TAKEN, path)
        if self._holds(OLD, path):
            self._move(OLD, "live", path)

    def _dress_as_before(self, row: dict[str, Any]) -> None:
        self._dress(row["path"], row["old"])

    def _dress(self, path: str, like: Any) -> None:
        if path and self._holds("live", path):
            self._tree.check_way(self._live, self._at("live", path))
            self._tree.set_mode(self._at("live", path), int(like["mode"]) & 0o777)

    def _seen(self, path: str) -> str:
        """Return a text that differs once a file, or anything in a folder, has changed."""
        here = self._at("live", path)
        found = self._tree.entry(here)
        if found is None:
            return ""
        if found.kind != "folder":
            return _words(found)
        below = self._tree.below(here)
        return "".join(sorted(f"{name} {_words(row)}\n" for name, row in below))


def _words(row: FtpEntry) -> str:
    return f"{row.kind} {row.size} {row.mtime}" if row.kind == "file" else row.kind


def _is_inside(path: Any) -> bool:
    """Return whether a text is a path below a folder, empty for the folder itself."""
    if not isinstance(path, str):
        return False
    return path == "" or not {"", ".", ".."} & set(path.split("/"))
