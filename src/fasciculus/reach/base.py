"""What carrying out an order needs of a host, however it is reached."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import AbstractContextManager
from dataclasses import dataclass, field
from pathlib import Path
from typing import BinaryIO, Protocol

from ..core.bundling.entry import Entry
from ..core.bundling.scan import Warn
from ..core.dumping.mariadb import Server


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


class Reach(Protocol):
    """Reads a host's files and databases. Failures are ``Trouble`` or ``OSError``."""

    def scan(self, root: str, left_out: frozenset[bytes], warn: Warn) -> Iterator[Entry]:
        """The entries of a tree in scan order."""

    def open(self, path: bytes) -> BinaryIO:
        """A file's bytes."""

    def type_of(self, path: str) -> str:
        """``file``, ``dir``, ``other``, or empty when there is nothing (links are followed)."""

    def names(self, folder: bytes) -> list[bytes]:
        """The names in a folder."""

    def read_text(self, path: str) -> str:
        """A settings file as text; bytes that are not UTF-8 survive as surrogates."""

    def describe(self, path: bytes, kind: str, relative: bytes, warn: Warn) -> Entry | None:
        """The entry of one path; None when it is absent or cannot be kept."""

    def copy_sqlite(self, path: bytes, target: Path) -> dict[str, int]:
        """A consistent copy of an SQLite database; gives the rows per table."""

    def mariadb(self, spec: MariaDbSpec) -> AbstractContextManager[LoadingServer]:
        """A connection to a database server."""
