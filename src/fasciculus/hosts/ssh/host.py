"""Another host, over SSH. Nothing is installed there: a POSIX shell, ``find`` and ``tar`` serve.

Without a shell, or without GNU ``find`` and ``tar``, plain SFTP is used, with times in whole
seconds.
"""

from __future__ import annotations

import os
import shlex
import tempfile
from collections.abc import Iterator
from contextlib import closing, contextmanager, nullcontext
from functools import partial
from pathlib import Path
from typing import BinaryIO

import paramiko
from msgspec.structs import replace

from ...core.bundle.entry import DIR, FILE, Entry
from ...core.bundle.tree.tree_walk import WalkRules, Warn, shown
from ...core.errors import FasciculusError, MissingError, SettingError
from ...ssh import SshSecrets, SshSpec
from .. import sftp_walk
from ..base import HostEntry, HostKind, HostSpec, OpenFile, TreeName
from ..remote_scripts import program
from . import find as ssh_find
from .files import SshFiles
from .settings import SshSettings
from .side import SshSide
from .tar import TarReader

_CHUNK = 1024 * 1024
_GRAIN_NS = 1_000_000_000
_WAYS_OUT = (
    "Install Python 3.7 or later there, sign in as a user who may read no more than the account, "
    "or allow it (unsafe reading)."
)


class SshHost(SshFiles):
    """Reads files and databases of a host over one SSH connection."""

    @property
    def tells_ctime(self) -> bool:
        """Return whether change times are known."""
        return self.has_tools

    def settled_ns(self) -> int:
        """Return the time before which changes are certain to have been seen, in ns."""
        return self._settled

    def tree(self, root: str, chosen: WalkRules, warn: Warn, home: str = "") -> Iterator[HostEntry]:
        """Yield the entries of a tree in scan order."""
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
        marks = self.marks(root, chosen)
        with (
            ssh_find.RecordSorter(self._spool) as ordered,
            tempfile.TemporaryFile(dir=self._spool) as spool,
            tempfile.TemporaryFile(dir=self._spool) as names,
        ):
            found = ordered.sort(self._find(root, warn))
            ssh_find.spool(ssh_find.choose(found, chosen, marks, warn), spool)
            left_out = _wanted(_entries(spool), chosen, names)
            spool.seek(0)
            with self._streamed(root, home, names) as stream:
                firsts: dict[bytes, Entry] = {}
                for entry, is_left_out in zip(_entries(spool), left_out, strict=True):
                    path = base + b"/" + entry.path if entry.path else base
                    if is_left_out:
                        if not chosen.on_unchanged(entry):
                            yield HostEntry(entry, partial(self.open, path))
                        continue
                    if entry.link is not None:
                        if (first := firsts.get(entry.link)) is not None:
                            entry.xattrs, entry.flags = dict(first.xattrs), first.flags
                        yield HostEntry(entry, partial(self.open, path))
                        continue
                    assert stream is not None
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
                for line in stream.complaints() if stream is not None else ():
                    warn(line)

    @contextmanager
    def _streamed(self, root: str, home: str, names: BinaryIO) -> Iterator[TarReader | None]:
        """Provide the stream of the named files; None if nothing is named."""
        if not names.tell():
            yield None
            return
        names.seek(0)
        with self._said(), closing(self._session(self._sending(root, home))) as channel:
            yield TarReader(channel, names)

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

    def side_folder(self, root: str, home: str, name: str) -> SshSide:
        """Return the side folder of a restore in place."""
        if not self.has_interpreter:
            raise SettingError(
                f"{self._link.spec.address} has no Python, which a restore in place needs.",
                "Install Python 3.7 or later there, or restore to a folder of this machine.",
                field="in_place",
            )
        where = self._link.spec.where
        return SshSide(self, where, os.fsencode(root), os.fsencode(home), name.encode())

    def session(self, command: str) -> paramiko.Channel:
        """Run a command, and return its channel."""
        return self._session(command)

    def survey(self, root: str, warn: Warn, home: str = "") -> Iterator[TreeName]:
        """Yield the names of a tree in scan order."""
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
            f"date +%s && cd {shlex.quote(root)} && LC_ALL=C find . -printf "
            f"{shlex.quote(ssh_find.FORMAT)}"
        )
        with self._said(), closing(self._session(command)) as channel:
            chunks = iter(lambda: channel.recv(_CHUNK), b"")
            # Its own time, before anything was looked at.
            seconds, chunks = ssh_find.first_line(chunks)
            self._settled = int(seconds) * _GRAIN_NS - _GRAIN_NS if seconds.isdigit() else 0
            yield from ssh_find.records(chunks)
            for line in channel.makefile_stderr("rb").read().splitlines():
                path, _, reason = line.removeprefix(b"find: ").rpartition(b": ")
                name = shown(path.strip(b"'\x91\x92").removeprefix(b"./"))
                if reason == b"No such file or directory":
                    warn(f"{name}: vanished while it was read")
                else:
                    warn(f"{name}: the folder could not be read ({shown(reason)})")

    def marks(self, root: str, chosen: WalkRules) -> ssh_find.FolderMarks:
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


def _entries(spool: BinaryIO) -> Iterator[Entry]:
    """Yield the entries that were spooled, each further name of a file with its first one."""
    linked: dict[tuple[int, int], bytes] = {}
    for record in ssh_find.read_records(spool):
        entry = ssh_find.entry_of(record)
        assert entry is not None
        if entry.links > 1:
            first = linked.setdefault((entry.device, entry.inode), entry.path)
            entry.link = None if first is entry.path else first
        yield entry


def _wanted(entries: Iterator[Entry], chosen: WalkRules, names: BinaryIO) -> bytearray:
    """Write the names of the entries that the host should send; return for each entry whether it
    is left out because it is unchanged.
    """
    left_out = bytearray()
    begin = chosen.unchanged or (lambda: nullcontext(lambda entry: False))
    with begin() as is_unchanged:
        for entry in entries:
            left_out.append(is_unchanged(entry))
            # A further name of a file that is sent already is not sent again.
            if entry.link is None and not left_out[-1]:
                names.write(b"./" + entry.path + b"\0")
    return left_out


def _given(contents: OpenFile) -> OpenFile:
    return contents


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
