"""A folder on another machine, over FTP or explicit FTPS."""

from __future__ import annotations

import ftplib
import io
import posixpath
import socket
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from datetime import datetime
from pathlib import Path
from typing import Any, BinaryIO, Literal

from pydantic import Field

from ..core.errors import FasciculusError, MissingError, UnreachableError
from ..ftp import FtpConnection, FtpSecrets, FtpSettings, FtpSpec
from .base import (
    ConnectStep,
    StoreItem,
    StoreKind,
    StoreSettings,
    StoreSpec,
    TlsAddress,
    listed_items,
)
from .made_folders import MadeFolders

_CHUNK = 256 * 1024
#: What is read at once, so that its data connection ends before anything else is asked.
_AT_ONCE = 32 * 1024 * 1024


class FtpStoreSettings(FtpSettings, StoreSettings):
    """A folder on a server that speaks FTP."""

    kind: Literal["ftp"] = "ftp"
    folder: str = Field(
        min_length=1,
        title="Folder on the server",
        description="Created if missing.",
        examples=["/bundles"],
    )

    def tls_address(self) -> TlsAddress | None:
        """Return the address that presents a certificate, None without TLS."""
        return TlsAddress(self.address, self.port, "ftp") if self.security == "tls" else None

    def unprotected(self) -> str:
        """Return what is readable in transit, empty if nothing."""
        return "password and files" if self.security == "none" else ""

    def describe(self) -> str:
        """Return its place, in a few words for a list."""
        port = f":{self.port}" if self.port != 21 else ""
        scheme = "ftps" if self.security == "tls" else "ftp"
        return f"{scheme} {self.user}@{self.address}{port}:{self.folder}"


class FtpStore:
    """A store on an FTP server, signed in with a password."""

    digests_itself = True
    proves_transfer = False

    def __init__(self, spec: StoreSpec) -> None:
        settings = spec.settings
        assert isinstance(settings, FtpStoreSettings)
        self.spec = spec
        self._root = settings.folder.rstrip("/") or "/"
        self._server = FtpSpec(settings, spec.secrets, spec.stall_timeout, f"store “{spec.name}”")
        self._link = FtpConnection(self._server)
        #: For streams: a control connection serves one transfer at a time.
        self._idle: FtpConnection | None = None
        self._folders = MadeFolders(self._make_folder)
        self._arrived: dict[str, int] = {}
        self._replaces = True

    # Connecting --------------------------------------------------------------

    def connect(self) -> None:
        """Connect; harmless if it is connected already."""
        if not self._link.is_open:
            self._link.open()
            self._find_root()

    def connecting(self) -> list[ConnectStep]:
        """Return the steps of connecting, for a test."""
        link = self._link
        return [
            ConnectStep("resolve", link.resolve),
            ConnectStep("connect", link.reach),
            ConnectStep("server", link.identify),
            ConnectStep("sign in", link.sign_in),
            ConnectStep("folder", self._find_root),
        ]

    def _find_root(self) -> str:
        with self._link.said(self._root):
            try:
                self._link.raw.cwd(self._root)
            except ftplib.error_perm as error:
                raise MissingError(
                    f"The folder {self._root} does not exist on {self._server.settings.address}.",
                    "Create it there, or correct the folder.",
                ) from error
        return f"{self._root} exists."

    def make_root(self) -> None:
        """Create the root folder; harmless if it exists."""
        for end in [n for n, c in enumerate(self._root + "/") if c == "/" and n]:
            self._link.make_folder(self._root[:end])

    def close(self) -> None:
        """Close it; harmless if it is closed already."""
        self._link.close()
        if self._idle is not None:
            self._idle.close()
        self._idle = None

    def _path(self, path: str) -> str:
        return posixpath.normpath(posixpath.join(self._root, path))

    @property
    def _open(self) -> FtpConnection:
        self.connect()
        return self._link

    # Reading -----------------------------------------------------------------

    def items(self, folder: str) -> list[StoreItem]:
        """Return the contents of a folder, by name."""
        try:
            entries = self._open.entries(self._path(folder))
        except MissingError:
            return []
        return listed_items(self.spec.name, ((e.name, e.size, e.kind == "folder") for e in entries))

    def open(self, path: str, offset: int = 0, length: int | None = None) -> BinaryIO:
        """Return a stream of a file's bytes."""
        if length is not None and length <= _AT_ONCE:
            return io.BytesIO(self._stretch(path, offset, length))
        reader, self._idle = self._idle or FtpConnection(self._server), None
        reader.open()
        return io.BufferedReader(_Stream(self, reader, path, offset, length), _CHUNK)

    def _stretch(self, path: str, offset: int, length: int) -> bytes:
        link = self._open
        with self._said(link, path):
            data = link.transfer("RETR", self._path(path), offset)
            parts, left = [], length
            while left and (chunk := data.recv(min(left, _CHUNK))):
                parts.append(chunk)
                left -= len(chunk)
            self._break_off(link, data)
        return b"".join(parts)

    def _break_off(self, link: FtpConnection, data: socket.socket) -> None:
        """End a transfer of which enough was read; the server may call that an error."""
        with suppress(ftplib.error_temp, ftplib.error_perm):
            link.end(data)

    @contextmanager
    def _said(self, link: FtpConnection, path: str) -> Iterator[None]:
        with link.said(path):
            try:
                yield
            except ftplib.error_perm as error:
                if str(error)[:3] == "550":
                    raise MissingError(f"{path} is not on store “{self.spec.name}”.") from error
                raise

    def size(self, path: str) -> int | None:
        """Return the size of a file in bytes, None if it does not exist."""
        return self._open.size(self._path(path))

    def sha256(self, path: str) -> str | None:
        """Return the SHA-256 that the store computes, None if it cannot."""
        return self._open.sha256(self._path(path))

    def modified(self, path: str) -> datetime | None:
        """Return the modification time by the store's clock, None if unknown."""
        return self._open.modified(self._path(path))

    def free(self) -> int | None:
        """Return the free bytes, None if unknown."""
        return self._open.free(self._root)

    # Writing -----------------------------------------------------------------

    def put(self, local: Path, path: str, on_bytes: Callable[[int], None]) -> None:
        """Store a local file, completely or not at all."""
        with local.open("rb") as source:
            self._write(source, path, on_bytes)

    def put_bytes(self, data: bytes, path: str) -> None:
        """Store a few bytes as a file."""
        self._arrived.pop(path, None)
        with self._open.hurried():
            self._write(io.BytesIO(data), path, lambda count: None)

    def arrived(self, path: str) -> int:
        """Return the bytes of an interrupted upload that need not be sent again."""
        return self._arrived.get(path, 0)

    def clear_partial(self, folder: str) -> None:
        """Nothing is left that :meth:`items` does not show."""

    def _write(self, source: BinaryIO, path: str, on_bytes: Callable[[int], None]) -> None:
        link, partial = self._open, self._path(path) + ".part"
        self._folders.above(path)
        size = source.seek(0, io.SEEK_END)
        begin = 0
        if path in self._arrived:
            # What the server has is a beginning of what was sent: the bytes came in order.
            begin = min(link.size(partial) or 0, size)
        self._arrived[path] = begin
        source.seek(begin)
        try:
            with link.said(path):
                try:
                    self._send(link, source, partial, begin, on_bytes)
                except (ftplib.error_perm, ftplib.error_temp) as error:
                    if not begin or str(error)[:3] in ("452", "552"):
                        raise
                    # It cannot resume within a file, so start from the beginning.
                    self._arrived[path] = 0
                    source.seek(0)
                    self._send(link, source, partial, 0, on_bytes)
            if link.size(partial) != size:
                raise UnreachableError(f"Not all bytes of {path} arrived.", "It is sent again.")
            self._replace(path + ".part", path)
        except UnreachableError:
            if link.is_open:
                with suppress(FasciculusError):
                    link.remove(partial)
                self._arrived.pop(path, None)
            raise
        self._arrived.pop(path, None)

    def _send(
        self,
        link: FtpConnection,
        source: BinaryIO,
        partial: str,
        begin: int,
        on_bytes: Callable[[int], None],
    ) -> None:
        data = link.transfer("STOR", partial, begin)
        try:
            while chunk := source.read(_CHUNK):
                data.sendall(chunk)
                on_bytes(len(chunk))
        except OSError as error:
            data.close()
            # Why it was cut is on the control connection, where the server still says it.
            with link.hurried():
                link.raw.voidresp()
            raise OSError("the transfer was cut") from error
        link.end(data)

    def _make_folder(self, folder: str) -> None:
        self._link.make_folder(self._path(folder))

    def rename(self, path: str, to: str) -> None:
        """Rename a file in its folder, replacing any file of that name."""
        self._replace(path, to)

    def _replace(self, path: str, to: str) -> None:
        link = self._open
        try:
            link.rename(self._path(path), self._path(to))
        except UnreachableError:
            if not link.is_open or link.size(self._path(to)) is None:
                raise
            self._replaces = False
            link.remove(self._path(to))
            link.rename(self._path(path), self._path(to))

    def remove(self, path: str) -> None:
        """Remove a file; harmless if it does not exist."""
        self._open.remove(self._path(path))

    def remove_folder(self, folder: str) -> None:
        """Remove an empty folder; harmless if it does not exist."""
        self._folders.forget(folder)
        self._open.remove_folder(self._path(folder))

    def replaces_at_once(self) -> bool:
        """Return whether replacing a file is atomic."""
        # RFC 959 does not say whether RNTO replaces; most servers do.
        self._replaces = True
        for data in (b"one", b"two"):
            self.put_bytes(data, ".fasciculus-replacing")
        self.remove(".fasciculus-replacing")
        return self._replaces

    def give_back(self, reader: FtpConnection) -> None:
        """Return a reading connection that is reused."""
        if self._idle is None and reader.is_open:
            self._idle = reader
        else:
            reader.close()


class _Stream(io.RawIOBase):
    """Reads a file to its end over its own control connection."""

    def __init__(
        self, store: FtpStore, link: FtpConnection, path: str, offset: int, length: int | None
    ) -> None:
        self._store, self._link, self._path, self._left = store, link, path, length
        self._ended = False
        with store._said(link, path):
            self._data: socket.socket | None = link.transfer("RETR", store._path(path), offset)

    def readable(self) -> bool:
        return True

    def readinto(self, buffer: Any) -> int:
        if self._data is None or self._ended or self._left == 0:
            return 0
        with self._store._said(self._link, self._path):
            count = len(buffer) if self._left is None else min(len(buffer), self._left)
            got = self._data.recv_into(memoryview(buffer)[:count])
            if not got:
                # An answer that is no success means that the end is missing.
                data, self._data, self._ended = self._data, None, True
                self._link.end(data)
        if self._left is not None:
            self._left -= got
        return got

    def close(self) -> None:
        if not self.closed:
            if self._data is not None:
                data, self._data = self._data, None
                try:
                    self._store._break_off(self._link, data)
                except (OSError, EOFError, ftplib.Error, FasciculusError):
                    self._link.close()
            self._store.give_back(self._link)
        super().close()


KIND = StoreKind("ftp", "Another machine, over FTP or FTPS", FtpStoreSettings, FtpSecrets, FtpStore)
