"""The views, triggers, routines and events of a MariaDB database, kept as SQL and dropped."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator
from pathlib import Path

from ...core.dump.mariadb import stored_objects
from ...core.dump.mariadb.literals import quote_name
from ...core.dump.sql.members import Member, text
from .server import MariaDbConnection

_DONE = "saved"
_OTHERS = (
    ("VIEW", "SELECT table_name FROM information_schema.views WHERE table_schema=%s"),
    ("EVENT", "SELECT event_name FROM information_schema.events WHERE event_schema=%s"),
)
_SETTINGS = "SET time_zone='+00:00', sql_mode='', sql_quote_show_create=1"


def save_objects(
    server: MariaDbConnection, database: str, tables: Collection[str], folder: Path
) -> None:
    """Write the SQL that creates the objects of a database again, and its character set.

    With ``tables`` only the triggers of these. A folder that was written before an interruption is
    not written again, since the objects do not exist any more.
    """
    folder.mkdir(parents=True, exist_ok=True)
    if (folder / _DONE).exists():
        return
    for member in _members(server, database, tables, [], []):
        (folder / member.name).write_bytes(member.data)
    (folder / "letters").write_text(letters(server, database))
    (folder / _DONE).touch()


def check_objects(
    server: MariaDbConnection, database: str, tables: Collection[str]
) -> tuple[list[str], list[str]]:
    """Return what cannot be saved, and what would not work if it were created again."""
    hidden: list[str] = []
    broken: list[str] = []
    for _ in _members(server, database, tables, hidden, broken):
        pass
    return hidden, broken


def _members(
    server: MariaDbConnection,
    database: str,
    tables: Collection[str],
    hidden: list[str],
    broken: list[str],
) -> Iterator[Member]:
    server.rows(f"USE {quote_name(database)}")
    server.rows(_SETTINGS)
    version = text(server.rows("SELECT version()")[0][0])
    numbers = tuple(map(int, re.findall(r"\d+", version)[:2]))
    writer = stored_objects.Writer(server, "mariadb" in version.lower(), numbers)
    rows = server.rows(
        "SELECT DISTINCT event_object_table FROM information_schema.triggers "
        "WHERE trigger_schema=%s",
        database,
    )
    owners = [text(row[0]) for row in rows if not tables or text(row[0]) in tables]
    yield from stored_objects.triggers(server, database, owners, writer, hidden)
    if not tables:
        yield from stored_objects.routines(server, database, writer, hidden)
        yield from stored_objects.views(server, database, broken)
        yield from stored_objects.events(server, database, writer, hidden)


def letters(server: MariaDbConnection, database: str) -> str:
    """Return the character set and collation of a database, as a clause."""
    charset, collation = server.rows(
        "SELECT default_character_set_name, default_collation_name FROM "
        "information_schema.schemata WHERE schema_name=%s",
        database,
    )[0]
    return f"CHARACTER SET {text(charset)} COLLATE {text(collation)}"


def drop_objects(server: MariaDbConnection, database: str, tables: Collection[str]) -> None:
    """Drop the objects of a database; with ``tables`` only the triggers of these."""
    for kind, name in _objects(server, database, tables):
        server.rows(f"DROP {kind} IF EXISTS {quote_name(database)}.{quote_name(name)}")


def _objects(
    server: MariaDbConnection, database: str, tables: Collection[str]
) -> Iterator[tuple[str, str]]:
    for name, table in server.rows(
        "SELECT trigger_name, event_object_table FROM information_schema.triggers "
        "WHERE trigger_schema=%s",
        database,
    ):
        if not tables or text(table) in tables:
            yield "TRIGGER", text(name)
    if tables:
        return
    for name, routine in server.rows(
        "SELECT routine_name, routine_type FROM information_schema.routines "
        "WHERE routine_schema=%s ORDER BY routine_type DESC",
        database,
    ):
        yield text(routine), text(name)
    for kind, query in _OTHERS:
        for row in server.rows(query, database):
            yield kind, text(row[0])
