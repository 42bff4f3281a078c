"""An SSH connection whose host key is pinned; hosts and SFTP stores are reached over it."""

from __future__ import annotations

import base64
import hashlib
import io
import logging
import socket
import threading
from collections.abc import Iterator, Mapping
from contextlib import contextmanager, suppress
from dataclasses import dataclass, field
from typing import Any

import paramiko
from paramiko.common import cMSG_CHANNEL_OPEN
from paramiko.message import Message
from pydantic import Field

from .core.errors import ConnectionLostError, SettingError, UnreachableError
from .core.steps import Step
from .kinds import Secrets
from .network import reach, resolved
from .sftp_client import SftpClient

# What matters of its troubles is raised; its log would repeat it, with a trace.
logging.getLogger("paramiko").setLevel(logging.CRITICAL)

TIMEOUT = 20.0
WINDOW = 64 * 1024 * 1024


@dataclass(frozen=True, slots=True)
class SshSpec:
    """How to reach an SSH server. ``host_key`` is the accepted fingerprint, ``SHA256:…``.

    ``secrets`` hold ``password``, or ``private_key`` with ``passphrase``; ``settings`` names the
    place where a person corrects them.
    """

    address: str
    port: int
    user: str
    host_key: str
    secrets: Mapping[str, str] = field(default_factory=dict, repr=False)
    settings: str = "the settings"

    @property
    def where(self) -> str:
        """Return host and port, for messages."""
        return f"{self.address}, port {self.port}"


class SshSecrets(Secrets):
    """The credentials: a password, or a private key."""

    password: str | None = Field(default=None, repr=False, title="Password")
    private_key: str | None = Field(
        default=None,
        repr=False,
        title="Private key",
        description="Instead of a password, in OpenSSH’s form.",
        json_schema_extra={"multiline": True},
    )
    passphrase: str | None = Field(default=None, repr=False, title="Passphrase of the private key")


def fingerprint(key: paramiko.PKey) -> str:
    """Return a host key's fingerprint as OpenSSH shows it: ``SHA256:…``."""
    digest = base64.b64encode(hashlib.sha256(key.asbytes()).digest()).decode().rstrip("=")
    return f"SHA256:{digest}"


def load_key(text: str, passphrase: str | None) -> paramiko.PKey:
    """Return a private key in OpenSSH or PEM form."""
    for kind in (paramiko.Ed25519Key, paramiko.ECDSAKey, paramiko.RSAKey):
        try:
            return kind.from_private_key(io.StringIO(text), password=passphrase or None)
        except paramiko.PasswordRequiredException as error:
            raise SettingError(
                "The private key is locked.", "Give its passphrase.", field="passphrase"
            ) from error
        except (paramiko.SSHException, ValueError, IndexError):
            continue
    raise SettingError(
        "The private key cannot be read.",
        "Give an Ed25519, ECDSA or RSA key in OpenSSH form, and the right passphrase.",
        field="private_key",
    )


class _Transport(paramiko.Transport):
    """A transport that can also open a channel to a socket's path (OpenSSH PROTOCOL, section
    2.4).
    """

    _socket_path: str | None = None
    _opening = threading.Lock()

    def open_socket_path(self, path: str, timeout: float) -> paramiko.Channel:
        with self._opening:
            self._socket_path = path
            try:
                return self.open_channel("direct-streamlocal@openssh.com", timeout=timeout)
            finally:
                self._socket_path = None

    def _send_user_message(self, data: Any) -> None:
        if self._socket_path is not None and data.asbytes()[:1] == cMSG_CHANNEL_OPEN:
            assert isinstance(data, Message)
            data.add_string(self._socket_path)
            data.add_string("")
            data.add_int(0)
        super()._send_user_message(data)  # type: ignore[misc]


class SshConnection:
    """One connection. ``seen_key`` is the fingerprint that the server showed."""

    def __init__(self, spec: SshSpec) -> None:
        self.spec = spec
        self.seen_key = ""
        self._transport: _Transport | None = None
        self._link: socket.socket | None = None

    @property
    def active(self) -> bool:
        """Return whether it is connected."""
        return self._transport is not None and self._transport.is_active()

    @property
    def transport(self) -> _Transport:
        """Return the transport; :class:`ConnectionLostError` when there is no connection."""
        if self._transport is None or not self._transport.is_active():
            raise ConnectionLostError(
                f"The SSH connection to {self.spec.where} was lost.", "It is tried again."
            )
        return self._transport

    def connecting(self) -> Iterator[Step]:
        """Connect, saying each step that went well; what fails is raised."""
        self.resolve()
        yield Step("connect", True, self.reach())
        yield Step("host key", True, self.identify())
        yield Step("sign in", True, self.sign_in())

    def resolve(self) -> str:
        """Find the server's address; like the next three, says what it found."""
        self.close()
        return resolved(self.spec.address)

    def reach(self) -> str:
        """Open a connection to the server."""
        self._link = reach(self.spec.address, self.spec.port, TIMEOUT)
        return f"{self.spec.where} answers."

    def identify(self) -> str:
        """See that it is the server whose host key was accepted."""
        with self._broken_off():
            assert self._link is not None
            transport = self._transport = _Transport(self._link, default_window_size=WINDOW)
            # One that seals and signs in one pass: twice as fast here as a cipher and a digest side
            # by side.
            options = transport.get_security_options()
            options.ciphers = sorted(options.ciphers, key=lambda name: "gcm" not in name)
            transport.banner_timeout = transport.auth_timeout = TIMEOUT
            transport.start_client(timeout=TIMEOUT)
            transport.set_keepalive(30)
            self.seen_key = fingerprint(transport.get_remote_server_key())
            self._check_key()
            return f"Its host key is {self.seen_key}."

    def sign_in(self) -> str:
        """Sign in with the password or the key."""
        with self._broken_off():
            assert self._transport is not None
            self._sign_in(self._transport)
            return f"Signed in as {self.spec.user}."

    @contextmanager
    def _broken_off(self) -> Iterator[None]:
        try:
            yield
        except (paramiko.SSHException, OSError, EOFError) as error:
            self.close()
            raise broke_off(self.spec.where, error) from error

    def sftp(self, timeout: float) -> SftpClient:
        """Return an SFTP session over the connection; its requests time out after ``timeout``
        seconds.
        """
        try:
            client = SftpClient.from_transport(self.transport, window_size=WINDOW)
            assert isinstance(client, SftpClient)
            client.get_channel().settimeout(timeout)  # type: ignore[union-attr]
            return client
        except (paramiko.SSHException, OSError, EOFError) as error:
            raise ConnectionLostError(
                f"{self.spec.where} offers no SFTP session: {error or 'no answer'}.",
                "Is its SFTP subsystem switched on?",
            ) from error

    def _check_key(self) -> None:
        if not self.spec.host_key:
            raise SettingError(
                f"The server's host key is {self.seen_key}, and none is accepted yet.",
                "Compare it with what the server's administrator tells you, then give it as the "
                "host key.",
                field="host_key",
            )
        if self.spec.host_key != self.seen_key:
            raise UnreachableError(
                f"The server's host key is {self.seen_key}, but {self.spec.host_key} was accepted.",
                "Ask its administrator whether the key was changed on purpose; if not, the "
                "connection may be intercepted.",
                field="host_key",
            )

    def _sign_in(self, transport: paramiko.Transport) -> None:
        secrets, user = self.spec.secrets, self.spec.user
        what = "key" if secrets.get("private_key") else "password"
        try:
            if what == "key":
                transport.auth_publickey(
                    user, load_key(secrets["private_key"], secrets.get("passphrase"))
                )
            else:
                transport.auth_password(user, secrets.get("password", ""))
        except paramiko.AuthenticationException as error:
            raise UnreachableError(
                f"{self.spec.address} does not accept the {what} of user “{user}”.",
                f"Give the right user and {what} in {self.spec.settings}.",
                field=what,
            ) from error

    def close(self) -> None:
        """Close it; harmless if it is closed already."""
        if self._transport is not None:
            with suppress(Exception):
                self._transport.close()
        elif self._link is not None:
            self._link.close()
        self._transport = self._link = None


def broke_off(where: str, error: Exception) -> ConnectionLostError:
    """Return what to say when an SSH connection ends before its time."""
    return ConnectionLostError(
        f"The SSH connection to {where} was interrupted: {error or 'no answer'}.",
        "Is this an SSH server with SFTP?",
    )
