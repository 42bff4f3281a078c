"""SQLite: one consistent copy of each database file."""

from __future__ import annotations

import os
import shlex
from collections.abc import Callable, Collection, Iterable, Iterator
from contextlib import closing

from ...core.bundle.entry import Entry
from ...core.bundle.manifest import DatabaseRecord
from ...core.dump.filters import DatabaseRules
from ...core.errors import FasciculusError, MissingError, SettingError
from ...kinds import Secrets, Settings
from ..base import (
    DatabaseAccess,
    DatabaseHost,
    DatabaseRef,
    DatabaseTable,
    Exchanging,
    FileMember,
    Rights,
    SqlMember,
)
from .copy import copy_database

_NAME = "sqlite"
_SIDES = ("", "-wal", "-shm", "-journal")
_HEAD = b"SQLite format 3\0"
_FILE_NAMES = ("*.sqlite", "*.sqlite3", "*.db", "*.db3")
_FIND_SECONDS = 300.0


class SqliteDump:
    """A copy of one database file."""

    def __init__(self, access: DatabaseAccess, database: DatabaseRef) -> None:
        self._access, self._database = access, database
        self._tables: dict[str, int] = {}
        self.warnings: list[str] = []

    def __iter__(self) -> Iterator[FileMember]:
        access, path = self._access, self._database.path
        source = os.fsencode(os.path.join(access.root, path))
        copy = access.spool / "database.sqlite"
        try:
            self._tables = copy_database(access.host, source, copy, access.root)
            folder = os.fsencode(ENGINE.folder(self._database))
            entry = access.host.describe(source, "databases", folder, self.warnings.append)
            if entry is None:
                raise FasciculusError(f"The SQLite database {path} vanished while it was copied.")
            entry.origin = os.fsencode(path)
            entry.size = copy.stat().st_size
            yield FileMember(entry, copy)
        finally:
            copy.unlink(missing_ok=True)

    def record(self) -> DatabaseRecord:
        """Return the database record for the manifest."""
        database = self._database
        return DatabaseRecord(
            _NAME,
            database.name,
            folder=ENGINE.folder(database),
            origin=database.path,
            tables=self._tables,
        )


class SqliteEngine:
    """SQLite files of an account."""

    name, title = _NAME, "SQLite"
    settings: type[Settings] | None = None
    secrets: type[Secrets] = Secrets
    exchanging: Exchanging | None = None

    def propose(self, host: DatabaseHost) -> list[Settings]:
        """Return no settings."""
        return []

    def check(self, access: DatabaseAccess, databases: Iterable[DatabaseRef]) -> None:
        """Raise an error for databases that cannot be dumped."""
        for database in databases:
            path = os.path.join(access.root, database.path)
            if access.host.type_of(path) != "file":
                raise MissingError(
                    f"The SQLite database {path} does not exist.",
                    "Correct its path, or remove it from the account.",
                )

    def version(self, access: DatabaseAccess) -> str:
        """Return no version."""
        return ""

    def rights(self, access: DatabaseAccess) -> list[Rights]:
        """Return no missing rights."""
        return []

    def hidden(self, access: DatabaseAccess) -> str:
        """Return that nothing is hidden."""
        return ""

    def discover(self, access: DatabaseAccess, homes: list[str]) -> list[DatabaseRef]:
        """SQLite files below the homes: by their names, and by how they begin."""
        if not homes:
            return []
        names = " -o ".join(f"-name {shlex.quote(name)}" for name in _FILE_NAMES)
        folders = " ".join(shlex.quote(home) for home in homes)
        ran = access.host.run(
            f"find {folders} -xdev -type f -size +0 \\( {names} \\) -print0 2>/dev/null",
            _FIND_SECONDS,
            limit=64 << 20,
        )
        found = []
        for path in filter(None, ran.output.split(b"\0")):
            try:
                with closing(access.host.open(path)) as file:
                    if file.read(16) == _HEAD:
                        found.append(os.fsdecode(path))
            except OSError:
                continue
        return [DatabaseRef(_NAME, os.path.basename(path), path) for path in found]

    def grants(self, access: DatabaseAccess) -> dict[str, set[str]]:
        """Return no grants."""
        return {}

    def folder(self, database: DatabaseRef) -> str:
        """Return the folder of a database in a bundle."""
        return f"{_NAME}/{database.path}"

    def files(self, database: DatabaseRef) -> list[str]:
        """Return the database file and its side files."""
        return [database.path + side for side in _SIDES]

    def dump(
        self, access: DatabaseAccess, database: DatabaseRef, rules: DatabaseRules
    ) -> SqliteDump:
        """Return the dump of a database."""
        return SqliteDump(access, database)

    def shared(self, access: DatabaseAccess) -> list[SqlMember]:
        """Return no member."""
        return []

    def tables(
        self, record: DatabaseRecord, members: Iterable[tuple[str, int]]
    ) -> list[DatabaseTable]:
        """Return the tables of a database with rows and sizes."""
        # One file: how much of it is whose, only SQLite could say.
        return [DatabaseTable(name, rows, 0) for name, rows in sorted(record.tables.items())]

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
        """Raise an error: SQLite databases are restored as files."""
        raise SettingError(
            f"“{record.name}” is an SQLite database, which comes back as a file.",
            "Restore it with the files, or name its path.",
            field="databases",
        )


ENGINE = SqliteEngine()
