"""Loading a dump into a new or empty MariaDB database."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterator
from functools import partial

from ...core.bundle.entry import Entry
from ...core.bundle.manifest import DatabaseRecord
from ...core.dump.mariadb.dialect import USERS
from ...core.dump.mariadb.dump import is_needed
from ...core.dump.mariadb.literals import quote_name
from ...core.dump.mariadb.loader import statements
from ...core.dump.sql.members import text
from ...core.errors import SettingError, StatementError
from ..base import DatabaseAccess
from ..refused_statements import RefusedStatements
from ..server_access import for_restoring
from .loading import drop_tables_elsewhere, loading_user
from .server import MariaDbConnection, opened


def restored(
    access: DatabaseAccess,
    record: DatabaseRecord,
    name: str,
    members: Iterator[tuple[Entry, Callable[[], bytes]]],
    refuse: Callable[[str], None],
    trusted: bool,
    tables: Collection[str],
) -> Iterator[Entry]:
    """Load a dump; see :meth:`fasciculus.databases.base.Engine.restore`."""
    own = for_restoring(access)
    needed = partial(is_needed, tables=tables, shortened=record.shortened)
    with opened(own) as admin:
        _make_empty(admin, name, record.character_set)
        try:
            with loading_user(own, admin, name, trusted) as server:
                for entry, read in members:
                    if tables and not needed(entry.text.rpartition("/")[2]):
                        continue
                    if entry.path.endswith(b"/" + USERS.encode()):
                        # Its grants name the original database.
                        if name != record.name or not _may_load_users(refuse, trusted):
                            continue
                        load_member(admin, entry.text, read(), refuse)
                    else:
                        load_member(server, entry.text, read(), refuse)
                    yield entry
                if tables:
                    _drop_others(server, name, tables)
        finally:
            if not trusted:
                _keep_inside(admin, name, refuse)


def _drop_others(server: MariaDbConnection, database: str, tables: Collection[str]) -> None:
    """Drop the tables that were not asked for, which are empty; sequences stay, since columns may
    count by them.
    """
    server.rows("SET foreign_key_checks=0")
    for name, kind in server.rows(
        "SELECT table_name, table_type FROM information_schema.tables WHERE table_schema=%s",
        database,
    ):
        if text(name) not in tables and kind in (b"BASE TABLE", b"SYSTEM VERSIONED"):
            server.rows(f"DROP TABLE {quote_name(database)}.{quote_name(text(name))}")


def _keep_inside(admin: MariaDbConnection, name: str, refuse: Callable[[str], None]) -> None:
    for table in drop_tables_elsewhere(admin, name):
        refuse(
            f"the table “{table}” did not come back: this copy, which the records do not vouch "
            "for, puts it into another folder of the database server."
        )


def _may_load_users(refuse: Callable[[str], None], trusted: bool) -> bool:
    """Return whether the users of a database are made again: no store gives away rights of a
    server.
    """
    if not trusted:
        refuse(
            "its users did not come back: the records do not vouch for this copy. Allow it "
            "(--special-modes) if you trust its store."
        )
    return trusted


def load_member(
    server: MariaDbConnection, name: str, member: bytes, refuse: Callable[[str], None]
) -> None:
    """Run a member's statements; one that cannot be made is named, and the others go on."""
    refused = RefusedStatements(name, refuse)
    for statement in statements(member):
        try:
            server.execute(statement)
        except StatementError as error:
            refused.name(statement, error)
    refused.finish()


def _make_empty(server: MariaDbConnection, name: str, charset: str) -> None:
    """Create the database, or make sure that it is empty, and use it."""
    found = server.rows(
        "SELECT count(*) FROM information_schema.schemata WHERE schema_name=%s", name
    )
    if found[0][0] == b"0":
        server.rows(f"CREATE DATABASE {quote_name(name)} CHARACTER SET {charset or 'utf8mb4'}")
    tables = server.rows(
        "SELECT count(*) FROM information_schema.tables WHERE table_schema=%s", name
    )
    if tables[0][0] != b"0":
        raise SettingError(
            f"The database “{name}” is not empty.",
            "Name a new or an empty one; nothing is overwritten.",
            field="databases",
        )
    server.rows(f"USE {quote_name(name)}")
