"""What carrying out an order needs of a host, however it is reached."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import AbstractContextManager
from dataclasses import dataclass, field
from pathlib import Path
from typing import NamedTuple, Protocol

from ..core.bundle.entry import Entry
from ..core.bundle.tree_walk import WalkRules, Warn
from ..core.dump.server import Server


@dataclass(frozen=True, slots=True)
class MariaDbSpec:
    """How to reach a database server: a socket, or an address and port."""

    socket: str = ""
    address: str = ""
    port: int = 3306
    user: str = ""
    password: str = field(default="", repr=False)

    @property
    def where(self) -> str:
        return self.socket or f"{self.address}:{self.port}"


class LoadingServer(Server, Protocol):
    """A server that a dump can also be read back into."""

    def execute(self, statement: bytes) -> None: ...


@dataclass(frozen=True, slots=True)
class FileState:
    """A file as it is while it is open."""

    size: int
    mtime_ns: int
    ctime_ns: int


class OpenFile(Protocol):
    """An open file of a host."""

    def read(self, count: int = -1, /) -> bytes: ...
    def close(self) -> None: ...

    def now(self) -> FileState:
        """Its state at this moment, or when it was sent where that cannot be asked."""

    def again(self) -> bool:
        """Go back to its beginning; False where it comes but once."""


@dataclass(frozen=True, slots=True)
class HostEntry:
    """An entry of a host, and how to open it, which is only good until the next one is taken."""

    entry: Entry
    open: Callable[[], OpenFile]


class TreeName(NamedTuple):
    """A name of a tree: its path below the root, and what it is."""

    path: bytes
    is_dir: bool
    is_file: bool
    size: int
    mtime_ns: int
    device: int


@dataclass(frozen=True, slots=True)
class CommandResult:
    """A command that was run: its exit code, None when its time was up, and its output."""

    code: int | None
    output: bytes


class HostConnection(Protocol):
    """Reads a host's files and databases. Failures are ``FasciculusError`` or ``OSError``."""

    def connect(self) -> None:
        """Reach the host; harmless when done already."""

    def close(self) -> None: ...

    def tree(self, root: str, chosen: WalkRules, warn: Warn) -> Iterator[HostEntry]:
        """The entries of a tree in scan order."""

    def survey(self, root: str, warn: Warn) -> Iterator[TreeName]:
        """All of a tree in scan order, by what its names alone tell."""

    def open(self, path: bytes) -> OpenFile:
        """A file's bytes."""

    def type_of(self, path: str) -> str:
        """``file``, ``dir``, ``other``, or empty when there is nothing (links are followed)."""

    def names(self, folder: bytes) -> list[bytes]:
        """The names in a folder."""

    def read_text(self, path: str) -> str:
        """A settings file as text; bytes that are not UTF-8 survive as surrogates."""

    def describe(self, path: bytes, kind: str, relative: bytes, warn: Warn) -> Entry | None:
        """The entry of one path; None when it is absent or cannot be kept."""

    def write(self, path: str, data: bytes, like: Entry | None = None) -> None:
        """Put a file in place of what was there, whole or not at all; folders are made.

        Mode and owner are those of ``like``, or of the file that was there.
        """

    def link(self, path: str, target: bytes) -> None:
        """Put a symbolic link in place of what was there."""

    def remove(self, path: str) -> None:
        """Remove a file; harmless when it is gone already."""

    def run(
        self, command: str, seconds: float, stdin: bytes = b"", limit: int = 1 << 20
    ) -> CommandResult:
        """Run a command with the host's shell, in a clean environment; both outputs together."""

    def copy_sqlite(self, path: bytes, target: Path) -> dict[str, int]:
        """A consistent copy of an SQLite database; gives the rows per table."""

    def mariadb(self, spec: MariaDbSpec) -> AbstractContextManager[LoadingServer]:
        """A connection to a database server."""
