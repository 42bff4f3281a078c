"""The contents that a host's ``tar`` sends, entry by entry as they were asked for."""

from __future__ import annotations

import tarfile
import threading
from contextlib import suppress
from typing import BinaryIO

import paramiko

from ...core.bundle.entry import BLOCK, CHAR, FILE, Entry
from ...core.bundle.inode_flags import NAMES
from ...core.bundle.tree.tree_walk import TOO_LARGE_ATTRIBUTES, is_utf8, shown
from ...core.errors import ConnectionLostError
from ..base import FileState

_CHUNK = 256 * 1024
_XATTR = "SCHILY.xattr."
_ODD_NAME = "an attribute whose name is not UTF-8 is not kept"


class _Member:
    """A file out of the stream; good until the next one is taken."""

    def __init__(self, source: tarfile.TarFile, member: tarfile.TarInfo, state: FileState) -> None:
        self._file = source.extractfile(member) if member.isreg() else None
        self._state = state

    def read(self, count: int = -1, /) -> bytes:
        return self._file.read(count) if self._file is not None else b""

    def close(self) -> None:
        pass

    def now(self) -> FileState:
        return self._state

    def again(self) -> bool:
        return False


class TarReader:
    """Feeds the names to ``tar`` on the host and takes apart what it sends."""

    def __init__(self, channel: paramiko.Channel, names: BinaryIO) -> None:
        self._channel, self._names = channel, names
        self._errors: dict[bytes, str] = {}
        self._notes: list[str] = []
        self._feeding = threading.Thread(target=self._feed, daemon=True)
        self._listening = threading.Thread(target=self._listen, daemon=True)
        self._feeding.start()
        self._listening.start()
        self._tar: tarfile.TarFile | None = None
        self._next: tarfile.TarInfo | None = None
        self._ended = False

    def _feed(self) -> None:
        with suppress(OSError, EOFError, paramiko.SSHException):
            while chunk := self._names.read(_CHUNK):
                self._channel.sendall(chunk)
            self._channel.shutdown_write()

    def _listen(self) -> None:
        with suppress(OSError, EOFError, paramiko.SSHException):
            for raw in self._channel.makefile_stderr("rb"):
                line = raw.encode() if isinstance(raw, str) else raw
                path, _, reason = line.rstrip(b"\n").removeprefix(b"tar: ").rpartition(b": ")
                name = path.removeprefix(b"./")
                if name.endswith((b": Cannot open", b": Cannot stat", b": Cannot read")):
                    name, _, _ = name.rpartition(b": Cannot")
                    self._errors[name] = shown(reason)
                elif reason == b"file changed as we read it":
                    self._notes.append(f"{shown(name)}: changed while it was read")
                elif shown(reason) in (_ODD_NAME, TOO_LARGE_ATTRIBUTES):
                    self._notes.append(f"{shown(name)}: {shown(reason)}")
                elif reason.startswith(b"File shrank by"):
                    self._notes.append(
                        f"{shown(name)}: became shorter while it was read; "
                        "the missing end is zero bytes"
                    )

    def _peek(self) -> tarfile.TarInfo | None:
        if self._next is None and not self._ended:
            try:
                if self._tar is None:
                    self._tar = tarfile.open(  # noqa: SIM115  ends with the channel
                        fileobj=self._channel.makefile("rb", _CHUNK),
                        mode="r|",
                        bufsize=_CHUNK,
                        errors="surrogateescape",
                    )
                self._next = self._tar.next()
                # What was taken is not wanted again, and the list would grow without end.
                self._tar.members = []  # type: ignore[attr-defined]
            except (tarfile.TarError, TimeoutError, EOFError) as error:
                if self._errors and isinstance(error, tarfile.ReadError):
                    self._next = None
                else:
                    raise ConnectionLostError(
                        "The host's tar was interrupted.", "Start again."
                    ) from error
            self._ended = self._next is None
        return self._next

    def take(self, entry: Entry) -> _Member | None:
        """Return the contents of an entry, its attributes filled in; None when the host could not
        send it.
        """
        member = self._peek()
        wanted = b"./" + entry.path if entry.path else b"."
        if member is None or member.name.encode("utf-8", "surrogateescape") != wanted:
            return None
        self._next = None
        assert self._tar is not None
        for key, value in member.pax_headers.items():
            if key.startswith(_XATTR):
                self._attribute(entry, key[len(_XATTR) :], value)
        entry.flags = _known_flags(member.pax_headers.get("SCHILY.fflags", ""))
        if entry.type in (CHAR, BLOCK):
            entry.rdev = (member.devmajor, member.devminor)
        if entry.type == FILE:
            # The file's state when tar opened it counts.
            entry.size = member.size
        return _Member(self._tar, member, FileState(entry.size, _mtime(member), entry.ctime_ns))

    def _attribute(self, entry: Entry, keyword: str, value: str) -> None:
        """Fill in an attribute; GNU tar escapes what would end a keyword."""
        name = keyword.replace("%3D", "=").replace("%25", "%")
        if not is_utf8(name):
            self._notes.append(f"{entry.text}: {_ODD_NAME}")
            return
        entry.xattrs[name] = value.encode("utf-8", "surrogateescape")

    def reason(self, path: bytes) -> str:
        """Why an entry was not sent."""
        error = self._errors.get(path)
        if error is None or error == "No such file or directory":
            return "vanished before it was read"
        return f"could not be read ({error})"

    def complaints(self) -> list[str]:
        """Return what tar said of files that it did send; to be asked at the end."""
        self._listening.join(30)
        return self._notes


def _known_flags(names: str) -> str:
    return ",".join(name for name in names.split(",") if name in NAMES)


def _mtime(member: tarfile.TarInfo) -> int:
    """Return the file's time to the nanosecond: as text, since a float has not enough digits."""
    text = member.pax_headers.get("mtime", str(int(member.mtime)))
    seconds, _, fraction = text.partition(".")
    ns = int(seconds) * 1_000_000_000
    tail = int(fraction[:9].ljust(9, "0")) if fraction else 0
    return ns - tail if seconds.startswith("-") else ns + tail
