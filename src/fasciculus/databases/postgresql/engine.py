"""PostgreSQL: dumped as SQL that ``psql`` loads."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Iterator
from contextlib import ExitStack

from ...core.bundle.entry import Entry
from ...core.bundle.manifest import DatabaseRecord
from ...core.dump.filters import DatabaseRules, DumpRules
from ...core.dump.postgresql.dialect import encoded, head, quote_name
from ...core.dump.postgresql.dump import Dump
from ...core.dump.postgresql.roles import roles
from ...core.dump.sql.members import safe_file
from ...core.errors import FasciculusError
from ...kinds import Secrets, Settings
from ..base import (
    EXCHANGE_PREFIX,
    DatabaseAccess,
    DatabaseHost,
    DatabaseRef,
    DatabaseTable,
    Exchanging,
    Rights,
    SqlMember,
)
from ..bundled_tables import bundled_tables
from ..server_access import ServerSecrets, for_restoring
from .exchange import PostgreSqlExchange
from .restoring import restored
from .server import (
    PostgreSqlConnection,
    PostgreSqlSettings,
    further,
    opened,
)

_NAME = "postgresql"
#: Folders in which servers listen as systems set them up.
_SOCKETS = ("/run/postgresql", "/tmp")
_OWN = ("postgres", "template0", "template1")


class PostgreSqlDump:
    """The dump of one database, at one consistent point in time."""

    def __init__(self, access: DatabaseAccess, database: DatabaseRef, rules: DumpRules) -> None:
        self._access, self._database, self._rules = access, database, rules
        self._dump: Dump | None = None

    def __iter__(self) -> Iterator[SqlMember]:
        folder = ENGINE.folder(self._database)
        name = self._database.name
        with ExitStack() as stack:
            server = stack.enter_context(opened(self._access, name))

            def more() -> list[PostgreSqlConnection]:
                return list(further(stack, self._access, server, name))

            self._dump = Dump(server, name, self._rules, more)
            for member in self._dump:
                yield SqlMember(f"{folder}/{member.name}".encode(), member.data)

    @property
    def warnings(self) -> list[str]:
        """Return the warnings."""
        assert self._dump is not None
        return self._dump.done.notes

    def record(self) -> DatabaseRecord:
        """Return the database record for the manifest."""
        assert self._dump is not None
        done = self._dump.done
        return DatabaseRecord(
            _NAME,
            self._database.name,
            done.server_version,
            done.encoding,
            ENGINE.folder(self._database),
            tables=done.tables,
            shortened=done.shortened,
            options=done.options,
        )


class PostgreSqlEngine:
    """Databases of a PostgreSQL server."""

    name, title = _NAME, "PostgreSQL"
    settings: type[Settings] | None = PostgreSqlSettings
    secrets: type[Secrets] = ServerSecrets
    exchanging: Exchanging | None = PostgreSqlExchange()

    def propose(self, host: DatabaseHost) -> list[Settings]:
        """Return settings that were found on a host."""
        return [
            PostgreSqlSettings(socket=folder, user="postgres")
            for folder in _SOCKETS
            if host.type_of(f"{folder}/.s.PGSQL.5432") == "other"
        ]

    def check(self, access: DatabaseAccess, databases: Iterable[DatabaseRef]) -> None:
        """Raise an error for databases that cannot be dumped."""
        names = [database.name for database in databases] or ["postgres"]
        for name in names:
            with opened(access, name) as server:
                server.rows("SELECT 1")

    def version(self, access: DatabaseAccess) -> str:
        """Return the version of the server."""
        with opened(access) as server:
            return f"PostgreSQL {server.rows('SHOW server_version')[0][0]}"

    def rights(self, access: DatabaseAccess) -> list[Rights]:
        """Return missing rights, each with its statement."""
        with opened(access) as server:
            user = _user(server)
            if _may_read(server):
                reading = Rights(f"{user} may read every database.")
            else:
                reading = Rights(
                    f"{user} may not read every table: databases with such tables are not backed "
                    "up.",
                    _grant_to_read(user),
                )
        with opened(for_restoring(access)) as server:
            user = _user(server)
            ((may_restore,),) = server.rows(
                "SELECT rolsuper FROM pg_catalog.pg_roles WHERE rolname = current_user"
            )
            if may_restore == "t":
                restoring = Rights(f"{user} may restore databases with their roles.")
            else:
                restoring = Rights(
                    f"{user} may not restore everything. Make it a superuser, or use another user "
                    "only for restoring.",
                    f"ALTER ROLE {quote_name(user)} SUPERUSER;",
                )
        return [reading, restoring]

    def hidden(self, access: DatabaseAccess) -> str:
        """Return why databases may be hidden from this user: none are."""
        return ""

    def discover(self, access: DatabaseAccess, homes: list[str]) -> list[DatabaseRef]:
        """Return the databases that were found."""
        with opened(access) as server:
            rows = server.rows(
                "SELECT datname FROM pg_catalog.pg_database WHERE datallowconn ORDER BY datname"
            )
        names = [str(row[0]) for row in rows]
        return [
            DatabaseRef(_NAME, name)
            for name in names
            if name not in _OWN and not name.startswith(EXCHANGE_PREFIX)
        ]

    def grants(self, access: DatabaseAccess) -> dict[str, set[str]]:
        """Return the databases by the roles that own them or were given rights on them."""
        found: dict[str, set[str]] = {}
        with opened(access) as server:
            for role, name in server.rows(
                "SELECT pg_catalog.pg_get_userbyid(datdba), datname FROM pg_catalog.pg_database "
                "UNION SELECT pg_catalog.pg_get_userbyid(a.grantee), d.datname FROM "
                "pg_catalog.pg_database d, pg_catalog.aclexplode(d.datacl) a WHERE a.grantee <> 0"
            ):
                found.setdefault(str(role), set()).add(str(name))
        return found

    def folder(self, database: DatabaseRef) -> str:
        """Return the folder of a database in a bundle."""
        return f"{_NAME}/{safe_file(database.name)}"

    def files(self, database: DatabaseRef) -> list[str]:
        """Return no file."""
        return []

    def dump(
        self, access: DatabaseAccess, database: DatabaseRef, rules: DatabaseRules
    ) -> PostgreSqlDump:
        """Return the dump of a database."""
        return PostgreSqlDump(access, database, rules.of(database.name))

    def shared(self, access: DatabaseAccess) -> list[SqlMember]:
        """Return the members that belong to the whole server: its roles."""
        notes: list[str] = []
        with opened(access) as server:
            made = [encoded(words) + b";\n" for words in roles(server, None, notes)]
        remarks = [b"-- " + encoded(note) + b"\n" for note in notes]
        everything = b"".join([head("UTF8"), *remarks, *made])
        return [SqlMember(f"{_NAME}/%roles.sql".encode(), everything)]

    def tables(
        self, record: DatabaseRecord, members: Iterable[tuple[str, int]]
    ) -> list[DatabaseTable]:
        """Return the tables of a database with rows and sizes."""
        return bundled_tables(record, members)

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
        """Restore a dump into a new or empty database."""
        return restored(access, record, name, members, refuse, trusted, tables)


def _user(server: PostgreSqlConnection) -> str:
    return str(server.rows("SELECT current_user")[0][0])


def _may_read(server: PostgreSqlConnection) -> bool:
    try:
        ((allowed,),) = server.rows(
            "SELECT rolsuper OR pg_catalog.pg_has_role('pg_read_all_data', 'USAGE') FROM "
            "pg_catalog.pg_roles WHERE rolname = current_user"
        )
    except FasciculusError:
        # Before PostgreSQL 14 there is no such role.
        ((allowed,),) = server.rows(
            "SELECT rolsuper FROM pg_catalog.pg_roles WHERE rolname = current_user"
        )
    return allowed == "t"


def _grant_to_read(user: str) -> str:
    return f"GRANT pg_read_all_data TO {quote_name(user)};"


ENGINE = PostgreSqlEngine()
