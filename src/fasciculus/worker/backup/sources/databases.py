"""The databases of a subject, from a host into the packer."""

from __future__ import annotations

import os
import time
from collections.abc import Callable
from pathlib import Path

from ....core.bundle.manifest import DatabaseRecord
from ....core.bundle.writer import BundleWriter
from ....core.dump.mariadb import Dump, safe_file, users
from ....core.errors import FasciculusError
from ....hosts.base import HostConnection
from ....hosts.local import LocalFile
from ...orders import BundleOrder, DatabaseOrder
from .files import WHOLE, FileSource, made_up

_SERVERS_OWN = frozenset(["information_schema", "performance_schema", "mysql", "sys"])


class DatabaseSource:
    """Takes the databases of one subject. ``gatherer`` knows the bundle before, and is told what
    was found.
    """

    def __init__(
        self,
        order: BundleOrder,
        host: HostConnection,
        writer: BundleWriter,
        file_source: FileSource,
        warn: Callable[[str], None],
        seen: Callable[[int, int], None],
    ) -> None:
        self._order, self._host, self._writer, self._file_source = order, host, writer, file_source
        self._warn, self._seen = warn, seen
        self._root = os.fsencode(order.subject.root)
        self._gathered = file_source.result

    def run(self) -> None:
        if self._order.all_databases:
            self._all_databases()
        ordered = sorted(self._order.databases, key=member_folder)
        for database in ordered:
            if database.engine == "mariadb":
                self._mariadb(database)
            else:
                self._sqlite(database)

    def _mariadb(self, database: DatabaseOrder) -> None:
        assert self._order.mariadb is not None
        folder = member_folder(database)
        with self._host.mariadb(self._order.mariadb.spec()) as server:
            dump = Dump(server, database.name, self._order.database_rules.of(database.name))
            moment = time.time_ns()
            for member in dump:
                path = f"{folder}/{member.name}".encode()
                entry = made_up("databases", path, moment)
                self._writer.add(entry, member.data)
                self._seen(1, len(member.data))
        for note in dump.done.notes:
            self._warn(note)
        self._gathered.databases.append(
            DatabaseRecord(
                "mariadb",
                database.name,
                dump.done.server_version,
                dump.done.character_set,
                folder,
                tables=dump.done.tables,
            )
        )

    def _all_databases(self) -> None:
        """Every database of the host's server, and all its users in a member of their own."""
        assert self._order.mariadb is not None
        with self._host.mariadb(self._order.mariadb.spec()) as server:
            found = [
                (row[0] or b"").decode()
                for row in server.rows(
                    "SELECT schema_name FROM information_schema.schemata ORDER BY schema_name"
                )
            ]
            names = [
                (str((row[0] or b"").decode()), str((row[1] or b"").decode()))
                for row in server.rows(
                    "SELECT user, host FROM mysql.user WHERE user <> '' AND user <> "
                    "'mariadb.sys' ORDER BY 1, 2"
                )
            ]
            everybody = b"".join(users(server, names))
        self._order.databases += [
            DatabaseOrder(engine="mariadb", name=name)
            for name in found
            if name not in _SERVERS_OWN and self._order.database_rules.wants(name)
        ]
        self._writer.add(made_up("databases", b"mariadb/%users.sql", time.time_ns()), everybody)
        self._seen(1, len(everybody))

    def _sqlite(self, database: DatabaseOrder) -> None:
        source = self._root + b"/" + os.fsencode(database.path)
        folder = member_folder(database)
        copy = Path(self._order.spool) / "database.sqlite"
        try:
            tables = self._host.copy_sqlite(source, copy)
            entry = self._host.describe(source, "databases", os.fsencode(folder), self._warn)
            if entry is None:
                raise FasciculusError(
                    f"The SQLite database {database.path} vanished while it was copied."
                )
            entry.origin = os.fsencode(database.path)
            entry.size = copy.stat().st_size
            if entry.size <= WHOLE:
                self._writer.add(entry, copy.read_bytes())
            else:
                with LocalFile(str(copy)) as stream:
                    if not self._file_source.held(entry, stream):
                        self._writer.add_stream(entry, stream, self._warn)
            self._seen(1, entry.size)
        finally:
            copy.unlink(missing_ok=True)
        self._gathered.databases.append(
            DatabaseRecord(
                "sqlite",
                database.name,
                folder=folder,
                origin=database.path,
                tables=tables,
            )
        )


def member_folder(database: DatabaseOrder) -> str:
    """Where a database's members lie below ``databases/``."""
    if database.engine == "sqlite":
        return f"sqlite/{database.path}"
    return f"mariadb/{safe_file(database.name)}"
