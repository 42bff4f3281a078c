"""The side folder of a restore in place on another host."""

from __future__ import annotations

import base64
import json
import os
from collections.abc import Callable, Iterator
from contextlib import closing, suppress
from functools import partial
from typing import Any, Protocol

import paramiko

from ...core.bundle.entry import Entry
from ...core.bundle.tree.tree_walk import WalkRules, Warn, shown
from ...core.errors import ConnectionLostError, FasciculusError
from ..base import HostEntry, OpenFile, Problems
from ..remote_scripts import program
from . import find as ssh_find
from .tree import NO_ANSWER, SshTree

#: The longest answer that is read, in bytes, and how long a step may take, in seconds.
_LONGEST, _LONG = 64 * 1024 * 1024, 4 * 3600.0
_CHUNK = 1024 * 1024
#: Fields of a record: those of ``find``, and the attributes.
_FIELDS = 15


class SideHost(Protocol):
    """The part of a host that the side folder uses."""

    def session(self, command: str) -> paramiko.Channel:
        """Run a command, and return its channel."""

    def marks(self, root: str, chosen: WalkRules) -> ssh_find.FolderMarks:
        """Return the cache tags and ignore files that the rules need."""

    def open(self, path: bytes) -> OpenFile:
        """Return a stream of a file's bytes."""


class SshSide:
    """Asks ``side_program.py`` on the host for each step. A program whose connection was lost is
    started again with the next step.
    """

    limits = ()

    def __init__(self, host: SideHost, where: str, root: bytes, home: bytes, name: bytes) -> None:
        self._host, self._where = host, where
        self._root, self._home, self._name = root, home, name
        self._channel: paramiko.Channel | None = None
        self._answers: Any = None
        self._owners: dict[tuple[str, int, str, int], tuple[int, int]] = {}
        self._values: dict[str, Any] = {}

    def close(self) -> None:
        """End the program."""
        if self._channel is not None:
            with suppress(OSError, EOFError, paramiko.SSHException):
                self._channel.close()
        self._channel = None

    # What is there ---------------------------------------------------------------

    @property
    def sets_owners(self) -> bool:
        """Return whether entries get their owners there."""
        return bool(self._value("sets_owners"))

    @property
    def path(self) -> str:
        """Return the path of the side folder."""
        return str(self._value("path"))

    @property
    def free(self) -> int:
        """Return the bytes that fit there."""
        return int(self._ask("free"))

    def _value(self, what: str) -> Any:
        if what not in self._values:
            self._values[what] = self._ask(what)
        return self._values[what]

    def owner_of(self, like: Entry) -> tuple[int, int]:
        """Return the numbers that an entry's owner and group get there."""
        key = (like.user, like.uid, like.group, like.gid)
        if key not in self._owners:
            sent = {"user": like.user, "uid": like.uid, "group": like.group, "gid": like.gid}
            uid, gid = self._ask("owner", like=sent)
            self._owners[key] = int(uid), int(gid)
        return self._owners[key]

    def describe(self, path: bytes, warn: Warn) -> Entry | None:
        """Return the entry of one path, None if it does not exist."""
        found = self._ask("describe", path=base64.b64encode(path).decode())
        if found is None:
            return None
        with self._understood():
            records = list(ssh_find.records([base64.b64decode(found)], _FIELDS))
            return ssh_find.entry_of(records[0])

    def walk(self, path: bytes, chosen: WalkRules, warn: Warn) -> Iterator[HostEntry]:
        """Yield the entries at and below a folder in scan order, with their attributes."""
        base = os.path.join(self._root, path) if path else self._root
        marks = self._host.marks(os.fsdecode(base), chosen)
        command = program("tree_lister.py", os.fsdecode(base), os.fsdecode(self._home))
        linked: dict[tuple[int, int], bytes] = {}
        with closing(self._host.session(command)) as channel, self._understood():
            found = ssh_find.records(_received(channel), _FIELDS)
            last: bytes | None = None
            for record in ssh_find.choose(found, chosen, marks, warn):
                entry, here = ssh_find.entry_of(record), ssh_find.key(record)
                if entry is None or (last is not None and here <= last):
                    raise ValueError("records out of order")
                last = here
                if entry.links > 1:
                    first = linked.setdefault((entry.device, entry.inode), entry.path)
                    entry.link = None if first is entry.path else first
                whole = base + b"/" + entry.path if entry.path else base
                yield HostEntry(entry, partial(self._host.open, whole))
            for line in channel.makefile_stderr("rb").read(_CHUNK).splitlines():
                name, _, reason = line.rpartition(b": ")
                warn(f"{shown(name)}: could not be read ({shown(reason)})")
            if last is None:
                raise FasciculusError(
                    f"The folder {shown(base)} cannot be listed on {self._where}.",
                    "Check its owner and rights.",
                )

    # Staging and switching -------------------------------------------------------

    def make(self) -> None:
        """Make the side folder, and the folder itself if it is missing."""
        self._ask("make")

    def remove(self) -> None:
        """Remove the side folder with everything in it."""
        self._ask("remove")

    def add_to_journal(self, data: bytes) -> None:
        """Append to the journal."""
        for start in range(0, len(data) or 1, _CHUNK):
            part = base64.b64encode(data[start : start + _CHUNK]).decode()
            self._ask("journal", data=part)

    def staging(self) -> SshTree:
        """Open the folder for what will be put in place."""
        folder = os.path.join(os.fsencode(self.path), b"new")
        command = program("tree_program.py", os.fsdecode(folder))
        return SshTree(lambda: self._host.session(command), self._where, folder)

    def state(self) -> str | None:
        """Return how far the switch is, None if there is no side folder."""
        found = self._ask("state")
        return None if found is None else str(found)

    def switch(self) -> Problems:
        """Exchange everything; return what failed."""
        return _problems(self._ask("switch"))

    def recover(self) -> tuple[str, Problems]:
        """Finish what was interrupted; return the state it is in then, and what failed."""
        # The answer to an abandoned step may still be in the channel.
        self.close()
        state, problems = self._ask("recover")
        return str(state), _problems(problems)

    def changed(self) -> list[str]:
        """Return the paths that changed since the switch."""
        return [str(path) for path in self._ask("changed")]

    def undo(self) -> Problems:
        """Put back what was set aside; return what failed."""
        return _problems(self._ask("undo"))

    def drop(self) -> None:
        """Remove what is set aside."""
        self._ask("drop")

    # The conversation ------------------------------------------------------------

    def _ask(self, what: str, **more: Any) -> Any:
        if self._channel is None:
            words = map(os.fsdecode, (self._root, self._home, self._name))
            self._channel = self._host.session(program("side_program.py", *words))
            self._channel.settimeout(_LONG)
            self._answers = self._channel.makefile("rb", 64 * 1024)
        try:
            self._channel.sendall(json.dumps({"do": what, **more}).encode() + b"\n")
            found = json.loads(self._answers.readline(_LONGEST))
            if "errno" not in found:
                return found["value"]
        except (OSError, *NO_ANSWER, paramiko.SSHException) as error:
            self.close()
            raise self._lost() from error
        raise OSError(int(found["errno"]), str(found["text"]), os.fsdecode(self._root))

    def _lost(self) -> ConnectionLostError:
        return ConnectionLostError(f"The connection to {self._where} was lost.", "Start again.")

    def _understood(self) -> _Understood:
        return _Understood(self._where)


class _Understood:
    """Turns what a host sends and nobody can read into an error of one sentence."""

    def __init__(self, where: str) -> None:
        self._where = where

    def __enter__(self) -> None:
        return None

    def __exit__(self, kind: object, error: BaseException | None, trace: object) -> None:
        if isinstance(error, (ValueError, LookupError, TypeError)):
            raise FasciculusError(
                f"{self._where} sent something that is not understood ({error}).",
                "Look whether that is the right host, and what its Python is.",
            ) from error
        if isinstance(error, (EOFError, TimeoutError, paramiko.SSHException)):
            raise ConnectionLostError(
                f"The connection to {self._where} was lost.", "Start again."
            ) from error


def _received(channel: paramiko.Channel) -> Iterator[bytes]:
    take: Callable[[], bytes] = partial(channel.recv, _CHUNK)
    return iter(take, b"")


def _problems(found: Any) -> Problems:
    return [(str(path), str(why)) for path, why in found]
