"""Web space without a shell, over FTP or FTPS: files alone.

Times are as exact as the server lists them: seconds where it knows MLSD (RFC 3659), else minutes,
and days for what is older than half a year. So contents are compared every N bundles.
"""

from __future__ import annotations

import ftplib
import os
import posixpath
import socket
from collections.abc import Iterator
from contextlib import closing, suppress
from functools import partial
from pathlib import Path
from typing import Any, Literal, NoReturn

from pydantic import Field, field_validator

from ..core.bundle.entry import DIR, FILE, SYMLINK, Entry
from ..core.bundle.tree.tree_walk import WalkRules, Warn, shown
from ..core.errors import (
    ConnectionLostError,
    FasciculusError,
    MissingError,
    UnreachableError,
)
from ..core.file_filters import ON_THE_WAY
from ..core.protocols.ftp_listing import FtpEntry
from ..core.steps import Step
from ..ftp import FtpConnection, FtpSecrets, FtpSettings, FtpSpec
from .base import (
    CommandResult,
    FileState,
    HostEntry,
    HostKind,
    HostSpec,
    OpenFile,
    TreeName,
)
from .ftp_side import FtpSide
from .side_folder import NAME
from .text_files import read_text_of

_CHUNK = 256 * 1024
_SECOND_NS = 1_000_000_000
#: A server may follow links, and so list a folder inside itself without end.
_DEEPEST = 200
_TYPES = {"file": FILE, "folder": DIR, "link": SYMLINK}
_MODES = {FILE: 0o644, DIR: 0o755, SYMLINK: 0o777}


class FtpHostSettings(FtpSettings):
    """Web space reached over FTP."""

    kind: Literal["ftp"] = "ftp"
    root: str = Field(
        default="",
        title="Folder that the FTP root is",
        description="If the server shows the account's home as “/”: its real path, as known "
        "here. Empty where paths are the same.",
        examples=["/home/millpond"],
    )

    @field_validator("root")
    @classmethod
    def _root(cls, value: str) -> str:
        value = value.strip().rstrip("/")
        if value and (not value.startswith("/") or "/../" in value + "/"):
            raise ValueError("Enter an absolute path that starts with “/”, without “..”.")
        return value

    def describe(self) -> str:
        """Return its place, in a few words for a list."""
        port = f":{self.port}" if self.port != 21 else ""
        scheme = "ftps" if self.security == "tls" else "ftp"
        return f"{scheme} {self.user}@{self.address}{port}"


class FtpHost:
    """Reads and writes the files of an account over FTP."""

    is_local = False
    tells_ctime = False
    seen_key = ""

    def __init__(self, spec: FtpSpec, root: str) -> None:
        self._spec, self._root = spec, root
        self.link = FtpConnection(spec)
        #: A control connection serves one transfer at a time, so files have their own.
        self._files = FtpConnection(spec)

    # Connecting --------------------------------------------------------------

    def settled_ns(self) -> int:
        """Return the time before which changes are certain to have been seen, in ns."""
        return 0

    def steps(self) -> Iterator[Step]:
        """Yield the steps of connecting."""
        link = self.link
        yield Step("resolve", True, link.resolve())
        yield Step("connect", True, link.reach())
        yield Step("server", True, link.identify())
        yield Step("sign in", True, link.sign_in())
        grain = (
            "to the second"
            if link.has("MLST")
            else "to the minute, older ones to the day: every seventh time contents are compared"
        )
        yield Step("commands", True, f"Files alone, without a shell. Times are listed {grain}.")

    def connect(self) -> None:
        """Connect; harmless if it is connected already."""
        self.link.open()

    def close(self) -> None:
        """Close it; harmless if it is closed already."""
        self.link.close()
        self._files.close()

    def spool_in(self, folder: Path) -> None:
        """Use another folder for temporary files."""

    def host_path(self, path: str) -> str:
        """Return a path of the server as others name it."""
        return f"{self._root}{path}"

    def server_path(self, path: bytes | str) -> str:
        """Return a path as the server has it."""
        text = os.fsdecode(path)
        if self._root and (text == self._root or text.startswith(self._root + "/")):
            text = text[len(self._root) :]
        return posixpath.normpath("/" + text.strip("/"))

    # Trees -------------------------------------------------------------------

    def tree(self, root: str, chosen: WalkRules, warn: Warn, home: str = "") -> Iterator[HostEntry]:
        """Yield the entries of a tree in scan order."""
        self.connect()
        if self.type_of(root) != "dir":
            raise MissingError(
                f"The folder {root} does not exist on {self._spec.settings.address}.",
                "Correct the folder of this account or site.",
            )
        return self._walk(root, chosen, warn)

    def survey(self, root: str, warn: Warn, home: str = "") -> Iterator[TreeName]:
        """Yield the names of a tree in scan order."""
        for found in self.tree(root, WalkRules(), warn):
            entry = found.entry
            if entry.path:
                yield TreeName(
                    entry.path, entry.type == DIR, entry.type == FILE, entry.size, entry.mtime_ns, 0
                )

    def _walk(self, root: str, chosen: WalkRules, warn: Warn) -> Iterator[HostEntry]:
        base = os.fsencode(root)
        yield HostEntry(_described(b"", FtpEntry("", "folder")), partial(self.open, base))
        stack = [(b"", self._listed(base, b"", warn))]
        owed: list[Entry] = []
        while stack:
            folder, names = stack[-1]
            found = next(names, None)
            if found is None:
                stack.pop()
                owed = [e for e in owed if folder.startswith(e.path) and e.path != folder]
                continue
            name = os.fsencode(found.name)
            if name == NAME:
                # What restores have set aside.
                continue
            relative = folder + b"/" + name if folder else name
            if relative in chosen.excluded:
                continue
            if found.kind == "other":
                warn(f"{shown(relative)}: left out, since FTP cannot read what it is")
                continue
            entry, path = _described(relative, found), base + b"/" + relative
            is_dir = entry.type == DIR
            verdict = chosen.judge(relative, is_dir, entry.type == FILE, entry.size, entry.mtime_ns)
            if verdict and verdict != ON_THE_WAY:
                continue
            if verdict == ON_THE_WAY:
                owed.append(entry)
                stack.append((relative, self._listed(path, relative, warn)))
                continue
            for above in owed:
                yield HostEntry(above, partial(self.open, base))
            owed = []
            yield HostEntry(entry, partial(self._opened, path, entry.size, entry.mtime_ns))
            if is_dir:
                stack.append((relative, self._listed(path, relative, warn)))

    def _listed(self, path: bytes, relative: bytes, warn: Warn) -> Iterator[FtpEntry]:
        if relative.count(b"/") >= _DEEPEST:
            warn(f"{shown(relative)}: the folder is too deep, and left out")
            return iter(())
        try:
            rows = self.link.entries(self.server_path(path))
        except ConnectionLostError:
            # Once more: servers end what stands idle while a large file is read.
            self.connect()
            rows = self.link.entries(self.server_path(path))
        except FasciculusError as error:
            warn(f"{shown(relative)}: the folder could not be read ({error.message})")
            return iter(())
        return iter(sorted(rows, key=lambda row: os.fsencode(row.name)))

    # Single files --------------------------------------------------------------

    def open(self, path: bytes) -> OpenFile:
        """Return a stream of a file's bytes."""
        found = self._found(path)
        if found is None:
            raise FileNotFoundError(2, "there is no such file")
        entry = _described(b"", found)
        return self._opened(path, entry.size, entry.mtime_ns)

    def _opened(self, path: bytes, size: int, mtime_ns: int) -> OpenFile:
        self._files.open()
        return FtpFile(self._files, self.server_path(path), FileState(size, mtime_ns, 0))

    def _found(self, path: bytes | str) -> FtpEntry | None:
        """Return what a path is, out of the listing of the folder above it."""
        wanted = self.server_path(path)
        if wanted == "/":
            return FtpEntry("", "folder")
        self.connect()
        above, _, name = wanted.rpartition("/")
        try:
            rows = self.link.entries(above or "/")
        except MissingError:
            return None
        return next((row for row in rows if row.name == name), None)

    def type_of(self, path: str) -> str:
        """Return whether a path is a file, a folder or something else, empty if nothing."""
        found = self._found(path)
        if found is None:
            return ""
        if found.kind == "link":
            # A folder can be listed through a link, a file not.
            try:
                self.link.entries(self.server_path(path))
                return "dir"
            except FasciculusError:
                return "file"
        return {"folder": "dir", "file": "file"}.get(found.kind, "other")

    def names(self, folder: bytes) -> list[bytes]:
        """Return the names in a folder."""
        self.connect()
        try:
            return [os.fsencode(row.name) for row in self.link.entries(self.server_path(folder))]
        except MissingError as error:
            raise FileNotFoundError(2, error.message) from error

    def read_text(self, path: str) -> str:
        """Return the text of a settings file."""
        try:
            with closing(self.open(os.fsencode(path))) as file:
                return read_text_of(file, path)
        except OSError as error:
            raise MissingError(
                f"{path} on {self._spec.settings.address} cannot be read: "
                f"{error.strerror or error}.",
                "Correct the host's settings.",
            ) from error

    def describe(self, path: bytes, kind: str, relative: bytes, warn: Warn) -> Entry | None:
        """Return the entry of a path, None if it does not exist."""
        found = self._found(path)
        if found is None or found.kind == "other":
            return None
        entry = _described(relative, found)
        entry.kind = kind
        return entry

    def state_of(self, path: bytes) -> bytes:
        """Return a value that changes with every write to a file."""
        found = self._found(path)
        return b"" if found is None else f"{found.size} {found.mtime}".encode()

    def write(self, path: str, data: bytes) -> None:
        """Replace a file atomically."""
        self.connect()
        target = self.server_path(path)
        self.make_folders(posixpath.dirname(target))
        partial_ = target + ".fasciculus-new"
        self.link.send(partial_, [data])
        self.link.rename(partial_, target)

    def make_folders(self, folder: str) -> None:
        """Make a folder of the server, and those above it; harmless if they exist."""
        if folder in ("", "/"):
            return
        self.make_folders(posixpath.dirname(folder))
        self.link.make_folder(folder)

    def writable_tree(self, root: str) -> NoReturn:
        """Open a folder for restored entries."""
        raise UnreachableError(
            f"{self._spec.settings.address} is reached over FTP, which restores nothing in place.",
            "Restore to a folder of this machine and upload what you need.",
        )

    def side_folder(self, root: str, home: str, name: str) -> FtpSide:
        """Return the side folder of a restore in place."""
        return FtpSide(self, root, name)

    def remove(self, path: str) -> None:
        """Remove a file; harmless if it does not exist."""
        self.connect()
        self.link.remove(self.server_path(path))

    # What FTP has not ------------------------------------------------------------

    def run(
        self, command: str, seconds: float, stdin: bytes = b"", limit: int = 1 << 20
    ) -> CommandResult:
        """Raise an error: FTP cannot run commands."""
        raise UnreachableError(
            f"{self._spec.settings.address} is reached over FTP, which runs no commands.",
            "Leave out notes and commands there, or reach it over SSH.",
        )

    def dial(self, socket: str, address: str, port: int) -> Any:
        """Return a database server is reached from this machine, by its address."""
        if socket:
            raise UnreachableError(
                "Over FTP no Unix socket can be reached.",
                "Enter the database server's address; it must let this machine in.",
            )
        return None


class FtpFile:
    """A file read over FTP; what ends early is an error."""

    def __init__(self, link: FtpConnection, path: str, listed: FileState) -> None:
        self._link, self._path, self._listed = link, path, listed
        self._count = 0
        try:
            self._data: socket.socket | None = link.transfer("RETR", path)
        except ftplib.error_perm as error:
            raise OSError(2, str(error)[4:80]) from error
        except (ftplib.Error, OSError, EOFError) as error:
            link.close()
            raise ConnectionLostError(
                f"The connection to {link.spec.what} was lost.", "Start again."
            ) from error

    def read(self, count: int = -1, /) -> bytes:
        """Return the next bytes."""
        if count < 0:
            return b"".join(iter(lambda: self.read(_CHUNK), b""))
        if self._data is None:
            return b""
        with self._link.said(self._path):
            data = self._data.recv(min(count, _CHUNK)) if count else b""
            if count and not data:
                connection, self._data = self._data, None
                try:
                    self._link.end(connection)
                except (ftplib.error_temp, ftplib.error_perm) as error:
                    raise OSError(5, f"the transfer was broken off ({str(error)[:60]})") from error
        self._count += len(data)
        return data

    def close(self) -> None:
        """Close it; harmless if it is closed already."""
        if self._data is not None:
            connection, self._data = self._data, None
            try:
                with suppress(ftplib.error_temp, ftplib.error_perm):
                    self._link.end(connection)
            except (OSError, EOFError, ftplib.Error, FasciculusError):
                self._link.close()

    def now(self) -> FileState:
        """Return the present state of the file."""
        # While it sends, the server answers nothing else: what was listed, and what came.
        size = self._count if self._data is None else self._listed.size
        return FileState(size, self._listed.mtime_ns, 0)

    def again(self) -> bool:
        """Start reading from the beginning; return whether that is possible."""
        return False


def _described(path: bytes, found: FtpEntry) -> Entry:
    """Return the entry of what a server lists. Owners it does not tell."""
    type_ = _TYPES[found.kind]
    mtime = 0 if found.mtime is None else int(found.mtime.timestamp()) * _SECOND_NS
    entry = Entry(
        kind="files",
        path=path,
        type=type_,
        size=found.size if type_ == FILE else 0,
        mode=_MODES[type_] if found.mode is None else found.mode,
        mtime_ns=mtime,
    )
    if type_ == SYMLINK:
        entry.target = os.fsencode(found.target)
    return entry


def _open(spec: HostSpec, spool: Path) -> FtpHost:
    settings = spec.settings
    assert isinstance(settings, FtpHostSettings)
    what = f"host “{spec.name}”"
    return FtpHost(FtpSpec(settings, spec.secrets, what=what), settings.root)


KIND = HostKind("ftp", "Web space, over FTP or FTPS", FtpHostSettings, FtpSecrets, _open)
