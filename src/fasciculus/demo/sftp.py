"""A small SFTP server on loopback: a stand-in for a storage box, with an optional quota."""

from __future__ import annotations

import contextlib
import hmac
import os
import socket
import threading
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import paramiko
from paramiko.common import (
    AUTH_FAILED,
    AUTH_SUCCESSFUL,
    OPEN_FAILED_ADMINISTRATIVELY_PROHIBITED,
    OPEN_SUCCEEDED,
)
from paramiko.sftp import (
    CMD_EXTENDED,
    CMD_EXTENDED_REPLY,
    SFTP_FAILURE,
    SFTP_NO_SUCH_FILE,
    SFTP_OK,
    SFTP_PERMISSION_DENIED,
)

from ..ssh import fingerprint
from .misbehaviour import CutError, Misbehaviour, folder_bytes

_BLOCK = 4096


class _Door(paramiko.ServerInterface):
    def __init__(self, users: Mapping[str, str], keeper: str) -> None:
        self._users, self._keeper = users, keeper
        #: Whether this user may only add files.
        self.only_adds = bool(keeper)

    def check_auth_password(self, username: str, password: str) -> int:
        good = username in self._users and hmac.compare_digest(password, self._users[username])
        self.only_adds = bool(self._keeper) and username != self._keeper
        return AUTH_SUCCESSFUL if good else AUTH_FAILED

    def get_allowed_auths(self, username: str) -> str:
        return "password"

    def check_channel_request(self, kind: str, chanid: int) -> int:
        return OPEN_SUCCEEDED if kind == "session" else OPEN_FAILED_ADMINISTRATIVELY_PROHIBITED


class _Handle(paramiko.SFTPHandle):
    def __init__(self, files: _Files, file: Any, flags: int) -> None:
        super().__init__(flags)
        self._files = files
        self.readfile = self.writefile = file

    def write(self, offset: int, data: bytes) -> int:  # type: ignore[override]
        if not self._files.fits(len(data)) or not self._files.moved(len(data), True):
            return SFTP_FAILURE
        return super().write(offset, data)

    def read(self, offset: int, length: int) -> Any:
        data = super().read(offset, length)
        if isinstance(data, bytes) and not self._files.moved(len(data), False):
            return SFTP_FAILURE
        return data

    def stat(self) -> paramiko.SFTPAttributes:
        return paramiko.SFTPAttributes.from_stat(os.fstat(self.readfile.fileno()))


class _Files(paramiko.SFTPServerInterface):
    def __init__(self, server: paramiko.ServerInterface, stand_in: SftpStandIn) -> None:
        super().__init__(server)
        self._stand_in = stand_in
        self._only_adds = isinstance(server, _Door) and server.only_adds

    def fits(self, count: int) -> bool:
        return self._stand_in.take(count)

    def moved(self, count: int, incoming: bool) -> bool:
        try:
            self._stand_in.misbehaviour.moved(count, incoming)
        except CutError:
            self._stand_in.cut()
            return False
        return True

    def _real(self, path: str) -> str:
        # canonicalize() has taken out all “..”, so that nothing is outside.
        return str(self._stand_in.root) + self.canonicalize(path)

    def list_folder(self, path: str) -> Any:
        try:
            real = self._real(path)
            rows = []
            for name in os.listdir(real):
                row = paramiko.SFTPAttributes.from_stat(os.lstat(os.path.join(real, name)))
                row.filename = name
                rows.append(row)
            return rows
        except OSError as error:
            return paramiko.SFTPServer.convert_errno(error.errno or 0)

    def _status(self, path: str, follow: bool) -> Any:
        try:
            return paramiko.SFTPAttributes.from_stat(
                os.stat(self._real(path), follow_symlinks=follow)
            )
        except OSError as error:
            return paramiko.SFTPServer.convert_errno(error.errno or 0)

    def stat(self, path: str) -> Any:
        return self._status(path, True)

    def lstat(self, path: str) -> Any:
        return self._status(path, False)

    def open(self, path: str, flags: int, attr: Any) -> Any:
        self._stand_in.misbehaviour.look()
        if self._stand_in.misbehaviour.refuse and flags & (os.O_WRONLY | os.O_RDWR):
            return SFTP_PERMISSION_DENIED
        try:
            descriptor = os.open(self._real(path), flags | os.O_CLOEXEC, 0o600)
            mode = (
                "rb"
                if not flags & (os.O_WRONLY | os.O_RDWR)
                else "r+b"
                if flags & os.O_RDWR
                else "wb"
            )
            return _Handle(self, os.fdopen(descriptor, mode), flags)
        except OSError as error:
            return paramiko.SFTPServer.convert_errno(error.errno or 0)

    def _done(self, action: Any, *paths: str) -> int:
        try:
            action(*[self._real(path) for path in paths])
            return SFTP_OK
        except FileNotFoundError:
            return SFTP_NO_SUCH_FILE
        except OSError as error:
            return paramiko.SFTPServer.convert_errno(error.errno or 0)

    def remove(self, path: str) -> int:
        if self._only_adds:
            return SFTP_PERMISSION_DENIED
        return self._done(os.unlink, path)

    def rename(self, oldpath: str, newpath: str) -> int:
        if os.path.lexists(self._real(newpath)):
            return SFTP_FAILURE
        return self._done(os.rename, oldpath, newpath)

    def posix_rename(self, oldpath: str, newpath: str) -> int:
        if self._only_adds and os.path.lexists(self._real(newpath)):
            return SFTP_PERMISSION_DENIED
        done = self._done(os.replace, oldpath, newpath)
        if done == SFTP_OK:
            self._stand_in.misbehaviour.stored(Path(self._real(newpath)))
        return done

    def mkdir(self, path: str, attr: Any) -> int:
        return self._done(os.mkdir, path)

    def rmdir(self, path: str) -> int:
        if self._only_adds:
            return SFTP_PERMISSION_DENIED
        return self._done(os.rmdir, path)


class _Server(paramiko.SFTPServer):
    """With ``statvfs@openssh.com``, so that a client learns of the free space."""

    stand_in: SftpStandIn

    def __init__(self, channel: Any, name: str, server: Any, stand_in: SftpStandIn) -> None:
        super().__init__(channel, name, server, _Files, stand_in)
        self.stand_in = stand_in

    def _process(self, t: int, request_number: int, msg: paramiko.Message) -> Any:
        if t == CMD_EXTENDED:
            kind = msg.get_text()
            if kind == "statvfs@openssh.com":
                free = self.stand_in.free() // _BLOCK
                return self._response(  # type: ignore[attr-defined]
                    request_number,
                    CMD_EXTENDED_REPLY,
                    *[
                        paramiko.sftp.int64(v)
                        for v in (_BLOCK, _BLOCK, free, free, free, 0, 0, 0, 0, 0, 255)
                    ],
                )
            msg.rewind()
            msg.get_int()
        return super()._process(t, request_number, msg)  # type: ignore[misc]


class SftpStandIn:
    """Serves a folder over SFTP. ``quota`` bounds the bytes below it.

    With ``keeper``, a user and a password, the other user may only add files: it can neither
    remove them nor give a file the name of another.
    """

    def __init__(
        self,
        root: Path,
        key_file: Path,
        user: str,
        password: str,
        port: int = 0,
        quota: int | None = None,
        keeper: tuple[str, str] | None = None,
        address: str = "127.0.0.1",
    ) -> None:
        self._keeper = keeper
        self.root, self.user, self.password, self.quota = root, user, password, quota
        self.misbehaviour = Misbehaviour()
        root.mkdir(parents=True, exist_ok=True)
        if not key_file.exists():
            key_file.parent.mkdir(parents=True, exist_ok=True)
            paramiko.ECDSAKey.generate().write_private_key_file(str(key_file))
        self._key = paramiko.ECDSAKey.from_private_key_file(str(key_file))
        self.host_key = fingerprint(self._key)
        self._socket = socket.create_server((address, port))
        self.port: int = self._socket.getsockname()[1]
        self._links: set[paramiko.Transport] = set()
        self._lock = threading.Lock()
        self._left = 0
        self._closing = False
        threading.Thread(target=self._accept, daemon=True, name="sftp-stand-in").start()

    def free(self) -> int:
        """Free bytes: of the quota, or of the disk."""
        if self.misbehaviour.full:
            return 0
        if self.quota is None:
            found = os.statvfs(self.root)
            return found.f_bavail * found.f_frsize
        return max(0, self.quota - folder_bytes(self.root))

    def take(self, count: int) -> bool:
        """Return whether so many further bytes fit."""
        if self.misbehaviour.full:
            return False
        if self.quota is None:
            return True
        with self._lock:
            # Counting the folder again for each packet would be slow: a grant is used up first.
            if self._left < count:
                self._left = min(self.free(), 1024 * 1024)
            if self._left < count:
                return False
            self._left -= count
            return True

    def _accept(self) -> None:
        while not self._closing:
            try:
                link, _ = self._socket.accept()
            except OSError:
                return
            threading.Thread(target=self._serve, args=(link,), daemon=True).start()

    def _serve(self, link: socket.socket) -> None:
        transport = paramiko.Transport(link)
        self._links.add(transport)
        try:
            transport.add_server_key(self._key)
            transport.set_subsystem_handler("sftp", _Server, self)
            users = {self.user: self.password, **dict([self._keeper] if self._keeper else [])}
            door = _Door(users, self._keeper[0] if self._keeper else "")
            transport.start_server(server=door)
            while transport.is_active() and not self._closing:
                transport.join(1)
        except (paramiko.SSHException, EOFError, OSError):
            pass
        finally:
            self._links.discard(transport)
            transport.close()

    def cut(self) -> None:
        """Break all connections off, as a network does."""
        for transport in list(self._links):
            transport.close()

    def close(self) -> None:
        """Close it; harmless if it is closed already."""
        self._closing = True
        with contextlib.suppress(OSError):
            self._socket.shutdown(socket.SHUT_RDWR)
        self._socket.close()
        self.cut()
