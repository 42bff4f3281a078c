"""Exchanging the tables of a MariaDB database for those of a bundle, by renames.

Next to the database there are then up to four others, whose names begin with the prefix of the
exchange: ``new`` has the loaded tables, ``old`` those set aside, ``late`` tables that someone
created between two steps, ``undone`` those that an undo has removed. Views, triggers, routines and
events cannot be renamed into another database: they are kept as SQL in the folder of the exchange,
dropped, and created again.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Iterator, Mapping
from contextlib import suppress
from pathlib import Path

from msgspec.structs import replace

from ...core.bundle.entry import Entry
from ...core.bundle.manifest import DatabaseRecord
from ...core.dump.mariadb import script
from ...core.dump.mariadb.dialect import USERS
from ...core.dump.mariadb.literals import quote_name
from ...core.dump.mariadb.references import corrections
from ...core.dump.mariadb.renamed_users import RenamedUsers
from ...core.dump.sql.members import text
from ...core.errors import SettingError, StatementError
from ...core.rewriting.texts import Texts
from ..base import EXCHANGE_PREFIX, DatabaseAccess, DatabaseTable, Exchange
from ..rewriting import RewrittenColumn
from ..server_access import for_restoring
from .loading import loading_user
from .objects import check_objects, drop_objects, letters, save_objects
from .restoring import load_member, restored
from .rewriting import rewrite
from .server import MariaDbConnection, opened

NEW, OLD, LATE, UNDONE = "new", "old", "late", "undone"
#: Holds the statement that makes a dropped foreign key again.
_KEYS = "dropped-key.sql"
_EVENTS = "93000-events.sql"
#: Members that are loaded after the exchange: events would run before, users name the database.
_AFTERWARDS = (_EVENTS, USERS)
#: How long a rename waits for those who use a table, in seconds.
_WAIT = 120


class MariaDbExchange:
    """The exchange of databases on a MariaDB or MySQL server."""

    def is_in_script(self, record: DatabaseRecord, member: str, tables: Collection[str]) -> bool:
        """Return whether a member is part of the database, or of some tables, as one SQL file."""
        return script.is_in_script(member, tables, record.shortened)

    def script_part(self, member: str, data: bytes, tables: Collection[str]) -> bytes:
        """Return what of a member is part of that file."""
        return script.script_part(member, data, tables)

    def present(self, access: DatabaseAccess, name: str) -> list[DatabaseTable] | None:
        """Return the present tables with their rows and bytes; None if there is no database."""
        with opened(for_restoring(access)) as server:
            if not _exists(server, name):
                return None
            return [
                DatabaseTable(table, _rows(server, name, table, kind), size)
                for table, kind, size in _tables(server, name)
                if kind != "SEQUENCE"
            ]

    def data_folder(self, access: DatabaseAccess) -> str:
        """Return the folder of the server's data, if it is reached by a socket of the host."""
        settings = access.server.settings if access.server is not None else None
        if not getattr(settings, "socket", ""):
            return ""
        with opened(for_restoring(access)) as server:
            return text(server.rows("SELECT @@datadir")[0][0])

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
        (folder / NEW).mkdir(parents=True)
        scratch = exchange.scratch(NEW)
        kept = _loaded_now(members, folder / NEW, bool(exchange.tables))
        yield from restored(
            access, record, scratch, kept, refuse, exchange.trusted, exchange.tables
        )
        with opened(for_restoring(access)) as server:
            exchange.existed = _exists(server, exchange.name)
            if exchange.existed:
                hidden, _ = check_objects(server, exchange.name, exchange.tables)
                for note in hidden:
                    refuse(f"it could not be undone: {note}")
            there = _names(server, exchange.name)
            for table, kind, _ in _tables(server, scratch):
                if _stays(exchange, record, table, kind, there):
                    _drop_table(server, scratch, table, kind)
                    continue
                exchange.loaded[table] = _checksum(server, scratch, table)
                wanted, rows = record.tables.get(table), _rows(server, scratch, table, kind)
                if wanted is not None and rows != wanted and kind == "BASE TABLE":
                    refuse(f"table {table} has {rows:,} of {wanted:,} rows after loading")

    def rename_users(
        self,
        access: DatabaseAccess,
        exchange: Exchange,
        record: DatabaseRecord,
        members: Iterator[tuple[Entry, Callable[[], bytes]]],
        rename: Callable[[str], str],
    ) -> dict[str, str]:
        """Complete ``exchange`` with the users of a new database under their new names."""
        for entry, read in members:
            if entry.text.rpartition("/")[2] == USERS:
                users = RenamedUsers(read(), record.name, exchange.name, rename)
                with opened(for_restoring(access)) as server:
                    _check_new(server, users.names.values())
                exchange.users_member, exchange.users = users.member, users.users
                return users.names
        return {}

    def rewrite(
        self, access: DatabaseAccess, exchange: Exchange, texts: Mapping[str, str], folder: Path
    ) -> list[RewrittenColumn]:
        """Exchange texts in the rows that were loaded, before they are in use."""
        scratch = exchange.scratch(NEW)
        with opened(for_restoring(access)) as server:
            # Triggers would run; they are created again after the exchange.
            save_objects(server, scratch, exchange.tables, folder / NEW)
            drop_objects(server, scratch, exchange.tables)
            found = list(rewrite(server, scratch, Texts(texts), list(texts)))
            for table in exchange.loaded:
                exchange.loaded[table] = _checksum(server, scratch, table)
        return [replace(row, database=exchange.name) for row in found]

    def run(
        self,
        access: DatabaseAccess,
        exchange: Exchange,
        refuse: Callable[[str], None],
        folder: Path,
    ) -> None:
        """Exchange the tables for those loaded, and make the views, triggers and so on again."""
        name, own = exchange.name, for_restoring(access)
        new, old, late = (exchange.scratch(kind) for kind in (NEW, OLD, LATE))
        with opened(own) as server:
            if _exists(server, new):
                _prepare(server)
                _keep_keys(server, folder)
                _create(server, name, new)
                _create(server, old, name)
                save_objects(server, name, exchange.tables, folder / OLD)
                save_objects(server, new, exchange.tables, folder / NEW)
                drop_objects(server, name, exchange.tables)
                drop_objects(server, new, exchange.tables)
                _forward(server, exchange, old, late)
                _correct(server, exchange, (name, old, late), folder)
            else:
                drop_objects(server, name, exchange.tables)
            _like(server, name, folder / NEW)
            _load_objects(own, server, exchange, folder / NEW, refuse, exchange.trusted)
            if not exchange.all_objects:
                # What the bundle has none of stays; the others are there already.
                _load_objects(own, server, exchange, folder / OLD, lambda why: None, True)
            users = folder / NEW / USERS
            if not exchange.existed and exchange.trusted and exchange.users_member:
                load_member(server, USERS, exchange.users_member, refuse)
            elif not exchange.existed and exchange.trusted and users.exists():
                load_member(server, USERS, users.read_bytes(), refuse)
            server.rows(f"DROP DATABASE IF EXISTS {quote_name(new)}")

    def changed(self, access: DatabaseAccess, exchange: Exchange) -> list[str]:
        """Return the tables that differ from those that were put there."""
        with opened(for_restoring(access)) as server:
            return [
                table
                for table, checksum in exchange.loaded.items()
                if checksum and _checksum(server, exchange.name, table) != checksum
            ]

    def undo(
        self,
        access: DatabaseAccess,
        exchange: Exchange,
        refuse: Callable[[str], None],
        folder: Path,
    ) -> None:
        """Put back what was there before; what is there now is set aside in its turn."""
        name, own = exchange.name, for_restoring(access)
        old, undone = exchange.scratch(OLD), exchange.scratch(UNDONE)
        with opened(own) as server:
            if not _exists(server, old):
                # Nothing of this database was exchanged.
                return
            _prepare(server)
            _keep_keys(server, folder)
            _create(server, undone, name)
            drop_objects(server, name, exchange.tables)
            _backward(server, exchange, old, undone)
            _correct(server, exchange, (name, undone), folder)
            _like(server, name, folder / OLD)
            _load_objects(own, server, exchange, folder / OLD, refuse, True)
            if not exchange.existed and not _tables(server, name):
                server.rows(f"DROP DATABASE {quote_name(name)}")
                for user in exchange.users:
                    server.rows(f"DROP USER IF EXISTS {user}")

    def drop(self, access: DatabaseAccess, prefix: str) -> None:
        """Remove everything loaded or set aside under a prefix."""
        with opened(for_restoring(access)) as server:
            for kind in (NEW, OLD, LATE, UNDONE):
                server.rows(f"DROP DATABASE IF EXISTS {quote_name(f'{prefix}_{kind}')}")

    def drop_all(self, access: DatabaseAccess, start: str) -> None:
        """Remove everything under the prefixes that have this start."""
        with opened(for_restoring(access)) as server:
            for (name,) in server.rows("SELECT schema_name FROM information_schema.schemata"):
                if start.startswith(EXCHANGE_PREFIX) and text(name).startswith(start):
                    server.rows(f"DROP DATABASE {quote_name(text(name))}")


def _check_new(server: MariaDbConnection, names: Iterable[str]) -> None:
    """Check that no user has one of the names. Raises ``SettingError``."""
    for name in names:
        if server.rows("SELECT 1 FROM mysql.user WHERE user=%s LIMIT 1", name):
            raise SettingError(
                f"There is a database user “{name}” already.",
                "Choose another name for the user of the copy.",
                field="user_names",
            )


# Tables ------------------------------------------------------------------------------


def _exists(server: MariaDbConnection, name: str) -> bool:
    found = "SELECT count(*) FROM information_schema.schemata WHERE schema_name=%s"
    return server.rows(found, name)[0][0] != b"0"


def _tables(server: MariaDbConnection, name: str) -> list[tuple[str, str, int]]:
    """Return the name, kind and bytes of each table and sequence of a database."""
    return [
        (text(table), text(kind), int(size or 0))
        for table, kind, size in server.rows(
            "SELECT table_name, table_type, data_length+index_length FROM "
            "information_schema.tables WHERE table_schema=%s AND table_type IN "
            "('BASE TABLE', 'SYSTEM VERSIONED', 'SEQUENCE') ORDER BY table_name",
            name,
        )
    ]


def _names(server: MariaDbConnection, name: str) -> set[str]:
    return {table for table, *_ in _tables(server, name)}


def _whole(database: str, table: str) -> str:
    return f"{quote_name(database)}.{quote_name(table)}"


def _rows(server: MariaDbConnection, database: str, table: str, kind: str) -> int | None:
    if kind == "SEQUENCE":
        return None
    try:
        return int(server.rows(f"SELECT count(*) FROM {_whole(database, table)}")[0][0] or 0)
    except StatementError:
        return None


def _checksum(server: MariaDbConnection, database: str, table: str) -> str:
    """Return a checksum of a table's rows, empty if it has none or is not there."""
    rows = server.rows(f"CHECKSUM TABLE {_whole(database, table)} EXTENDED")
    return text(rows[0][1]) if rows else ""


def _stays(
    exchange: Exchange, record: DatabaseRecord, table: str, kind: str, there: Collection[str]
) -> bool:
    """Return whether a loaded table is not used: one of which the bundle has only the structure
    never takes the place of rows, nor a sequence that was not asked for.
    """
    if table not in there:
        return False
    if kind == "SEQUENCE":
        return exchange.keep or (bool(exchange.tables) and table not in exchange.tables)
    return exchange.keep or table not in record.tables


def _drop_table(server: MariaDbConnection, database: str, table: str, kind: str) -> None:
    server.rows("SET foreign_key_checks=0")
    word = "SEQUENCE" if kind == "SEQUENCE" else "TABLE"
    server.rows(f"DROP {word} {_whole(database, table)}")


def _prepare(server: MariaDbConnection) -> None:
    server.rows(f"SET foreign_key_checks=0, lock_wait_timeout={_WAIT}")
    server.rows("SET sql_mode='NO_AUTO_VALUE_ON_ZERO,ALLOW_INVALID_DATES', sql_quote_show_create=1")
    server.rows("SET time_zone='+00:00'")


def _create(server: MariaDbConnection, name: str, like: str) -> None:
    if not _exists(server, name):
        server.rows(f"CREATE DATABASE {quote_name(name)} {letters(server, like)}")


def _forward(server: MariaDbConnection, exchange: Exchange, old: str, late: str) -> None:
    """Rename all tables in one statement: those in use to ``old``, the loaded ones to their
    place.
    """
    name, new = exchange.name, exchange.scratch(NEW)
    there, loaded, aside = _names(server, name), _names(server, new), _names(server, old)
    moves = []
    for table in sorted(there & (loaded | {*exchange.extra})):
        if table not in aside:
            moves.append((name, table, old))
        elif table in loaded:
            # It was moved already, and someone has created another one.
            _create(server, late, name)
            moves.append((name, table, late))
    moves += [(new, table, name) for table in sorted(loaded)]
    _rename(server, moves)


def _backward(server: MariaDbConnection, exchange: Exchange, old: str, undone: str) -> None:
    name = exchange.name
    there, removed, aside = _names(server, name), _names(server, undone), _names(server, old)
    away = there & ({*exchange.loaded} | aside)
    moves = [(name, table, undone) for table in sorted(away - removed)]
    _rename(server, moves + [(old, table, name) for table in sorted(aside)])


def _rename(server: MariaDbConnection, moves: list[tuple[str, str, str]]) -> None:
    if moves:
        renames = (f"{_whole(at, table)} TO {_whole(to, table)}" for at, table, to in moves)
        server.rows(f"RENAME TABLE {', '.join(renames)}")


def _correct(
    server: MariaDbConnection, exchange: Exchange, databases: tuple[str, ...], folder: Path
) -> None:
    """Make the foreign keys and defaults of each database refer to tables in the same database: the
    server lets them follow a renamed table. A key cannot be dropped and made again in one
    statement: the second statement is kept in a file until it is done.
    """
    kept = folder / _KEYS
    ours = (exchange.name, *(exchange.scratch(kind) for kind in (NEW, OLD, LATE, UNDONE)))
    for database in databases:
        for table, kind, _ in _tables(server, database):
            if kind == "SEQUENCE":
                continue
            where = _whole(database, table)
            shown = server.rows(f"SHOW CREATE TABLE {where}")[0][1] or b""
            for first, second in corrections(shown, database, ours):
                again = b"ALTER TABLE %s %s" % (where.encode(), second)
                if first:
                    kept.write_bytes(again)
                    server.execute(b"ALTER TABLE %s %s" % (where.encode(), first))
                try:
                    server.execute(again)
                except StatementError:
                    if first or database == exchange.name:
                        raise
                    # A default of a sequence that was lost before: it stays as it was.
                kept.unlink(missing_ok=True)


def _keep_keys(server: MariaDbConnection, folder: Path) -> None:
    """Make a foreign key again that was dropped when the exchange was interrupted."""
    kept = folder / _KEYS
    if kept.exists():
        with suppress(StatementError):
            # It may be there already.
            server.execute(kept.read_bytes())
        kept.unlink()


# Views, triggers, routines, events ---------------------------------------------------


def _loaded_now(
    members: Iterator[tuple[Entry, Callable[[], bytes]]], folder: Path, only_tables: bool
) -> Iterator[tuple[Entry, Callable[[], bytes]]]:
    """Yield the members that are loaded at once; keep the others in a folder."""
    for entry, read in members:
        name = entry.text.rpartition("/")[2]
        if name not in _AFTERWARDS:
            yield entry, read
        elif not only_tables:
            (folder / name).write_bytes(read())


def _like(server: MariaDbConnection, name: str, folder: Path) -> None:
    """Give a database the character set that was kept with its objects."""
    kept = folder / "letters"
    if kept.exists() and _exists(server, name):
        server.rows(f"ALTER DATABASE {quote_name(name)} {kept.read_text()}")


def _load_objects(
    access: DatabaseAccess,
    admin: MariaDbConnection,
    exchange: Exchange,
    folder: Path,
    refuse: Callable[[str], None],
    trusted: bool,
) -> None:
    """Create the views, triggers, routines and events that a folder keeps, as a user who can reach
    only this database.
    """
    files = sorted(path for path in folder.glob("9*.sql") if path.name != USERS)
    if not files:
        return
    with loading_user(access, admin, exchange.name, trusted) as server:
        for path in files:
            load_member(server, path.name, path.read_bytes(), refuse)
