"""A PostgreSQL database with one of everything, and how a restored one is compared with it."""

from __future__ import annotations

import re
import subprocess
from pathlib import Path
from typing import Any, NamedTuple

from fasciculus.core.bundle.entry import Entry
from fasciculus.core.bundle.manifest import DatabaseRecord
from fasciculus.core.dump.filters import DatabaseRules
from fasciculus.databases.base import DatabaseAccess, DatabaseRef, ServerSpec, SqlMember
from fasciculus.databases.postgresql.engine import ENGINE
from fasciculus.databases.postgresql.server import PostgreSqlSettings
from fasciculus.demo.postgresql import found
from fasciculus.hosts.local import LocalHost

#: Objects of every kind that a role without special rights can create, and then some.
EVERYTHING = (Path(__file__).parent / "fixtures/postgresql/everything.sql").read_text()
#: Lines of a plain dump that are about the moment or the name, not about the database.
_MOMENTARY = re.compile(r"^(--.*|\\(un)?restrict .*|)$", re.M)


def picture(socket: str, database: str) -> str:
    """Return everything about a database, as PostgreSQL's own dump program writes it."""
    programs = found()
    assert programs is not None
    done = subprocess.run(
        [programs / "pg_dump", "-h", socket, "-U", "postgres", "--create", database],
        capture_output=True,
        check=True,
    )
    text = done.stdout.decode().replace(f"DATABASE {database}", "DATABASE it")
    text = text.replace(f"\\connect {database}", "").replace(f'"{database}"', "it")
    return "\n".join(line for line in _MOMENTARY.sub("", text).splitlines() if line)


def rows(connection: Any, query: str) -> Any:
    return connection.execute(query).fetchall()


def access(server: Any, tmp_path: Path, host: Any = None, **more: Any) -> DatabaseAccess:
    """Return the access of an engine to a private server, by default as its superuser."""
    settings = PostgreSqlSettings(socket=server.socket, user="postgres").model_copy(update=more)
    spec = ServerSpec(settings, {"password": "clay"})
    return DatabaseAccess(host or LocalHost(), spec, "/", tmp_path)


class Bundled(NamedTuple):
    """A dump in memory."""

    record: DatabaseRecord
    members: list[SqlMember]
    warnings: list[str]

    def entries(self, change: Any = lambda member: member.data) -> Any:
        """Yield what a restore reads, changed on the way by a test."""
        for member in self.members:
            entry = Entry("databases", member.path, "file")
            yield entry, lambda member=member: change(member)


def dumped(where: DatabaseAccess, name: str, rules: DatabaseRules = DatabaseRules()) -> Bundled:
    dump = ENGINE.dump(where, DatabaseRef("postgresql", name), rules)
    members = list(dump)
    return Bundled(dump.record(), members, dump.warnings)


def loaded(
    where: DatabaseAccess,
    bundled: Bundled,
    name: str,
    trusted: bool = True,
    tables: Any = (),
    change: Any = lambda member: member.data,
) -> list[str]:
    """Load a dump into a database; return what was refused."""
    refused: list[str] = []
    entries = bundled.entries(change)
    for _ in ENGINE.restore(where, bundled.record, name, entries, refused.append, trusted, tables):
        pass
    return refused


def everything(server: Any, name: str = "pots") -> None:
    """Create the database with everything, and its roles."""
    fresh(server, name)
    with server.connect() as connection:
        for role in ("potter LOGIN PASSWORD 'clay'", "clerk"):
            if not rows(connection, f"SELECT FROM pg_roles WHERE rolname='{role.split()[0]}'"):
                connection.execute(f"CREATE ROLE {role}")
    server.run(
        "GRANT clerk TO potter",
        f"CREATE DATABASE {name} OWNER potter",
        f"ALTER DATABASE {name} SET work_mem = '7MB'",
        f"COMMENT ON DATABASE {name} IS 'it''s pots'",
        f"ALTER ROLE potter IN DATABASE {name} SET search_path = shop, public",
        f"REVOKE CONNECT ON DATABASE {name} FROM PUBLIC",
        f"GRANT CONNECT ON DATABASE {name} TO clerk",
    )
    server.run(EVERYTHING, database=name)


def fresh(server: Any, *names: str) -> None:
    """Drop databases."""
    for name in names:
        server.run(f'DROP DATABASE IF EXISTS "{name}" WITH (FORCE)')
