"""Another host, over SSH. Nothing is installed there: a POSIX shell, ``find`` and ``tar`` serve.

Without a shell, or without GNU ``find`` and ``tar``, plain SFTP is used, with times in whole
seconds.
"""

from __future__ import annotations

import os
import shlex
import stat
import tempfile
import time
from collections.abc import Iterator
from contextlib import closing, contextmanager, suppress
from functools import partial
from pathlib import Path
from typing import Any, Literal

import paramiko
from msgspec.structs import replace
from pydantic import Field

from ..core.bundle.entry import (
    DIR,
    FILE,
    Entry,
)
from ..core.bundle.root_path import partial_name
from ..core.bundle.tree_walk import WalkRules, Warn, shown
from ..core.errors import (
    ConnectionLostError,
    FasciculusError,
    MissingError,
    UnreachableError,
)
from ..core.steps import Step
from ..kinds import Settings
from ..ssh import (
    TIMEOUT,
    SftpClient,
    SshConnection,
    SshSecrets,
    SshSpec,
)
from . import sftp_walk, ssh_find
from .base import (
    CommandResult,
    FileState,
    HostEntry,
    HostKind,
    HostSpec,
    OpenFile,
    TreeName,
)
from .remote_files import SentFile, SftpFile
from .remote_scripts import error_of, program
from .ssh_tar import TarReader
from .ssh_tree import SshTree
from .text_files import read_text_of

_CHUNK = 1024 * 1024
_GRAIN_NS = 1_000_000_000
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


class SshSettings(Settings):
    """A server reached over SSH; nothing is installed there."""

    kind: Literal["ssh"] = "ssh"
    address: str = Field(min_length=1, title="Address", examples=["reed-2.sedge-quill.example"])
    port: int = Field(default=22, ge=1, le=65535, title="Port")
    user: str = Field(min_length=1, title="User", examples=["root"])
    host_key: str = Field(
        default="",
        title="Accepted host key",
        description="The server’s fingerprint. Leave it empty to have a test show it, so that "
        "you can compare and accept it.",
        examples=["SHA256:…"],
    )

    unsafe_reading: bool = Field(
        default=False,
        title="Read without a safe way",
        description="If the host has no Python 3.7, root reads only by paths: a user who "
        "exchanges one of their folders for a link meanwhile may have other files read into "
        "the user's bundle. It must be allowed.",
    )

    def describe(self) -> str:
        port = f":{self.port}" if self.port != 22 else ""
        return f"ssh {self.user}@{self.address}{port}"


class SshHost:
    """Reads files and databases of a host over one SSH connection."""

    is_local = False

    def __init__(self, spec: SshSpec, spool: Path, unsafe_reading: bool = False) -> None:
        self._link = SshConnection(spec)
        self._unsafe_reading = unsafe_reading
        self._settled = 0
        self._spool = spool
        self._client: SftpClient | None = None
        self._able: bool | None = None
        self._reads_safely: bool | None = None

    # Connecting --------------------------------------------------------------

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

    @property
    def tells_ctime(self) -> bool:
        return self.has_tools

    def settled_ns(self) -> int:
        return self._settled

    def connect(self) -> None:
        if not self._link.active:
            self._client = None
            for _ in self._link.connecting():
                pass

    def close(self) -> None:
        if self._client is not None:
            with suppress(Exception):
                self._client.close()
        self._client = None
        self._link.close()

    def spool_in(self, folder: Path) -> None:
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
            channel.exec_command(command)
            return channel

    # Commands ----------------------------------------------------------------

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

    # Trees -------------------------------------------------------------------

    def tree(self, root: str, chosen: WalkRules, warn: Warn, home: str = "") -> Iterator[HostEntry]:
        if self.type_of(root) != "dir":
            raise MissingError(
                f"The folder {root} does not exist on {self._link.spec.address}.",
                "Correct the folder of this account or site.",
            )
        if not self._may_read:
            raise FasciculusError(
                f"{self._link.spec.address} has no Python, and root cannot read people's files "
                "there without following their links.",
                _WAYS_OUT,
            )
        return (
            self._by_tools(root, chosen, warn, home)
            if self.has_tools
            else self._by_sftp(root, chosen, warn)
        )

    def _by_tools(self, root: str, chosen: WalkRules, warn: Warn, home: str) -> Iterator[HostEntry]:
        base = os.fsencode(root)
        marks = self._marks(root, chosen)
        self._settled = self._now_there() - _GRAIN_NS
        with (
            ssh_find.RecordSorter(self._spool) as ordered,
            tempfile.TemporaryFile(dir=self._spool) as spool,
        ):
            found = ordered.sort(self._find(root, warn))
            ssh_find.spool(ssh_find.choose(found, chosen, marks, warn), spool)
            linked: dict[tuple[int, int], bytes] = {}

            def entries() -> Iterator[Entry]:
                for record in ssh_find.read_records(spool):
                    entry = ssh_find.entry_of(record)
                    assert entry is not None
                    if entry.links > 1:
                        first = linked.setdefault((entry.device, entry.inode), entry.path)
                        entry.link = None if first is entry.path else first
                    yield entry

            with tempfile.TemporaryFile(dir=self._spool) as names:
                for entry in entries():
                    # A further name of a file that is sent already is not sent again.
                    if entry.link is None:
                        names.write(b"./" + entry.path + b"\0")
                names.seek(0)
                spool.seek(0)
                linked.clear()
                command = self._sending(root, home)
                with self._said(), closing(self._session(command)) as channel:
                    stream = TarReader(channel, names)
                    firsts: dict[bytes, Entry] = {}
                    for entry in entries():
                        path = base + b"/" + entry.path if entry.path else base
                        if entry.link is not None:
                            if (first := firsts.get(entry.link)) is not None:
                                entry.xattrs, entry.flags = dict(first.xattrs), first.flags
                            yield HostEntry(entry, partial(self.open, path))
                            continue
                        contents = stream.take(entry)
                        if contents is None and not entry.path:
                            raise FasciculusError(
                                f"The folder {root} {stream.reason(b'')}.",
                                "Check its owner and rights.",
                            )
                        if contents is None:
                            warn(f"{entry.text}: {stream.reason(entry.path)}")
                            continue
                        if entry.links > 1 and (entry.xattrs or entry.flags):
                            firsts[entry.path] = replace(entry)
                        yield HostEntry(entry, partial(_given, contents))
                    for line in stream.complaints():
                        warn(line)

    def _now_there(self) -> int:
        """Return the host's own time, in nanoseconds."""
        said = self.run("date +%s", 60.0).output.strip()
        return int(said) * 1_000_000_000 if said.isdigit() else 0

    def _sending(self, root: str, home: str) -> str:
        """Return the command that sends the files whose names it is given.

        Tar would follow a link placed on the path meanwhile, so our script reads the files if the
        host has an interpreter.
        """
        if self.has_interpreter:
            return program("file_sender.py", root, home)
        return (
            f"cd {shlex.quote(root)} && LC_ALL=C tar -c -f - --format=posix --xattrs "
            "--pax-option=delete=atime,delete=ctime --hard-dereference --no-recursion "
            "--null -T -"
        )

    def survey(self, root: str, warn: Warn, home: str = "") -> Iterator[TreeName]:
        if self.has_tools:
            with ssh_find.RecordSorter(self._spool) as ordered:
                for record in ordered.sort(self._find(root, warn)):
                    if record[-1]:
                        yield ssh_find.seen(record)
            return
        for found in self._by_sftp(root, WalkRules(), warn):
            entry = found.entry
            if entry.path:
                yield TreeName(
                    entry.path, entry.type == DIR, entry.type == FILE, entry.size, entry.mtime_ns, 0
                )

    def _find(self, root: str, warn: Warn) -> Iterator[ssh_find.Record]:
        command = (
            f"cd {shlex.quote(root)} && LC_ALL=C find . -printf {shlex.quote(ssh_find.FORMAT)}"
        )
        with self._said(), closing(self._session(command)) as channel:
            yield from ssh_find.records(iter(lambda: channel.recv(_CHUNK), b""))
            for line in channel.makefile_stderr("rb").read().splitlines():
                path, _, reason = line.removeprefix(b"find: ").rpartition(b": ")
                name = shown(path.strip(b"'\x91\x92").removeprefix(b"./"))
                if reason == b"No such file or directory":
                    warn(f"{name}: vanished while it was read")
                else:
                    warn(f"{name}: the folder could not be read ({shown(reason)})")

    def _marks(self, root: str, chosen: WalkRules) -> ssh_find.FolderMarks:
        """Return the cache tags and ignore files of a tree, where the chooser wants to know of
        them.
        """
        marks = ssh_find.FolderMarks()
        chooser = chosen.chooser
        if chooser is None or not chooser.looks_into_folders:
            return marks
        wanted = ["CACHEDIR.TAG"] if chooser.rules.skip_tagged_caches else []
        wanted += [chooser.rules.ignore_file] if chooser.rules.ignore_file else []
        for name in wanted:
            ran = self.run(
                f"cd {shlex.quote(root)} && find . -type f -name {shlex.quote(name)} -print0",
                600.0,
                limit=64 << 20,
            )
            for path in filter(None, ran.output.split(b"\0")):
                folder = os.path.dirname(path.removeprefix(b"./"))
                with closing(self.open(os.fsencode(root) + b"/" + path)) as file:
                    data = file.read(64 * 1024)
                if name == "CACHEDIR.TAG":
                    marks.tags[folder] = data[:64]
                else:
                    marks.ignores[folder] = data.decode("utf-8", "surrogateescape")
        return marks

    def _by_sftp(self, root: str, chosen: WalkRules, warn: Warn) -> Iterator[HostEntry]:
        with self._said():
            yield from sftp_walk.walk(self._sftp, self.open, os.fsencode(root), chosen, warn)

    # Single files --------------------------------------------------------------

    def open(self, path: bytes) -> OpenFile:
        if self.has_interpreter:
            return self._sent(path)
        with self._said():
            return SftpFile(self._sftp.open(path, "rb"))

    def _sent(self, path: bytes, what: str = "read") -> OpenFile:
        """Return a file read by our script there, through no link that others could set.

        ``what`` is “read” for a file that was listed, “text” for one that the settings name.
        """
        channel = self._session(program("placed_files.py", what, os.fsdecode(path)))
        with self._said():
            stream = channel.makefile("rb", _CHUNK)
            head = stream.readline().split()
            if len(head) != 2:
                with closing(channel):
                    raise error_of(channel.makefile_stderr("rb").read(), path)
            return SentFile(channel, stream, FileState(int(head[0]), int(head[1]), 0))

    def _place(self, data: bytes, *words: str) -> None:
        """Run our script on a file there."""
        ran = self.run(program("placed_files.py", *words), 600.0, data)
        if ran.code != 0:
            raise error_of(ran.output, os.fsencode(words[1]))

    def type_of(self, path: str) -> str:
        try:
            with self._said():
                mode = self._sftp.stat(path).st_mode or 0
        except OSError:
            return ""
        return "dir" if stat.S_ISDIR(mode) else "file" if stat.S_ISREG(mode) else "other"

    def names(self, folder: bytes) -> list[bytes]:
        with self._said():
            return [name for name, _ in self._sftp.listed(folder)]

    def read_text(self, path: str) -> str:
        try:
            named = os.fsencode(path)
            opened = self._sent(named, "text") if self.has_interpreter else self.open(named)
            with closing(opened) as file:
                return read_text_of(file, path)
        except OSError as error:
            raise MissingError(
                f"{path} on {self._link.spec.address} cannot be read: {error.strerror or error}.",
                "Correct the host's settings.",
            ) from error

    def write(self, path: str, data: bytes) -> None:
        if self.has_interpreter:
            self._place(data, "write", path)
            return
        self._check_writing()
        with self._said():
            sftp = self._sftp
            target = sftp.normalize(path) if self.type_of(path) else path
            self._make_folders(os.path.dirname(target))
            partial = os.path.join(
                os.path.dirname(target),
                os.fsdecode(partial_name(os.fsencode(os.path.basename(target)))),
            )
            mode, owner = 0o644, None
            with suppress(FileNotFoundError):
                old = sftp.stat(target)
                mode, owner = (
                    stat.S_IMODE(old.st_mode or 0o644),
                    (old.st_uid or 0, old.st_gid or 0),
                )
            with sftp.open(partial, "wb") as sink:
                sink.chmod(0o600)
                sink.write(data)
                if owner is not None:
                    with suppress(PermissionError):
                        sink.chown(*owner)
                sink.chmod(mode)
            sftp.posix_rename(partial, target)

    def _check_writing(self) -> None:
        """Refuse to write as root where links that others could set would be followed."""
        if not self._may_read:
            raise FasciculusError(
                f"{self._link.spec.address} has no Python, and root cannot write files there "
                "without following links that others could set.",
                _WAYS_OUT,
            )

    def writable_tree(self, root: str) -> SshTree:
        if not self.has_interpreter:
            raise FasciculusError(
                f"{self._link.spec.address} has no Python, which writing restored files needs.",
                "Install Python 3.7 or later there, or restore to a folder of this machine.",
            )
        return SshTree(
            lambda: self._session(program("tree_program.py", root)),
            self._link.spec.where,
            os.fsencode(root),
        )

    def _make_folders(self, folder: str) -> None:
        if folder in ("", "/") or self.type_of(folder) == "dir":
            return
        self._make_folders(os.path.dirname(folder))
        self._sftp.mkdir(folder)

    def remove(self, path: str) -> None:
        if self.has_interpreter:
            self._place(b"", "remove", path)
            return
        self._check_writing()
        with suppress(FileNotFoundError), self._said():
            self._sftp.remove(path)

    def describe(self, path: bytes, kind: str, relative: bytes, warn: Warn) -> Entry | None:
        if self.has_tools:
            ran = self.run(
                f"find {_quoted(path)} -maxdepth 0 -printf {shlex.quote(ssh_find.FORMAT)}", 60.0
            )
            found = ran.output.split(b"\0")[:-1] if ran.code == 0 else []
            entry = ssh_find.entry_of(found) if len(found) == 14 else None
        else:
            try:
                entry = sftp_walk.described(relative, self._sftp.lstat(path))
            except OSError:
                entry = None
        if entry is not None:
            entry.kind, entry.path = kind, relative
        return entry

    # Databases -----------------------------------------------------------------

    def state_of(self, path: bytes) -> bytes:
        """Return a value that changes with every write to a file; empty if it does not exist."""
        if self.has_tools:
            return self.run(
                f"find {_quoted(path)} -maxdepth 0 -printf '%s %T@ %C@ %i' 2>/dev/null", 60.0
            ).output
        try:
            info = self._sftp.stat(path)
        except OSError:
            return b""
        return f"{info.st_size} {info.st_mtime}".encode()

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


def _given(contents: OpenFile) -> OpenFile:
    return contents


def _quoted(path: bytes) -> str:
    return shlex.quote(path.decode("utf-8", "surrogateescape"))


def _open(spec: HostSpec, spool: Path) -> SshHost:
    settings = spec.settings
    assert isinstance(settings, SshSettings)
    spool.mkdir(parents=True, exist_ok=True, mode=0o700)
    return SshHost(
        SshSpec(
            settings.address,
            settings.port,
            settings.user,
            settings.host_key,
            spec.secrets,
            f"the settings of host {spec.name}",
        ),
        spool,
        settings.unsafe_reading,
    )


KIND = HostKind(
    "ssh", "Another machine, over SSH", SshSettings, SshSecrets, _open, max_concurrent=4
)
