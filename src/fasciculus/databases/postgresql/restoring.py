"""Loading a dump into a new or empty PostgreSQL database."""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Iterator

from ...core.bundle.entry import Entry
from ...core.bundle.manifest import DatabaseRecord
from ...core.dump.postgresql.dialect import (
    EXTENSIONS,
    OWNERS,
    ROLES,
    SCHEMA,
    SPECIAL,
    quote_name,
    sql_text,
)
from ...core.dump.postgresql.script import is_in_script, script_part
from ...core.dump.postgresql.statements import statements
from ...core.errors import SettingError, StatementError
from ..base import DatabaseAccess
from ..refused_statements import RefusedStatements
from ..server_access import for_restoring
from .loading import loading_role
from .server import PostgreSqlConnection, opened
from .tables import names

_EXTENSION = re.compile(
    rb'CREATE EXTENSION IF NOT EXISTS "(?:[^"]|"")+" WITH SCHEMA "(?:[^"]|"")+"'
)
#: Locales by the option of ``CREATE DATABASE``.
_LOCALE = re.compile(r"[A-Za-z0-9_.@-]{1,100}")


def restored(
    access: DatabaseAccess,
    record: DatabaseRecord,
    name: str,
    members: Iterator[tuple[Entry, Callable[[], bytes]]],
    refuse: Callable[[str], None],
    trusted: bool,
    tables: Collection[str],
    owner: str = "",
) -> Iterator[Entry]:
    """Load a dump; see :meth:`fasciculus.databases.base.Engine.restore`. ``owner`` gets the
    database, unless the dump may say whose it is.
    """
    own = for_restoring(access)
    with opened(own) as maintenance:
        make_database(maintenance, name, record, refuse)
        if owner:
            maintenance.rows(f"ALTER DATABASE {quote_name(name)} OWNER TO {quote_name(owner)}")
    with opened(own, name) as admin:
        _check_empty(admin, name)
        owners: list[tuple[str, bytes]] = []
        with loading_role(own, admin, name) as server:
            loader = Loader(server, admin, refuse, trusted)
            for entry, read in members:
                member = entry.text.rpartition("/")[2]
                if tables and not _is_needed(member, tables, record):
                    continue
                if member in (SPECIAL, OWNERS):
                    owners.append((member, read()))
                else:
                    loader.load(member, _part(member, read(), tables))
                yield entry
            if tables:
                _drop_others(server, tables)
        loader.finish(owners)


def _is_needed(member: str, tables: Collection[str], record: DatabaseRecord) -> bool:
    return member == EXTENSIONS or is_in_script(member, tables, record.shortened)


def _part(member: str, data: bytes, tables: Collection[str]) -> bytes:
    """Return what of a member is loaded: the whole structure, since tables need types and
    functions, and the keys and triggers of those that were chosen.
    """
    return data if member == SCHEMA else script_part(member, data, tables)


def _drop_others(server: PostgreSqlConnection, tables: Collection[str]) -> None:
    """Drop the tables that were not asked for, which are empty."""
    for called, name in names(server).items():
        if called not in tables:
            server.rows(f"DROP TABLE IF EXISTS {name} CASCADE")


class Loader:
    """Executes the members of a dump as a role that can change nothing but the database; only the
    statements of a vouched copy that this role may not execute are left to ``admin``.
    """

    def __init__(
        self,
        server: PostgreSqlConnection,
        admin: PostgreSqlConnection,
        refuse: Callable[[str], None],
        trusted: bool,
    ) -> None:
        self._server, self._admin, self._refuse = server, admin, refuse
        self._trusted = trusted

    def load(self, member: str, data: bytes) -> None:
        """Execute a member's statements; one that fails is named, and the others continue."""
        if member == ROLES:
            if self._trusted:
                self._run(self._admin, member, data)
            return
        refused = RefusedStatements(member, self._refuse)
        for statement, rows in statements(data):
            if rows is not None:
                self._copy(statement, rows, refused)
            elif member == EXTENSIONS and _EXTENSION.fullmatch(statement):
                self._extension(statement, refused)
            else:
                self._one(self._server, statement, refused)
        refused.finish()

    def finish(self, members: list[tuple[str, bytes]]) -> None:
        """Execute what only an administrator may, if the records vouch for the copy."""
        if members and not self._trusted:
            self._refuse(
                "its owners, roles and rights did not come back: the records do not vouch for "
                "this copy. Allow it (--special-modes) if you trust its store."
            )
            return
        for member, data in members:
            self._run(self._admin, member, data)

    def _run(self, server: PostgreSqlConnection, member: str, data: bytes) -> None:
        refused = RefusedStatements(member, self._refuse)
        for statement, rows in statements(data):
            if rows is None:
                self._one(server, statement, refused)
        refused.finish()

    @staticmethod
    def _one(server: PostgreSqlConnection, statement: bytes, refused: RefusedStatements) -> None:
        try:
            server.execute(statement)
        except StatementError as error:
            refused.name(statement, error)

    def _extension(self, statement: bytes, refused: RefusedStatements) -> None:
        """Create an extension; most need a superuser, who creates those that are installed."""
        try:
            self._server.execute(statement)
        except StatementError as error:
            if not self._trusted:
                refused.name(statement, error)
                return
            self._one(self._admin, statement, refused)

    def _copy(self, statement: bytes, rows: bytes, refused: RefusedStatements) -> None:
        """Load rows; if the server refuses some, the others all the same."""
        try:
            self._server.copy_in(statement, rows)
        except StatementError as error:
            lines = rows.splitlines(keepends=True)
            if len(lines) < 2 or not self._takes_rows(statement):
                refused.name(statement, error)
                return
            middle = len(lines) // 2
            self._copy(statement, b"".join(lines[:middle]), refused)
            self._copy(statement, b"".join(lines[middle:]), refused)

    def _takes_rows(self, statement: bytes) -> bool:
        """Return whether the table is there at all."""
        try:
            self._server.copy_in(statement, b"")
        except StatementError:
            return False
        return True


def make_database(
    server: PostgreSqlConnection, name: str, record: DatabaseRecord, refuse: Callable[[str], None]
) -> None:
    """Create the database with its encoding and locale, unless it exists."""
    if server.rows("SELECT FROM pg_catalog.pg_database WHERE datname = %s", name):
        return
    created = f"CREATE DATABASE {quote_name(name)} TEMPLATE template0"
    encoding = f" ENCODING {sql_text(record.character_set)}" if record.character_set else ""
    try:
        server.rows(created + encoding + _locale(record.options))
    except StatementError as error:
        if not record.options:
            raise
        refuse(f"the locale of the database did not come back: {error.message}")
        server.rows(f"{created}{encoding} LC_COLLATE 'C' LC_CTYPE 'C'")


def _locale(options: dict[str, str]) -> str:
    words = []
    for key in ("lc_collate", "lc_ctype"):
        value = options.get(key, "")
        if _LOCALE.fullmatch(value):
            words.append(f" {key.upper()} {sql_text(value)}")
    if options.get("provider") == "i" and _LOCALE.fullmatch(options.get("locale", "")):
        words.append(f" LOCALE_PROVIDER icu ICU_LOCALE {sql_text(options['locale'])}")
    return "".join(words)


def _check_empty(server: PostgreSqlConnection, name: str) -> None:
    ((count,),) = server.rows(
        "SELECT count(*) FROM pg_catalog.pg_class WHERE oid >= 16384 AND relnamespace NOT IN "
        "(SELECT oid FROM pg_catalog.pg_namespace WHERE nspname ~ '^pg_')"
    )
    if count != "0":
        raise SettingError(
            f"The database “{name}” is not empty.",
            "Name a new or an empty one; nothing is overwritten.",
            field="databases",
        )
