"""MariaDB and MySQL: dumped as SQL that any client loads."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Iterator

from ...core.bundle.entry import Entry
from ...core.bundle.manifest import DatabaseRecord
from ...core.dump.filters import DatabaseRules, DumpRules
from ...core.dump.mariadb import privileges
from ...core.dump.mariadb.dialect import sql_text
from ...core.dump.mariadb.dump import Dump
from ...core.dump.mariadb.users import every_user
from ...core.dump.sql.members import safe_file
from ...core.formatting import format_list
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
from .exchange import MariaDbExchange
from .restoring import restored
from .server import MariaDbSettings, opened

_NAME = "mariadb"
#: Where servers listen as systems set them up.
_SOCKETS = ("/run/mysqld/mysqld.sock", "/var/lib/mysql/mysql.sock", "/run/mysql/mysql.sock")
_SERVERS_OWN = frozenset(["information_schema", "performance_schema", "mysql", "sys"])


def _text(value: bytes | None) -> str:
    return (value or b"").decode()


def _user_and_grants(access: DatabaseAccess) -> tuple[str, list[str]]:
    """Return the user that the server assigned, and its privileges."""
    with opened(access) as server:
        grants = [_text(row[0]) for row in server.rows("SHOW GRANTS")]
        return _text(server.rows("SELECT current_user()")[0][0]), grants


def _quoted(user: str) -> str:
    name, _, host = user.rpartition("@")
    return f"{sql_text(name)}@{sql_text(host)}"


class MariaDbDump:
    """The dump of one database, in one consistent moment."""

    def __init__(self, access: DatabaseAccess, database: DatabaseRef, rules: DumpRules) -> None:
        self._access, self._database, self._rules = access, database, rules
        self._dump: Dump | None = None

    def __iter__(self) -> Iterator[SqlMember]:
        folder = ENGINE.folder(self._database)
        with opened(self._access) as server:
            self._dump = Dump(server, self._database.name, self._rules)
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
            done.character_set,
            ENGINE.folder(self._database),
            tables=done.tables,
            shortened=done.shortened,
        )


class MariaDbEngine:
    """Databases of a MariaDB or MySQL server."""

    name, title = _NAME, "MariaDB or MySQL"
    settings: type[Settings] | None = MariaDbSettings
    secrets: type[Secrets] = ServerSecrets
    exchanging: Exchanging | None = MariaDbExchange()

    def propose(self, host: DatabaseHost) -> list[Settings]:
        """Return settings that were found on a host."""
        return [
            MariaDbSettings(socket=socket, user="root")
            for socket in _SOCKETS
            if host.type_of(socket) == "other"
        ]

    def check(self, access: DatabaseAccess, databases: Iterable[DatabaseRef]) -> None:
        """Raise an error for databases that cannot be dumped."""
        with opened(access) as server:
            server.rows("SELECT 1")

    def version(self, access: DatabaseAccess) -> str:
        """Return the version of the server."""
        with opened(access) as server:
            return _text(server.rows("SELECT version()")[0][0])

    def rights(self, access: DatabaseAccess) -> list[Rights]:
        """Return missing rights, each with its statement."""
        user, grants = _user_and_grants(access)
        if lacking := privileges.missing(grants, ""):
            reading = Rights(
                f"{user} lacks {format_list(lacking)} on some databases: those that it may not "
                "read are neither found nor backed up.",
                privileges.grant_to_bundle(_quoted(user)),
            )
        else:
            reading = Rights(f"{user} may read every database.")
        user, grants = _user_and_grants(for_restoring(access))
        if privileges.may_restore(grants):
            restoring = Rights(f"{user} may restore databases with their users.")
        else:
            restoring = Rights(
                f"{user} may not restore everything. Grant it the missing privileges, or use "
                "another user only for restoring.",
                privileges.grant_to_restore(_quoted(user)),
            )
        return [reading, restoring]

    def hidden(self, access: DatabaseAccess) -> str:
        """Return why databases may be hidden from this user, empty if none are."""
        user, grants = _user_and_grants(access)
        lacking = privileges.missing(grants, "")
        if not lacking:
            return ""
        grant = privileges.grant_to_bundle(_quoted(user))
        return (
            f"The database user {user} lacks {format_list(lacking)}: databases that it may not "
            f"read are neither found nor backed up. Give it: {grant}"
        )

    def discover(self, access: DatabaseAccess, homes: list[str]) -> list[DatabaseRef]:
        """Return the databases that were found."""
        with opened(access) as server:
            rows = server.rows(
                "SELECT schema_name FROM information_schema.schemata ORDER BY schema_name"
            )
        names = [_text(row[0]) for row in rows]
        return [
            DatabaseRef(_NAME, name)
            for name in names
            if name not in _SERVERS_OWN and not name.startswith(EXCHANGE_PREFIX)
        ]

    def grants(self, access: DatabaseAccess) -> dict[str, set[str]]:
        """Return the databases by the users that have rights on them."""
        found: dict[str, set[str]] = {}
        with opened(access) as server:
            for user, database in server.rows("SELECT user, db FROM mysql.db WHERE user <> ''"):
                name = _text(database).replace("\\_", "_").replace("\\%", "%")
                found.setdefault(_text(user), set()).add(name)
        return found

    def folder(self, database: DatabaseRef) -> str:
        """Return the folder of a database in a bundle."""
        return f"{_NAME}/{safe_file(database.name)}"

    def files(self, database: DatabaseRef) -> list[str]:
        """Return no file."""
        return []

    def dump(
        self, access: DatabaseAccess, database: DatabaseRef, rules: DatabaseRules
    ) -> MariaDbDump:
        """Return the dump of a database."""
        return MariaDbDump(access, database, rules.of(database.name))

    def shared(self, access: DatabaseAccess) -> list[SqlMember]:
        """Return the members that belong to the whole server."""
        with opened(access) as server:
            everybody = every_user(server)
        return [SqlMember(f"{_NAME}/%users.sql".encode(), everybody)]

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


ENGINE = MariaDbEngine()
