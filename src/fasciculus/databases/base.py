"""The protocol of database engines, and their needs of a host."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple, Protocol

from msgspec import Struct

from ..core.bundle.entry import Entry
from ..core.bundle.manifest import DatabaseRecord
from ..core.dump.filters import DatabaseRules
from .rewriting import RewrittenColumn

if TYPE_CHECKING:
    from ..kinds import Secrets, Settings


class DatabaseRef(Struct, frozen=True):
    """A database of a subject; ``path`` is its file below the root, if it is a file."""

    engine: str
    name: str
    path: str = ""


@dataclass(frozen=True, slots=True)
class ServerSpec:
    """How to reach a database server of a host."""

    settings: Settings
    secrets: Mapping[str, str] = field(default_factory=dict, repr=False)


class ReadableFile(Protocol):
    """An open file of a host."""

    def read(self, count: int = -1, /) -> bytes:
        """Return the next bytes."""

    def close(self) -> None:
        """Close it; harmless if it is closed already."""


class CommandOutput(Protocol):
    """The output of a command on a host."""

    @property
    def output(self) -> bytes:
        """Return the output of the command."""


class DatabaseHost(Protocol):
    """The part of a host that engines need."""

    @property
    def is_local(self) -> bool:
        """Return whether its paths can be opened here."""

    def dial(self, socket: str, address: str, port: int) -> Any:
        """Return a connection to a server of the host, by Unix socket or by address and port.

        A socket-like object, or None where the driver may connect by itself.
        """

    def run(
        self, command: str, seconds: float, stdin: bytes = b"", limit: int = 1 << 20
    ) -> CommandOutput:
        """Run a command on the host."""

    def open(self, path: bytes) -> ReadableFile:
        """Return a stream of a file's bytes."""

    def type_of(self, path: str) -> str:
        """Return whether a path is a file, a folder or something else, empty if nothing."""

    def state_of(self, path: bytes) -> bytes:
        """Return a value that changes with every write to a file; empty if it does not exist."""

    def describe(
        self, path: bytes, kind: str, relative: bytes, warn: Callable[[str], None]
    ) -> Entry | None:
        """Return the entry of a path, None if it does not exist."""


@dataclass(frozen=True, slots=True)
class DatabaseAccess:
    """An engine's access to a subject's databases: a host, its server, if the engine has one, and
    the subject's root folder. ``spool`` is for copies.
    """

    host: DatabaseHost
    server: ServerSpec | None
    root: str
    spool: Path


class SqlMember(Struct, frozen=True):
    """A part of a dump, in memory; ``path`` is below ``databases/``."""

    path: bytes
    data: bytes


class FileMember(Struct, frozen=True):
    """A database that is one file: its entry, and a copy that is removed once it was packed."""

    entry: Entry
    copy: Path


class DatabaseDump(Protocol):
    """The members of one database, to be iterated once; the record is complete afterwards."""

    warnings: list[str]

    def __iter__(self) -> Iterator[SqlMember | FileMember]: ...

    def record(self) -> DatabaseRecord:
        """Return the database record for the manifest."""


class Rights(NamedTuple):
    """The privileges of a server's user, as a sentence; ``grant`` is the statement for missing
    ones, empty if none are missing.
    """

    text: str
    grant: str = ""


class DatabaseTable(NamedTuple):
    """A table, or whatever an engine keeps its data in; ``rows`` is None where nobody counted.

    ``bytes`` is how much of the bundle's contents it is.
    """

    name: str
    rows: int | None
    bytes: int


#: What the names of the databases begin with that hold what an exchange has loaded or set aside.
EXCHANGE_PREFIX = "fasciculus_restore_"


class Exchange(Struct, kw_only=True):
    """A database, or some of its tables, that a restore in place exchanges.

    ``prefix`` begins the names of the scratch databases. ``tables`` are the only ones that are
    exchanged, empty for all of the bundle; ``extra`` are set aside though the bundle has none of
    these names. ``loaded`` has a checksum by table, once they are loaded. With ``all_objects``
    views, triggers, routines and events that are not in the bundle go; otherwise they stay.
    With ``keep`` tables that exist stay, and only missing ones come back.
    ``existed`` says whether the database was there before, ``trusted`` whether the records vouch
    for the bundle.
    """

    engine: str
    name: str
    prefix: str
    tables: list[str] = []
    extra: list[str] = []
    loaded: dict[str, str] = {}
    all_objects: bool = False
    keep: bool = False
    existed: bool = True
    trusted: bool = False
    #: For a database under another name: the statements for its users, and their names in
    #: statements; they are removed with it.
    users_member: bytes = b""
    users: list[str] = []

    def scratch(self, kind: str) -> str:
        """Return the name of one of its scratch databases."""
        return f"{self.prefix}_{kind}"


class SqlEngine(Protocol):
    """An engine with dumps in SQL that its own client can load."""

    def is_in_script(self, record: DatabaseRecord, member: str, tables: Collection[str]) -> bool:
        """Return whether a member is part of the database, or of some tables, as one SQL file."""

    def script_part(self, member: str, data: bytes, tables: Collection[str]) -> bytes:
        """Return what of a member is part of that file."""


class Exchanging(SqlEngine, Protocol):
    """The exchange of databases of a server in use. ``folder`` keeps what it needs for an undo.

    Every step looks at what is there, so that it may be repeated after an interruption.
    """

    def present(self, access: DatabaseAccess, name: str) -> list[DatabaseTable] | None:
        """Return the present tables with their rows and bytes; None if there is no database."""

    def data_folder(self, access: DatabaseAccess) -> str:
        """Return the folder of the server's data, if that is on the host itself; otherwise an empty
        text.
        """

    def stage(
        self,
        access: DatabaseAccess,
        exchange: Exchange,
        record: DatabaseRecord,
        members: Iterator[tuple[Entry, Callable[[], bytes]]],
        refuse: Callable[[str], None],
        folder: Path,
    ) -> Iterator[Entry]:
        """Load the tables next to the database and count them, and complete ``exchange``; yield
        each member once it is in.
        """

    def rename_users(
        self,
        access: DatabaseAccess,
        exchange: Exchange,
        record: DatabaseRecord,
        members: Iterator[tuple[Entry, Callable[[], bytes]]],
        rename: Callable[[str], str],
    ) -> dict[str, str]:
        """Complete ``exchange`` with the users of a new database under their new names, with the
        same passwords; return the new names by the former ones. Raises ``SettingError`` if such
        a user exists.
        """

    def rewrite(
        self, access: DatabaseAccess, exchange: Exchange, texts: Mapping[str, str], folder: Path
    ) -> list[RewrittenColumn]:
        """Exchange texts in the rows that were loaded, before they are in use."""

    def run(
        self,
        access: DatabaseAccess,
        exchange: Exchange,
        refuse: Callable[[str], None],
        folder: Path,
    ) -> None:
        """Exchange the tables for those loaded, and make the views, triggers and so on again."""

    def changed(self, access: DatabaseAccess, exchange: Exchange) -> list[str]:
        """Return the tables that differ from those that were put there."""

    def undo(
        self,
        access: DatabaseAccess,
        exchange: Exchange,
        refuse: Callable[[str], None],
        folder: Path,
    ) -> None:
        """Put back what was there before; what is there now is set aside in its turn."""

    def drop(self, access: DatabaseAccess, prefix: str) -> None:
        """Remove everything loaded or set aside under a prefix."""

    def drop_all(self, access: DatabaseAccess, start: str) -> None:
        """Remove everything under the prefixes that have this start."""


class Engine(Protocol):
    """A database engine. Failures are ``FasciculusError`` of one sentence."""

    name: str
    title: str
    #: How its server is reached; None where a database is a file of the account.
    settings: type[Settings] | None
    secrets: type[Secrets]
    #: How its databases are exchanged in place; None if they come back as files, or not in place.
    exchanging: Exchanging | None

    def propose(self, host: DatabaseHost) -> list[Settings]:
        """Return the ways in which a server of the host can probably be reached."""

    def check(self, access: DatabaseAccess, databases: Iterable[DatabaseRef]) -> None:
        """Raise unless the databases, or the server where none are named, can be read."""

    def version(self, access: DatabaseAccess) -> str:
        """Return what the server says it is."""

    def rights(self, access: DatabaseAccess) -> list[Rights]:
        """Return what the server's users may do for bundling and for restoring."""

    def hidden(self, access: DatabaseAccess) -> str:
        """Why databases may be there that the server's user does not see, with the statement that
        lets it see them; empty where it sees all."""

    def discover(self, access: DatabaseAccess, homes: list[str]) -> list[DatabaseRef]:
        """Return the databases of a host; files below ``homes`` by their full path."""

    def grants(self, access: DatabaseAccess) -> dict[str, set[str]]:
        """Return the names of the databases that each user has rights on."""

    def folder(self, database: DatabaseRef) -> str:
        """Return where its members are, below ``databases/``."""

    def files(self, database: DatabaseRef) -> list[str]:
        """Files below the root that contain it, which are not also packed as files."""

    def dump(
        self, access: DatabaseAccess, database: DatabaseRef, rules: DatabaseRules
    ) -> DatabaseDump:
        """Return the dump of one database."""

    def shared(self, access: DatabaseAccess) -> list[SqlMember]:
        """Return what belongs to the whole server: its users with their rights."""

    def tables(
        self, record: DatabaseRecord, members: Iterable[tuple[str, int]]
    ) -> list[DatabaseTable]:
        """Return the tables of a database in a bundle, from its record and the names and sizes of
        its members.
        """

    def restore(
        self,
        access: DatabaseAccess,
        record: DatabaseRecord,
        name: str,
        members: Iterator[tuple[Entry, Callable[[], bytes]]],
        refuse: Callable[[str], None],
        trusted: bool,
        tables: Collection[str],
    ) -> Iterator[Entry]:
        """Bring a dump back into a new or an empty database; yields each member once it is in.

        Nothing outside that database is changed, whatever the dump says. ``refuse`` is called with
        a sentence for each statement that did not come back. ``trusted`` says whether the dump may
        make users and act as others. With ``tables`` only these come back, with their keys and
        triggers, and members that hold nothing of them are not read. Raises ``SettingError`` for
        an engine that cannot do that.
        """
