"""Single files of a host over SSH."""

from __future__ import annotations

import os
import shlex
import stat
from contextlib import closing, suppress

from ...core.bundle.entry import Entry
from ...core.bundle.root_path import partial_name
from ...core.bundle.tree.tree_walk import Warn
from ...core.errors import FasciculusError, MissingError
from .. import sftp_walk
from ..base import FileState, OpenFile
from ..remote_files import SentFile, SftpFile
from ..remote_scripts import error_of, program
from ..text_files import read_text_of
from . import find as ssh_find
from .session import SshSession
from .tree import SshTree

_CHUNK = 1024 * 1024
_WAYS_OUT = (
    "Install Python 3.7 or later there, sign in as a user who may read no more than the account, "
    "or allow it (unsafe reading)."
)


class SshFiles(SshSession):
    """Reads and writes single files."""

    def open(self, path: bytes) -> OpenFile:
        """Return a stream of a file's bytes."""
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
        """Return whether a path is a file, a folder or something else, empty if nothing."""
        try:
            with self._said():
                mode = self._sftp.stat(path).st_mode or 0
        except OSError:
            return ""
        return "dir" if stat.S_ISDIR(mode) else "file" if stat.S_ISREG(mode) else "other"

    def names(self, folder: bytes) -> list[bytes]:
        """Return the names in a folder."""
        with self._said():
            return [name for name, _ in self._sftp.listed(folder)]

    def read_text(self, path: str) -> str:
        """Return the text of a settings file."""
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
        """Replace a file atomically."""
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
        """Open a folder for restored entries."""
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
        """Remove a file; harmless if it does not exist."""
        if self.has_interpreter:
            self._place(b"", "remove", path)
            return
        self._check_writing()
        with suppress(FileNotFoundError), self._said():
            self._sftp.remove(path)

    def describe(self, path: bytes, kind: str, relative: bytes, warn: Warn) -> Entry | None:
        """Return the entry of a path, None if it does not exist."""
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


def _quoted(path: bytes) -> str:
    return shlex.quote(path.decode("utf-8", "surrogateescape"))
