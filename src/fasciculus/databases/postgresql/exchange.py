"""Exchanging a PostgreSQL database, or the rows of some tables, for those of a bundle.

Next to the database there are then up to three others, whose names begin with the prefix of the
exchange: ``new`` has the loaded database, ``old`` the one that was set aside, ``undone`` the one
that an undo has removed. A whole database is exchanged by renaming; of some tables the rows are
exchanged in one transaction, and ``old`` has the tables as they were.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Collection, Iterator, Mapping
from contextlib import contextmanager, suppress
from functools import partial
from pathlib import Path

import msgspec

from ...core.bundle.entry import Entry
from ...core.bundle.manifest import DatabaseRecord
from ...core.dump.postgresql import script
from ...core.dump.postgresql.dialect import OWNERS, ROLES, quote_name
from ...core.errors import FasciculusError, SettingError, UnreachableError
from ...core.rewriting.texts import Texts
from ..base import EXCHANGE_PREFIX, DatabaseAccess, DatabaseTable, Exchange
from ..rewriting import RewrittenColumn
from ..server_access import for_restoring
from . import tables
from .loading import acting_role, is_superuser, loading_role
from .renamed_roles import new_names, renamed
from .restoring import make_database, restored
from .rewriting import rewrite
from .server import PostgreSqlConnection, opened

NEW, OLD, UNDONE, PART = "new", "old", "undone", "part"
_SECONDS = 20.0


class PostgreSqlExchange:
    """The exchange of databases on a PostgreSQL server."""

    def is_in_script(self, record: DatabaseRecord, member: str, tables: Collection[str]) -> bool:
        """Return whether a member is part of the database, or of some tables, as one SQL file."""
        return script.is_in_script(member, tables, record.shortened)

    def script_part(self, member: str, data: bytes, tables: Collection[str]) -> bytes:
        """Return what of a member is part of that file."""
        return script.script_part(member, data, tables)

    def present(self, access: DatabaseAccess, name: str) -> list[DatabaseTable] | None:
        """Return the present tables with their rows and bytes; None if there is no database."""
        own = for_restoring(access)
        with opened(own) as server:
            if not _exists(server, name):
                return None
        with opened(own, name) as server:
            sizes = tables.sizes(server)
            return [
                DatabaseTable(called, tables.count(server, sql), sizes.get(called, 0))
                for called, sql in tables.names(server).items()
            ]

    def data_folder(self, access: DatabaseAccess) -> str:
        """Return the folder of the server's data, if it is reached by a socket of the host."""
        settings = access.server.settings if access.server is not None else None
        if not getattr(settings, "socket", ""):
            return ""
        with opened(for_restoring(access)) as server, suppress(FasciculusError):
            return str(server.rows("SHOW data_directory")[0][0])
        return ""

    def stage(
        self,
        access: DatabaseAccess,
        exchange: Exchange,
        record: DatabaseRecord,
        members: Iterator[tuple[Entry, Callable[[], bytes]]],
        refuse: Callable[[str], None],
        folder: Path,
    ) -> Iterator[Entry]:
        """Load the tables next to the database and count them, and complete ``exchange``."""
        folder.mkdir(parents=True)
        own, scratch = for_restoring(access), exchange.scratch(NEW)
        with opened(own) as server:
            exchange.existed = _exists(server, exchange.name)
            owner = _owner(server, exchange.name) if exchange.existed else ""
        given = _under_new_names(members, exchange)
        yield from restored(
            access, record, scratch, given, refuse, exchange.trusted, exchange.tables, owner
        )
        there = self.present(access, exchange.name) or []
        known = {row.name for row in there}
        with opened(own, scratch) as server:
            for called, sql in tables.names(server).items():
                if called in known and (exchange.keep or called not in record.tables):
                    continue
                exchange.loaded[called] = tables.checksum(server, sql)
                wanted, rows = record.tables.get(called), tables.count(server, sql)
                if wanted is not None and rows != wanted:
                    refuse(f"table {called} has {rows:,} of {wanted:,} rows after loading")

    def rename_users(
        self,
        access: DatabaseAccess,
        exchange: Exchange,
        record: DatabaseRecord,
        members: Iterator[tuple[Entry, Callable[[], bytes]]],
        rename: Callable[[str], str],
    ) -> dict[str, str]:
        """Complete ``exchange`` with the roles of a new database under their new names."""
        for entry, read in members:
            if entry.text.rpartition("/")[2] == ROLES:
                names = new_names(read(), rename)
                with opened(for_restoring(access)) as server:
                    _check_new(server, names.values())
                exchange.users_member = msgspec.json.encode(names)
                exchange.users = list(names.values())
                return names
        return {}

    def rewrite(
        self, access: DatabaseAccess, exchange: Exchange, texts: Mapping[str, str], folder: Path
    ) -> list[RewrittenColumn]:
        """Exchange texts in the rows that were loaded, before they are in use."""
        own, scratch = for_restoring(access), exchange.scratch(NEW)
        with opened(own, scratch) as admin:
            known = tables.names(admin)
            with _scratch_role(own, admin, scratch, known) as server:
                found = list(
                    rewrite(server, exchange.name, known.values(), Texts(texts), list(texts))
                )
            for called in exchange.loaded:
                exchange.loaded[called] = tables.checksum(admin, known[called])
        return found

    def run(
        self,
        access: DatabaseAccess,
        exchange: Exchange,
        refuse: Callable[[str], None],
        folder: Path,
    ) -> None:
        """Exchange the database, or rows of tables, for those loaded."""
        own = for_restoring(access)
        with opened(own) as server:
            new, old = exchange.scratch(NEW), exchange.scratch(OLD)
            if not _exists(server, new):
                return
            if exchange.existed and (exchange.tables or exchange.keep):
                _Part(own, server, exchange, refuse).run()
                _drop(server, new)
                return
            if _exists(server, exchange.name) and not _exists(server, old):
                _carry(own, exchange, refuse)
                _rename(server, exchange.name, old)
            _rename(server, new, exchange.name)

    def changed(self, access: DatabaseAccess, exchange: Exchange) -> list[str]:
        """Return the tables that differ from those that were put there."""
        own = for_restoring(access)
        with opened(own) as server:
            if not _exists(server, exchange.name):
                return []
        with opened(own, exchange.name) as server:
            known = tables.names(server)
            return [
                called
                for called, checksum in exchange.loaded.items()
                if checksum and tables.checksum(server, known.get(called, called)) != checksum
            ]

    def undo(
        self,
        access: DatabaseAccess,
        exchange: Exchange,
        refuse: Callable[[str], None],
        folder: Path,
    ) -> None:
        """Put back what was there before; what is there now is set aside in its turn."""
        own, name = for_restoring(access), exchange.name
        with opened(own) as server:
            old, undone = exchange.scratch(OLD), exchange.scratch(UNDONE)
            if exchange.existed and (exchange.tables or exchange.keep):
                if _exists(server, old):
                    _Part(own, server, exchange, refuse).undo()
                return
            if exchange.existed and not _exists(server, old):
                # Nothing of this database was exchanged.
                return
            if _exists(server, name) and not _exists(server, undone):
                _rename(server, name, undone)
            if exchange.existed:
                _rename(server, old, name)
            elif exchange.users:
                _drop_users(own, server, undone, exchange.users)

    def drop(self, access: DatabaseAccess, prefix: str) -> None:
        """Remove everything loaded or set aside under a prefix."""
        with opened(for_restoring(access)) as server:
            for kind in (NEW, OLD, UNDONE, PART):
                _drop(server, f"{prefix}_{kind}")

    def drop_all(self, access: DatabaseAccess, start: str) -> None:
        """Remove everything under the prefixes that have this start."""
        with opened(for_restoring(access)) as server:
            for (name,) in server.rows("SELECT datname FROM pg_catalog.pg_database"):
                if start.startswith(EXCHANGE_PREFIX) and str(name).startswith(start):
                    _drop(server, str(name))


class _Part:
    """The exchange of some tables of a database in use."""

    def __init__(
        self,
        access: DatabaseAccess,
        server: PostgreSqlConnection,
        exchange: Exchange,
        refuse: Callable[[str], None],
    ) -> None:
        self._access, self._server = access, server
        self._exchange, self._refuse = exchange, refuse

    def run(self) -> None:
        """Keep the tables as they are in a database of their own, then exchange the rows."""
        exchange, server = self._exchange, self._server
        new, old, part = (exchange.scratch(kind) for kind in (NEW, OLD, PART))
        with opened(self._access, exchange.name) as admin:
            here = tables.names(admin)
            chosen = [name for name in exchange.loaded if name in here]
            missing = [name for name in exchange.loaded if name not in here]
            if not _exists(server, old):
                self._keep(chosen, part, old)
            self._put(admin, new, [here[name] for name in chosen], missing)

    def _keep(self, chosen: Collection[str], part: str, old: str) -> None:
        server, name = self._server, self._exchange.name
        _drop(server, part)
        ((encoding,),) = server.rows(
            "SELECT pg_catalog.pg_encoding_to_char(encoding) FROM pg_catalog.pg_database WHERE "
            "datname = %s",
            name,
        )
        make_database(server, part, DatabaseRecord("postgresql", part, "", str(encoding)), print)
        with opened(self._access, part) as admin, loading_role(self._access, admin, part) as own:
            tables.copy_structure(self._access, name, own, chosen, self._refuse)
        _rename(server, part, old)

    def _put(
        self,
        admin: PostgreSqlConnection,
        source: str,
        chosen: Collection[str],
        missing: Collection[str],
    ) -> None:
        name, access = self._exchange.name, self._access
        heir = _owner(self._server, name)
        called = [c for c, sql in tables.names(admin).items() if sql in chosen]
        owners = {*tables.owners(admin, called).values(), *([heir] if missing else [])}
        with acting_role(access, admin, name, owners, heir) as server:
            with opened(access, source) as other:
                tables.ReplacedRows(server, self._refuse).run(other, chosen)
            tables.copy_tables(access, source, server, missing, self._refuse)

    def undo(self) -> None:
        """Put the rows back as they were, and drop the tables that were not there."""
        exchange, server = self._exchange, self._server
        old, undone = exchange.scratch(OLD), exchange.scratch(UNDONE)
        with opened(self._access, old) as before:
            known = tables.names(before)
        with opened(self._access, exchange.name) as admin:
            here = tables.names(admin)
            if not _exists(server, undone):
                present = [name for name in exchange.loaded if name in here]
                self._keep(present, exchange.scratch(PART), undone)
            chosen = [here[name] for name in exchange.loaded if name in known and name in here]
            gone = [name for name in known if name not in here]
            self._put(admin, old, chosen, gone)
            for name in exchange.loaded:
                if name not in known and name in here:
                    admin.rows(f"DROP TABLE {here[name]}")
        _drop(server, old)


def _exists(server: PostgreSqlConnection, name: str) -> bool:
    return bool(server.rows("SELECT FROM pg_catalog.pg_database WHERE datname = %s", name))


def _owner(server: PostgreSqlConnection, name: str) -> str:
    ((owner,),) = server.rows(
        "SELECT pg_catalog.pg_get_userbyid(datdba) FROM pg_catalog.pg_database WHERE datname = %s",
        name,
    )
    return str(owner)


def _check_new(server: PostgreSqlConnection, names: Collection[str]) -> None:
    for name in names:
        if server.rows("SELECT FROM pg_catalog.pg_roles WHERE rolname = %s", name):
            raise SettingError(
                f"There is a database user “{name}” already.",
                "Choose another name for the user of the copy.",
                field="user_names",
            )


def _under_new_names(
    members: Iterator[tuple[Entry, Callable[[], bytes]]], exchange: Exchange
) -> Iterator[tuple[Entry, Callable[[], bytes]]]:
    names = msgspec.json.decode(exchange.users_member or b"{}", type=dict[str, str])
    for entry, read in members:
        if names and entry.text.rpartition("/")[2] in (ROLES, OWNERS):
            yield entry, partial(_renamed_member, read, names)
        else:
            yield entry, read


def _renamed_member(read: Callable[[], bytes], names: dict[str, str]) -> bytes:
    return renamed(read(), names)


def _carry(access: DatabaseAccess, exchange: Exchange, refuse: Callable[[str], None]) -> None:
    """Take over into the new database what stays: tables that the bundle does not have, and rows
    of tables of which it has only the structure.
    """
    new = exchange.scratch(NEW)
    with opened(access, exchange.name) as live, opened(access, new) as admin:
        here, there = tables.names(live), tables.names(admin)
        rows = [there[name] for name in there if name in here and name not in exchange.loaded]
        extra = [name for name in here if name not in there and name not in exchange.extra]
        if not rows and not extra:
            return
        chosen = [name for name in there if there[name] in rows]
        with _scratch_role(access, admin, new, chosen) as server:
            tables.ReplacedRows(server, refuse).run(live, rows)
            tables.copy_tables(access, exchange.name, server, extra, refuse)


@contextmanager
def _scratch_role(
    access: DatabaseAccess, admin: PostgreSqlConnection, database: str, chosen: Collection[str]
) -> Iterator[PostgreSqlConnection]:
    """Give a connection that may change tables of a database that is not in use yet; for that
    time, those of superusers belong to its role.
    """
    heir, known = _owner(admin, database), tables.names(admin)
    owners = tables.owners(admin, chosen)
    plain = {name for name in {*owners.values(), heir} if not is_superuser(admin, name)}
    changed = {name: own for name, own in owners.items() if own not in plain}
    with acting_role(access, admin, database, plain, heir) as server:
        ((role,),) = server.rows("SELECT current_user")
        try:
            for name in changed:
                admin.rows(f"ALTER TABLE {known[name]} OWNER TO {quote_name(str(role))}")
            yield server
        finally:
            for name, own in changed.items():
                admin.rows(f"ALTER TABLE {known[name]} OWNER TO {quote_name(own)}")


def _rename(server: PostgreSqlConnection, name: str, new: str) -> None:
    """Rename a database, once nobody is connected to it."""
    called = quote_name(name)
    server.rows(f"ALTER DATABASE {called} WITH ALLOW_CONNECTIONS false")
    try:
        _disconnect(server, name)
        server.rows(f"ALTER DATABASE {called} RENAME TO {quote_name(new)}")
        called = quote_name(new)
    finally:
        server.rows(f"ALTER DATABASE {called} WITH ALLOW_CONNECTIONS true")


def _disconnect(server: PostgreSqlConnection, name: str) -> None:
    deadline = time.monotonic() + _SECONDS
    while server.rows(
        "SELECT pg_catalog.pg_terminate_backend(pid) FROM pg_catalog.pg_stat_activity WHERE "
        "datname = %s",
        name,
    ):
        if time.monotonic() > deadline:
            raise UnreachableError(
                f"Database {name} is still in use.", "End its connections, and try again."
            )
        time.sleep(0.05)


def _drop(server: PostgreSqlConnection, name: str) -> None:
    if _exists(server, name):
        server.rows(f"ALTER DATABASE {quote_name(name)} WITH ALLOW_CONNECTIONS false")
        _disconnect(server, name)
        server.rows(f"DROP DATABASE IF EXISTS {quote_name(name)}")


def _drop_users(
    access: DatabaseAccess, server: PostgreSqlConnection, database: str, users: Collection[str]
) -> None:
    """Drop the roles of a copy, which own nothing but the copy."""
    ((own,),) = server.rows("SELECT current_user")
    with opened(access, database) as admin:
        for user in users:
            for words in (
                f"REASSIGN OWNED BY {quote_name(user)} TO {quote_name(str(own))}",
                f"DROP OWNED BY {quote_name(user)}",
                f"DROP ROLE {quote_name(user)}",
            ):
                with suppress(FasciculusError):
                    admin.rows(words)
