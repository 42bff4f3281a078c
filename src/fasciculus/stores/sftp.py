"""A folder on another machine, over SFTP (SSH file transfer, version 3)."""

from __future__ import annotations

import base64
import hashlib
import io
import posixpath
import shlex
import socket
import stat
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any, BinaryIO, cast

import paramiko
from paramiko.message import Message
from paramiko.sftp import CMD_EXTENDED, CMD_EXTENDED_REPLY

from ..core.errors import BadSetting, Lost, NotThere, StoreFull, Trouble, Unreachable
from ..core.wording import size_words
from .base import Item, Step, StoreSpec

_CHUNK = 32 * 1024
_READ_WINDOW = 4 * 1024 * 1024
_SSH_WINDOW = 64 * 1024 * 1024
_TIMEOUT = 20.0
_EXEC_TIMEOUT = 600.0


def fingerprint(key: paramiko.PKey) -> str:
    """A host key's fingerprint as OpenSSH shows it: ``SHA256:…``."""
    digest = base64.b64encode(hashlib.sha256(key.asbytes()).digest()).decode().rstrip("=")
    return f"SHA256:{digest}"


def load_key(text: str, passphrase: str | None) -> paramiko.PKey:
    """A private key in OpenSSH or PEM form."""
    for kind in (paramiko.Ed25519Key, paramiko.ECDSAKey, paramiko.RSAKey):
        try:
            return kind.from_private_key(io.StringIO(text), password=passphrase or None)
        except paramiko.PasswordRequiredException as error:
            raise BadSetting("The private key is locked.", "Give its passphrase.",
                             field="passphrase") from error
        except (paramiko.SSHException, ValueError, IndexError):
            continue
    raise BadSetting("The private key cannot be read.",
                     "Give an Ed25519, ECDSA or RSA key in OpenSSH form, and the right passphrase.",
                     field="private_key")


class SftpStore:
    """Settings: ``address``, ``port``, ``user``, ``folder``, ``host_key`` (fingerprint).

    Secrets: ``password``, or ``private_key`` with ``passphrase``.
    """

    def __init__(self, spec: StoreSpec) -> None:
        self.spec = spec
        settings: dict[str, Any] = spec.settings
        for key in ("address", "user", "folder"):
            if not settings.get(key):
                raise BadSetting(f"An SFTP store needs its {key}.", field=key)
        self._address = str(settings["address"])
        self._port = int(settings.get("port") or 22)
        self._user = str(settings["user"])
        self._root = str(settings["folder"]).rstrip("/") or "/"
        self._pinned = str(settings.get("host_key") or "")
        self.seen_key = ""
        self._transport: paramiko.Transport | None = None
        self._client: paramiko.SFTPClient | None = None
        self._made: set[str] = set()
        self._can_digest = True

    # Connecting --------------------------------------------------------------

    def connect(self) -> None:
        for _ in self._connecting():
            pass

    def _connecting(self) -> Iterator[Step]:
        if self._client is not None and self._transport and self._transport.is_active():
            return
        self.close()
        where = f"{self._address}, port {self._port}"
        try:
            link = socket.create_connection((self._address, self._port), timeout=_TIMEOUT)
        except socket.gaierror as error:
            raise Lost(f"The name {self._address} does not resolve.",
                       "Correct the address.") from error
        except OSError as error:
            raise Lost(f"Nothing answers at {where} ({error.strerror or error}).",
                       "Is the server running, the port right, the firewall open?") from error
        yield Step("connect", True, f"{where} answers.")
        try:
            transport = paramiko.Transport(link, default_window_size=_SSH_WINDOW)
            transport.banner_timeout = transport.auth_timeout = _TIMEOUT
            self._transport = transport
            transport.start_client(timeout=_TIMEOUT)
            self.seen_key = fingerprint(transport.get_remote_server_key())
            self._check_key()
            yield Step("host key", True, f"Its host key is {self.seen_key}.")
            self._sign_in(transport)
            yield Step("sign in", True, f"Signed in as {self._user}.")
            self._client = paramiko.SFTPClient.from_transport(transport, window_size=_SSH_WINDOW)
            assert self._client is not None
            self._client.get_channel().settimeout(_TIMEOUT * 3)  # type: ignore[union-attr]
            try:
                found = self._client.stat(self._root)
            except FileNotFoundError as error:
                raise NotThere(
                    f"The folder {self._root} does not exist on {self._address}.",
                    "Create it there, or correct the folder.") from error
            if not stat.S_ISDIR(found.st_mode or 0):
                raise NotThere(f"{self._root} on {self._address} is not a folder.",
                               "Correct the folder.")
        except Trouble:
            self.close()
            raise
        except (paramiko.SSHException, OSError, EOFError) as error:
            self.close()
            raise Lost(f"The SSH connection to {where} broke off: {error or 'no answer'}.",
                              "Is this an SSH server with SFTP?") from error
        free = self.free()
        yield Step("folder", True, f"{self._root} exists"
                   + (f"; {size_words(free)} are free." if free is not None else "."))

    def _check_key(self) -> None:
        if not self._pinned:
            raise BadSetting(
                f"The server's host key is {self.seen_key}, and none is accepted yet.",
                "Compare it with what the server's administrator tells you, then give it as the "
                "host key.", field="host_key")
        if self._pinned != self.seen_key:
            raise Unreachable(
                f"The server's host key is {self.seen_key}, but {self._pinned} was accepted.",
                "Ask its administrator whether the key was changed on purpose; if not, somebody "
                "stands in between.", field="host_key")

    def _sign_in(self, transport: paramiko.Transport) -> None:
        secrets = self.spec.secrets
        try:
            if secrets.get("private_key"):
                key = load_key(secrets["private_key"], secrets.get("passphrase"))
                transport.auth_publickey(self._user, key)
            else:
                transport.auth_password(self._user, secrets.get("password", ""))
        except paramiko.AuthenticationException as error:
            what = "key" if secrets.get("private_key") else "password"
            raise Unreachable(
                f"{self._address} does not accept the {what} of user “{self._user}”.",
                f"Give the right user and {what} in the store's settings.", field=what) from error

    def close(self) -> None:
        for end in (self._client, self._transport):
            if end is not None:
                with suppress(Exception):
                    end.close()
        self._client = self._transport = None

    def steps(self) -> list[Step]:
        self.close()
        steps: list[Step] = []
        try:
            for step in self._connecting():
                steps.append(step)  # noqa: PERF402  the steps before a failure are kept
        except Trouble as error:
            names = ("connect", "host key", "sign in", "folder")
            steps.append(Step(names[min(len(steps), 3)], False, error.message, error.way_out))
        return steps

    # Files -------------------------------------------------------------------

    @property
    def _sftp(self) -> paramiko.SFTPClient:
        self.connect()
        assert self._client is not None
        return self._client

    def _path(self, path: str) -> str:
        return posixpath.join(self._root, path)

    @contextmanager
    def _said(self, path: str, writing: bool = False) -> Iterator[None]:
        try:
            yield
        except Trouble:
            raise
        except FileNotFoundError as error:
            raise NotThere(f"{path} is not on store “{self.spec.name}”.") from error
        except PermissionError as error:
            raise Unreachable(f"Store “{self.spec.name}” does not permit {path}.",
                              f"Give user “{self._user}” the right to write there.") from error
        except (OSError, EOFError, paramiko.SSHException) as error:
            active = self._transport is not None and self._transport.is_active()
            if active and writing:
                free = None
                with suppress(Trouble, OSError, EOFError, paramiko.SSHException):
                    free = self.free()
                if free is not None and free < 1024 * 1024:
                    raise StoreFull(f"Store “{self.spec.name}” is full: {path} did not fit.",
                                    "Free space there, or keep fewer copies.") from error
            if not active or isinstance(error, EOFError | socket.timeout | paramiko.SSHException):
                self.close()
                raise Lost(f"The connection to store “{self.spec.name}” was lost.",
                                  "It is tried again at the next start.") from error
            raise Unreachable(f"Store “{self.spec.name}” refused {path}: {error}.",
                              "Check its rights and its free space.") from error

    def items(self, folder: str) -> list[Item]:
        try:
            with self._said(folder):
                rows = [
                    Item(row.filename, row.st_size or 0, stat.S_ISDIR(row.st_mode or 0))
                    for row in self._sftp.listdir_attr(self._path(folder))
                ]
        except NotThere:
            return []
        items = [i if not i.folder else Item(i.name, 0, True) for i in rows]
        return sorted(items, key=lambda item: item.name)

    def open(self, path: str, offset: int = 0, length: int | None = None) -> BinaryIO:
        with self._said(path):
            file = self._sftp.open(self._path(path), "rb")
            size = file.stat().st_size or 0
            end = size if length is None else min(size, offset + length)
            return io.BufferedReader(_Windowed(file, offset, end, self, path), _READ_WINDOW)

    def put(self, local: Path, path: str, on_bytes: Callable[[int], None]) -> None:
        with local.open("rb") as source:
            self._write(source, path, on_bytes)

    def put_bytes(self, data: bytes, path: str) -> None:
        self._write(io.BytesIO(data), path, lambda count: None)

    def _write(self, source: BinaryIO, path: str, on_bytes: Callable[[int], None]) -> None:
        target = self._path(path)
        partial = target + ".part"
        with self._said(path, writing=True):
            sftp = self._sftp
            self._make_folders(posixpath.dirname(path))
            try:
                with sftp.open(partial, "wb") as sink:
                    sink.set_pipelined(True)
                    sent = 0
                    while chunk := source.read(_CHUNK):
                        sink.write(chunk)
                        sent += len(chunk)
                        on_bytes(len(chunk))
                # With requests in a pipeline an error may show only in the size.
                if sftp.stat(partial).st_size != sent:
                    raise OSError("not all bytes arrived")
                try:
                    sftp.posix_rename(partial, target)
                except OSError:
                    with suppress(OSError):
                        sftp.remove(target)
                    sftp.rename(partial, target)
            except OSError:
                with suppress(OSError, EOFError, paramiko.SSHException):
                    sftp.remove(partial)
                raise

    def _make_folders(self, folder: str) -> None:
        if not folder or folder in self._made:
            return
        self._make_folders(posixpath.dirname(folder))
        try:
            self._sftp.mkdir(self._path(folder))
        except OSError:
            self._sftp.stat(self._path(folder))
        self._made.add(folder)

    def remove(self, path: str) -> None:
        with suppress(NotThere), self._said(path):
            self._sftp.remove(self._path(path))

    def remove_folder(self, folder: str) -> None:
        self._made = {made for made in self._made if not (made + "/").startswith(folder + "/")}
        with suppress(NotThere), self._said(folder):
            self._sftp.rmdir(self._path(folder))

    def size(self, path: str) -> int | None:
        try:
            with self._said(path):
                return self._sftp.stat(self._path(path)).st_size
        except NotThere:
            return None

    def sha256(self, path: str) -> str | None:
        if not self._can_digest:
            return None
        self.connect()
        assert self._transport is not None
        self._can_digest = False
        with suppress(paramiko.SSHException, OSError, EOFError):
            channel = self._transport.open_session(timeout=_TIMEOUT)
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

    def free(self) -> int | None:
        if self._client is None:
            return None
        # statvfs@openssh.com (OpenSSH PROTOCOL, section 4.4); not every server has it.
        with suppress(OSError, EOFError, AttributeError):
            kind, answer = cast(Any, self._client)._request(CMD_EXTENDED, "statvfs@openssh.com", self._root)
            if kind == CMD_EXTENDED_REPLY and isinstance(answer, Message):
                answer.get_int64()
                unit = answer.get_int64()
                answer.get_int64(), answer.get_int64()
                return int(unit * answer.get_int64())
        return None


class _Windowed(io.RawIOBase):
    """Reads a stretch of a remote file in windows of requests that are under way together."""

    def __init__(self, file: paramiko.SFTPFile, start: int, end: int, store: SftpStore, path: str) -> None:
        self._file, self._at, self._end, self._store, self._path = file, start, end, store, path

    def readable(self) -> bool:
        return True

    def readinto(self, buffer: Any) -> int:
        count = min(len(buffer), self._end - self._at, _READ_WINDOW)
        if count <= 0:
            return 0
        with self._store._said(self._path):
            data = next(iter(self._file.readv([(self._at, count)])))
        buffer[:len(data)] = data
        self._at += len(data)
        return len(data)

    def close(self) -> None:
        if not self.closed:
            with suppress(OSError, EOFError, paramiko.SSHException):
                self._file.close()
        super().close()
