"""A folder on another machine, over SFTP (SSH file transfer, version 3)."""

from __future__ import annotations

import hashlib
import io
import os
import posixpath
import shlex
import socket
import stat
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager, suppress
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, BinaryIO, Literal, cast

import paramiko
from pydantic import Field

from ..core.errors import (
    ConnectionLostError,
    FasciculusError,
    MissingError,
    StoreFullError,
    UnreachableError,
)
from ..sftp_client import LEAST_WRITE, SftpClient
from ..ssh import TIMEOUT, SshConnection, SshSecrets, SshSpec, broke_off
from .base import ConnectStep, StoreItem, StoreKind, StoreSettings, StoreSpec, listed_items
from .chunk_size import LEAST, chunk_size
from .made_folders import MadeFoldersFromBelow

_READ_WINDOW = 4 * 1024 * 1024
_EXEC_TIMEOUT = 600.0
_SMALL = 64 * 1024


class SftpSettings(StoreSettings):
    """A folder on a server that speaks SFTP."""

    kind: Literal["sftp"] = "sftp"
    address: str = Field(min_length=1, title="Address", examples=["storage.sedge-quill.example"])
    port: int = Field(default=22, ge=1, le=65535, title="Port")
    user: str = Field(min_length=1, title="User")
    folder: str = Field(
        min_length=1,
        title="Folder on the server",
        description="Created if missing.",
        examples=["/bundles"],
    )
    host_key: str = Field(
        default="",
        title="Accepted host key",
        description="The server’s fingerprint. Leave it empty to have a test show it, so that "
        "you can compare and accept it.",
        examples=["SHA256:…"],
    )

    def describe(self) -> str:
        """Return its place, in a few words for a list."""
        port = f":{self.port}" if self.port != 22 else ""
        return f"sftp {self.user}@{self.address}{port}:{self.folder}"


class SftpStore:
    """A store on an SFTP server, signed in with a password or a private key."""

    digests_itself = True
    proves_transfer = False

    def __init__(self, spec: StoreSpec) -> None:
        settings = spec.settings
        assert isinstance(settings, SftpSettings)
        self.spec = spec
        self._root = settings.folder.rstrip("/") or "/"
        self._link = SshConnection(
            SshSpec(
                settings.address,
                settings.port,
                settings.user,
                settings.host_key,
                spec.secrets,
                "the store's settings",
            )
        )
        self._client: SftpClient | None = None
        self._folders = MadeFoldersFromBelow(self._make_folder)
        #: Bytes of files under way that the server has acknowledged.
        self._arrived: dict[str, int] = {}
        self._can_digest = self._replaces = True

    @property
    def seen_key(self) -> str:
        """Return the fingerprint of the host key that the server showed."""
        return self._link.seen_key

    # Connecting --------------------------------------------------------------

    def connect(self) -> None:
        """Connect; harmless if it is connected already."""
        if self._client is not None and self._link.active:
            return
        self.close()
        try:
            for step in self.connecting():
                step.run()
        except FasciculusError:
            self.close()
            raise

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
        address = self._link.spec.address
        try:
            if self._client is None:
                self._client = self._link.sftp(self.spec.stall_timeout)
            found = self._client.stat(self._root)
        except FileNotFoundError as error:
            raise MissingError(
                f"The folder {self._root} does not exist on {address}.",
                "Create it there, or correct the folder.",
            ) from error
        except (paramiko.SSHException, OSError, EOFError) as error:
            raise broke_off(self._link.spec.where, error) from error
        if not stat.S_ISDIR(found.st_mode or 0):
            raise MissingError(f"{self._root} on {address} is not a folder.", "Correct the folder.")
        return f"{self._root} exists."

    def make_root(self) -> None:
        """Create the root folder; harmless if it exists."""
        assert self._client is not None
        with self._said(self._root):
            for end in [n for n, c in enumerate(self._root + "/") if c == "/" and n]:
                with suppress(OSError):
                    self._client.mkdir(self._root[:end])
            self._client.stat(self._root)

    def close(self) -> None:
        """Close it; harmless if it is closed already."""
        if self._client is not None:
            with suppress(Exception):
                self._client.close()
        self._client = None
        self._link.close()

    # Files -------------------------------------------------------------------

    @property
    def _sftp(self) -> SftpClient:
        self.connect()
        assert self._client is not None
        return self._client

    def _path(self, path: str) -> str:
        return posixpath.join(self._root, path)

    @contextmanager
    def _said(self, path: str, writing: bool = False) -> Iterator[None]:
        try:
            yield
        except FasciculusError:
            raise
        except FileNotFoundError as error:
            raise MissingError(f"{path} is not on store “{self.spec.name}”.") from error
        except PermissionError as error:
            raise UnreachableError(
                f"Store “{self.spec.name}” does not permit {path}.",
                f"Give user “{self._link.spec.user}” the right to write there.",
            ) from error
        except (OSError, EOFError, paramiko.SSHException) as error:
            active = self._link.active
            if active and writing:
                free = None
                with suppress(FasciculusError, OSError, EOFError, paramiko.SSHException):
                    free = self.free()
                if free is not None and free < 1024 * 1024:
                    raise StoreFullError(
                        f"Store “{self.spec.name}” is full: {path} did not fit.",
                        "Free space there, or keep fewer copies.",
                    ) from error
            if not active or isinstance(error, EOFError | socket.timeout | paramiko.SSHException):
                self.close()
                raise ConnectionLostError(
                    f"The connection to store “{self.spec.name}” was lost.",
                    "Check the line. Runs try again by themselves.",
                ) from error
            raise UnreachableError(
                f"Store “{self.spec.name}” refused {path}: {error}.",
                "Check its rights and its free space.",
            ) from error

    def items(self, folder: str) -> list[StoreItem]:
        """Return the contents of a folder, by name."""
        try:
            with self._said(folder):
                rows = self._sftp.listed(self._path(folder).encode())
        except MissingError:
            return []
        return listed_items(
            self.spec.name,
            (
                (os.fsdecode(name), row.st_size or 0, stat.S_ISDIR(row.st_mode or 0))
                for name, row in rows
            ),
        )

    def open(self, path: str, offset: int = 0, length: int | None = None) -> BinaryIO:
        """Return a stream of a file's bytes."""
        with self._said(path):
            sftp = self._sftp
            most = _SMALL if length is None else min(length, _SMALL)
            handle, size, first = sftp.read_first(self._path(path), offset, most)
            end = size if length is None else min(size, offset + length)
            if offset + len(first) >= end:
                sftp.let_go(handle)
                return io.BytesIO(first[: max(0, end - offset)])
            file = _quiet(paramiko.SFTPFile(sftp, handle, "rb"))
            begun = _Windowed(file, first, offset, end, self, path)
            return io.BufferedReader(begun, _READ_WINDOW)

    def put(self, local: Path, path: str, on_bytes: Callable[[int], None]) -> None:
        """Store a local file, completely or not at all."""
        with local.open("rb") as source:
            self._write(source, path, on_bytes)

    def put_bytes(self, data: bytes, path: str) -> None:
        """Store a few bytes as a file."""
        self._arrived.pop(path, None)
        self._write(io.BytesIO(data), path, lambda count: None)

    def arrived(self, path: str) -> int:
        """Return the bytes of an interrupted upload that need not be sent again."""
        return self._arrived.get(path, 0)

    def clear_partial(self, folder: str) -> None:
        """Nothing is left that :meth:`items` does not show."""

    def _write(self, source: BinaryIO, path: str, on_bytes: Callable[[int], None]) -> None:
        partial = self._path(path) + ".part"
        with self._said(path, writing=True):
            sftp = self._sftp
            self._folders.above(path)
            try:
                if self._send(source, path, on_bytes) != source.tell():
                    raise OSError("not all bytes arrived")
                self._replace(path + ".part", path)
            except OSError:
                if self._link.active:
                    with suppress(OSError, EOFError, paramiko.SSHException):
                        sftp.remove(partial)
                    self._arrived.pop(path, None)
                raise
            self._arrived.pop(path, None)

    def _send(self, source: BinaryIO, path: str, on_bytes: Callable[[int], None]) -> int | None:
        """Send all that has not arrived yet; return the size of the file on the server."""
        if not self._arrived.get(path):
            small = source.read(LEAST_WRITE + 1)
            if len(small) <= LEAST_WRITE:
                held = self._sftp.write_whole(self._path(path) + ".part", small)
                on_bytes(len(small))
                return held
        self._send_chunks(source, path, on_bytes)
        return self._sftp.stat(self._path(path) + ".part").st_size

    def _send_chunks(self, source: BinaryIO, path: str, on_bytes: Callable[[int], None]) -> None:
        """Send a large file; what the server has acknowledged is noted."""
        begin = self._arrived.get(path, 0)
        source.seek(begin)
        sftp = self._sftp
        with sftp.writing(self._path(path) + ".part", begin) as sink:
            sent = stretch = begin
            while chunk := source.read(sftp.longest_write):
                sink.write(chunk)
                sent += len(chunk)
                # Two halves, so that the line is not idle until the last of it has been answered.
                if sent - stretch >= chunk_size(stretch - begin) // 2:
                    stretch = sent
                    ahead = int(sent - begin > 4 * LEAST)
                    self._arrived[path] = sink.end_stretch(ahead)
                on_bytes(len(chunk))

    def rename(self, path: str, to: str) -> None:
        """Rename a file in its folder, replacing any file of that name."""
        with self._said(path):
            self._replace(path, to)

    def _replace(self, path: str, to: str) -> None:
        sftp, target = self._sftp, self._path(to)
        try:
            sftp.posix_rename(self._path(path), target)
        except OSError:
            self._replaces = False
            with suppress(OSError):
                sftp.remove(target)
            sftp.rename(self._path(path), target)

    def modified(self, path: str) -> datetime | None:
        """Return the modification time by the store's clock, None if unknown."""
        with self._said(path):
            seconds = self._sftp.stat(self._path(path)).st_mtime
        return None if seconds is None else datetime.fromtimestamp(seconds, UTC)

    def _make_folder(self, folder: str) -> None:
        try:
            self._sftp.mkdir(self._path(folder))
        except OSError:
            self._sftp.stat(self._path(folder))

    def remove(self, path: str) -> None:
        """Remove a file; harmless if it does not exist."""
        with suppress(MissingError), self._said(path):
            self._sftp.remove(self._path(path))

    def remove_folder(self, folder: str) -> None:
        """Remove an empty folder; harmless if it does not exist."""
        self._folders.forget(folder)
        with suppress(MissingError), self._said(folder):
            self._sftp.rmdir(self._path(folder))

    def size(self, path: str) -> int | None:
        """Return the size of a file in bytes, None if it does not exist."""
        try:
            with self._said(path):
                return self._sftp.stat(self._path(path)).st_size
        except MissingError:
            return None

    def sizes(self, paths: Sequence[str]) -> list[int | None]:
        """Return the sizes of files in bytes, None for those that do not exist."""
        with self._said(paths[0] if paths else ""):
            return self._sftp.sizes([self._path(path) for path in paths])

    def sha256(self, path: str) -> str | None:
        """Return the SHA-256 that the store computes, None if it cannot.

        A small file is read: that takes less than a command there.
        """
        try:
            with self._said(path):
                handle, size, first = self._sftp.read_first(self._path(path), 0, _SMALL)
                self._sftp.let_go(handle)
        except MissingError:
            return None
        if len(first) == size:
            return hashlib.sha256(first).hexdigest()
        if not self._can_digest:
            return None
        self.connect()
        self._can_digest = False
        with suppress(paramiko.SSHException, OSError, EOFError):
            channel = self._link.transport.open_session(timeout=TIMEOUT)
            channel.settimeout(_EXEC_TIMEOUT)
            try:
                channel.exec_command(f"sha256sum -b -- {shlex.quote(self._path(path))}")
                channel.shutdown_write()
                answer = channel.makefile("rb").read(200).decode("ascii", "replace")
            finally:
                channel.close()
            digest = answer.lstrip("\\")[:64]
            if len(digest) == 64 and set(digest) <= set("0123456789abcdef"):
                self._can_digest = True
                return digest
        return None

    def replaces_at_once(self) -> bool:
        """Return whether replacing a file is atomic."""
        # posix-rename@openssh.com (OpenSSH PROTOCOL, section 4.3); not every server has it.
        probe = ".fasciculus-replacing"
        self._replaces = True
        for data in (b"one", b"two"):
            self.put_bytes(data, probe)
        self.remove(probe)
        return self._replaces

    def free(self) -> int | None:
        """Return the free bytes, None if unknown."""
        if self._client is None:
            return None
        with suppress(OSError, EOFError):
            return self._client.free_bytes(self._root)
        return None


def _quiet(file: paramiko.SFTPFile) -> paramiko.SFTPFile:
    """Let nothing be said by the thread that asks for windows: who reads hears of a lost line."""
    asking = cast(Any, file)._prefetch_thread

    def quietly(*values: Any) -> None:
        with suppress(EOFError, OSError, paramiko.SSHException):
            asking(*values)

    cast(Any, file)._prefetch_thread = quietly
    return file


class _Windowed(io.RawIOBase):
    """Reads a stretch of a remote file in windows of requests that are under way together;
    ``first`` are the bytes of it that are known already.
    """

    def __init__(
        self,
        file: paramiko.SFTPFile,
        first: bytes,
        start: int,
        end: int,
        store: SftpStore,
        path: str,
    ) -> None:
        self._file, self._first, self._at, self._end = file, first, start, end
        self._store, self._path = store, path

    def readable(self) -> bool:
        return True

    def readinto(self, buffer: Any) -> int:
        count = min(len(buffer), self._end - self._at, _READ_WINDOW)
        if count <= 0:
            return 0
        if self._first:
            data, self._first = self._first[:count], self._first[count:]
        else:
            with self._store._said(self._path):
                data = next(iter(self._file.readv([(self._at, count)])))
        buffer[: len(data)] = data
        self._at += len(data)
        return len(data)

    def close(self) -> None:
        if not self.closed:
            with suppress(OSError, EOFError, paramiko.SSHException):
                self._file.close()
        super().close()


KIND = StoreKind("sftp", "Another machine, over SFTP", SftpSettings, SshSecrets, SftpStore)
