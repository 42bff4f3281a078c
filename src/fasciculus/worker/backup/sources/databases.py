"""The databases of a subject, from a host into the bundle."""

from __future__ import annotations

import os
import time
from collections.abc import Callable
from contextlib import closing, suppress

from msgspec.structs import replace

from ....contracts.orders import BackupOrder
from ....core.bundle.listing import read_lines
from ....core.bundle.writer import BundleWriter
from ....core.dump.sql.spread_changes import with_small_members
from ....core.errors import DamagedError
from ....databases import ENGINES, server_engines
from ....databases.base import DatabaseAccess, DatabaseRef, FileMember, SqlMember
from ....hosts.base import HostConnection
from ....hosts.local import LocalFile
from ...database_access import database_access
from .files import WHOLE, FileSource, made_up


class DatabaseSource:
    """Dumps the databases of one subject.

    ``file_source`` knows the previous bundle, and receives the results.
    """

    def __init__(
        self,
        order: BackupOrder,
        host: HostConnection,
        writer: BundleWriter,
        file_source: FileSource,
        warn: Callable[[str], None],
        seen: Callable[[int, int], None],
    ) -> None:
        self._order, self._host, self._writer, self._file_source = order, host, writer, file_source
        self._warn, self._seen = warn, seen
        self._spread: frozenset[str] | None = None

    def run(self) -> None:
        """Dump them all, in the order of their folders."""
        databases = list(self._order.databases)
        if self._order.all_databases:
            databases += self._on_servers()
        for database in sorted(databases, key=lambda d: ENGINES.get(d.engine).folder(d)):
            self._dump(database)

    def _access(self, engine: str) -> DatabaseAccess:
        order = self._order
        return database_access(engine, order.host, self._host, order.subject.root, order.spool)

    def _on_servers(self) -> list[DatabaseRef]:
        """Return every database of the host's servers; all their users go in at once."""
        found: list[DatabaseRef] = []
        for engine in server_engines():
            if engine.name not in self._order.host.servers:
                continue
            access = self._access(engine.name)
            found += [
                database
                for database in engine.discover(access, [])
                if self._order.database_rules.wants(database.name)
            ]
            for member in engine.shared(access):
                self._add(member, time.time_ns())
        return found

    def _dump(self, database: DatabaseRef) -> None:
        engine = ENGINES.get(database.engine)
        access = self._access(database.engine)
        small = self._small_members(engine.folder(database))
        rules = replace(self._order.database_rules, small_members=small)
        dump = engine.dump(access, database, rules)
        moment = time.time_ns()
        for member in dump:
            if isinstance(member, FileMember):
                self._add_file(member)
            else:
                self._add(member, moment)
        for warning in dump.warnings:
            self._warn(warning)
        self._file_source.result.databases.append(dump.record())

    def _small_members(self, folder: str) -> frozenset[str]:
        """Return the tables of a database whose rows should be stored in small members."""
        if self._spread is None:
            self._spread = frozenset()
            if self._order.before:
                # Without it, or with one that is damaged, nothing is known.
                with suppress(OSError, DamagedError), open(self._order.before, "rb") as raw:
                    self._spread = with_small_members(read_lines(raw))
        start = f"{folder}/"
        return frozenset(
            name.removeprefix(start) for name in self._spread if name.startswith(start)
        )

    def _add(self, member: SqlMember, moment: int) -> None:
        self._writer.add(made_up("databases", member.path, moment), member.data)
        self._seen(1, len(member.data))

    def _add_file(self, member: FileMember) -> None:
        entry = member.entry
        if entry.size <= WHOLE:
            self._writer.add(entry, member.copy.read_bytes())
        else:
            descriptor = os.open(member.copy, os.O_RDONLY | os.O_CLOEXEC)
            with closing(LocalFile(descriptor, entry.size)) as stream:
                if not self._file_source.held(entry, stream):
                    self._writer.add_stream(entry, stream, self._warn)
        self._seen(1, entry.size)
