"""One SSH connection to a host, and the commands over it."""

from __future__ import annotations

import shlex
import time
from collections.abc import Iterator
from contextlib import closing, contextmanager, suppress
from pathlib import Path
from typing import Any

import paramiko

from ...core.errors import ConnectionLostError, FasciculusError, UnreachableError
from ...core.steps import Step
from ...sftp_client import SftpClient
from ...ssh import TIMEOUT, SshConnection, SshSpec
from ..base import CommandResult

_INTERPRETER = (
    "python3 -I -c 'import sys; print(\"new enough\" if sys.version_info >= (3, 7) else 0)' "
    "2>/dev/null"
)
_WAYS_OUT = (
    "Install Python 3.7 or later there, sign in as a user who may read no more than the account, "
    "or allow it (unsafe reading)."
)
_PROBE = (
    "find /dev/null -maxdepth 0 -printf '' 2>/dev/null && "
    "tar --version 2>/dev/null | head -n 1 | grep -q GNU && echo able"
)


class SshSession:
    """Signs in, runs commands, and finds out what the host can do."""

    is_local = False

    def __init__(self, spec: SshSpec, spool: Path, unsafe_reading: bool = False) -> None:
        self._link = SshConnection(spec)
        self._unsafe_reading = unsafe_reading
        self._settled = 0
        self._spool = spool
        self._client: SftpClient | None = None
        self._able: bool | None = None
        self._reads_safely: bool | None = None

    @property
    def seen_key(self) -> str:
        """Return the fingerprint of the host key that the server showed."""
        return self._link.seen_key

    def steps(self) -> Iterator[Step]:
        """Connect, saying how each step goes; what fails is raised."""
        yield from self._link.connecting()
        if self.has_tools and self.has_interpreter:
            yield Step("commands", True, "A shell, find and Python are there.")
        elif self.has_tools:
            yield Step(
                "commands",
                True,
                f"A shell, find and tar are there, and no Python 3.7. {self._risk}",
            )
        else:
            yield Step(
                "commands",
                True,
                "No shell with GNU find and tar: plain SFTP is used, with times in whole seconds, "
                f"and every seventh time contents are compared. {self._risk}",
            )

    @property
    def _risk(self) -> str:
        """Return what reading by paths means, and whether it is allowed."""
        means = (
            "A user who exchanges one of their folders for a link while it is read may have "
            "other files "
            "read"
        )
        if self._may_read:
            return f"{means}: install Python there, or sign in as a user who may read little."
        return f"{means}, and root may read all: files of accounts are not read. {_WAYS_OUT}"

    @property
    def _may_read(self) -> bool:
        """Return whether trees of people may be read: safely, without much to lose, or by the
        setting.
        """
        is_root = self._link.spec.user == "root"
        return self._unsafe_reading or not is_root or (self.has_tools and self.has_interpreter)

    def connect(self) -> None:
        """Connect; harmless if it is connected already."""
        if not self._link.active:
            self._client = None
            for _ in self._link.connecting():
                pass

    def close(self) -> None:
        """Close it; harmless if it is closed already."""
        if self._client is not None:
            with suppress(Exception):
                self._client.close()
        self._client = None
        self._link.close()

    def spool_in(self, folder: Path) -> None:
        """Use another folder for temporary files."""
        folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        self._spool = folder

    @property
    def has_tools(self) -> bool:
        """Return whether the host has a shell with GNU find and tar."""
        if self._able is None:
            try:
                self._able = b"able" in self.run(_PROBE, 30.0).output
            except (FasciculusError, OSError):
                self._able = False
        return self._able

    @property
    def has_interpreter(self) -> bool:
        """Return whether the host can read files by descriptors, with Python 3.7 or later."""
        if self._reads_safely is None:
            ran = self.run(_INTERPRETER, 30.0)
            self._reads_safely = b"new enough" in ran.output
        return self._reads_safely

    @property
    def _sftp(self) -> SftpClient:
        self.connect()
        if self._client is None:
            self._client = self._link.sftp(TIMEOUT * 6)
        return self._client

    @contextmanager
    def _said(self) -> Iterator[None]:
        try:
            yield
        except (EOFError, paramiko.SSHException, TimeoutError) as error:
            self.close()
            raise ConnectionLostError(
                f"The connection to {self._link.spec.where} was lost.", "Start again."
            ) from error

    def _session(self, command: str) -> paramiko.Channel:
        self.connect()
        with self._said():
            channel = self._link.transport.open_session(timeout=TIMEOUT)
            channel.settimeout(600.0)
            # Paths need not be UTF-8.
            channel.exec_command(command.encode("utf-8", "surrogateescape"))
            return channel

    def run(
        self, command: str, seconds: float, stdin: bytes = b"", limit: int = 1 << 20
    ) -> CommandResult:
        """Run a command with the host's shell; output beyond ``limit`` bytes is dropped."""
        deadline = time.monotonic() + seconds
        with (
            self._said(),
            closing(self._session(f"LC_ALL=C /bin/sh -c {shlex.quote(command)}")) as channel,
        ):
            channel.set_combine_stderr(True)
            channel.settimeout(1.0)
            if stdin:
                channel.sendall(stdin)
            channel.shutdown_write()
            output = bytearray()
            while True:
                try:
                    data = channel.recv(65536)
                except TimeoutError:
                    data = None
                if data == b"":
                    return CommandResult(channel.recv_exit_status(), bytes(output))
                if data and len(output) < limit:
                    output += data[: limit - len(output)]
                if time.monotonic() > deadline:
                    return CommandResult(None, bytes(output))

    def dial(self, socket: str, address: str, port: int) -> Any:
        """Over a channel of the SSH connection; no port is opened on the host."""
        self.connect()
        transport = self._link.transport
        try:
            if socket:
                return transport.open_socket_path(socket, TIMEOUT)
            return transport.open_channel(
                "direct-tcpip", (address, port), ("127.0.0.1", 0), timeout=TIMEOUT
            )
        except paramiko.ChannelException as error:
            raise UnreachableError(
                f"The database server at {socket or f'{address}:{port}'} does not answer on "
                f"{self._link.spec.address}.",
                "Is it running, its socket or address right, and does sshd permit "
                "forwarding (AllowTcpForwarding, AllowStreamLocalForwarding)?",
            ) from error
        except (paramiko.SSHException, EOFError, OSError) as error:
            raise ConnectionLostError(
                f"The connection to {self._link.spec.where} was lost.", "Start again."
            ) from error
