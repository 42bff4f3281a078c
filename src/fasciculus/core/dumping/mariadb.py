"""A MariaDB or MySQL database as SQL members, in import order.

The server writes the literals itself (``QUOTE``, ``HEX``), which is exact and several
times faster than escaping values here. All reads of one database happen inside one
consistent snapshot. Members:

=====================  ==========================================================
``00000-schema.sql``    the database's character set, every table
``NNNNN-rows-….sql``    rows of one table, at most about 8 MiB a member
``90000-views.sql``     views, those that others build on first
``91000-routines.sql``  procedures and functions
``92000-triggers.sql``  triggers, each with the sql_mode it was made under
``93000-events.sql``    events
=====================  ==========================================================
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from typing import Protocol

from ..errors import Trouble

MEMBER_SIZE = 8 * 1024 * 1024
STATEMENT_SIZE = 1024 * 1024

_HEAD = (
    b"SET NAMES utf8mb4;\nSET time_zone='+00:00';\n"
    b"SET sql_mode='NO_AUTO_VALUE_ON_ZERO';\n"
    b"SET foreign_key_checks=0;\nSET unique_checks=0;\n"
)
_BINARY = frozenset({
    "binary", "varbinary", "tinyblob", "blob", "mediumblob", "longblob", "bit", "geometry", "point",
    "linestring", "polygon", "multipoint", "multilinestring", "multipolygon", "geometrycollection",
})
_NUMBERS = frozenset(["tinyint", "smallint", "mediumint", "int", "bigint", "decimal", "year", "double"])


class Server(Protocol):
    """The two ways a dump reads from a server; both give text as UTF-8 bytes."""

    def rows(self, sql: str, *values: str) -> Sequence[Sequence[bytes | None]]:
        """All rows of a small result."""

    def stream(self, sql: str) -> Iterator[bytes | None]:
        """The first column of a result of any size, row by row."""


@dataclass(frozen=True, slots=True)
class Member:
    """One file of the dump."""

    name: str
    data: bytes


@dataclass(slots=True)
class Dumped:
    """What was found, filled in as the members are taken."""

    server_version: str = ""
    character_set: str = ""
    tables: dict[str, int] = field(default_factory=dict)


def quote_name(name: str) -> str:
    """An identifier in backquotes."""
    return "`" + name.replace("`", "``") + "`"


def safe_file(name: str) -> str:
    """A table's or database's name as a file name: all but plain characters as ``%XX``."""
    return "".join(
        c if (c.isalnum() and c.isascii()) or c in "_-$" else "".join(f"%{b:02X}" for b in c.encode())
        for c in name
    )


def _literal(column: str, data_type: str) -> str:
    """The SQL that makes the server write one value as a literal."""
    name = quote_name(column)
    if data_type in _BINARY:
        return f"IF({name} IS NULL,'NULL',IF(LENGTH({name})=0,'\\'\\'',CONCAT('0x',HEX({name}))))"
    if data_type in _NUMBERS:
        return f"IFNULL({name},'NULL')"
    if data_type == "float":
        # As DOUBLE it prints with all its digits, and reads back to the same FLOAT.
        return f"IFNULL(CAST({name} AS DOUBLE),'NULL')"
    # The command-line client makes a bare CR LF in its input an LF: CR is written escaped.
    return f"REPLACE(QUOTE(CONVERT({name} USING utf8mb4)),CHAR(13 USING utf8mb4),'\\\\r')"


def _text(value: bytes | None) -> str:
    return "" if value is None else value.decode("utf-8")


class Dump:
    """The dump of one database, to be iterated once. ``done`` is complete afterwards."""

    def __init__(self, server: Server, database: str) -> None:
        self._server, self._database = server, database
        self.done = Dumped()

    def __iter__(self) -> Iterator[Member]:
        server, database = self._server, self._database
        found = server.rows(
            "SELECT default_character_set_name, default_collation_name, version() "
            "FROM information_schema.schemata WHERE schema_name=%s", database,
        )
        if not found:
            raise Trouble(f"There is no database “{database}” on this server.",
                          "Correct its name, or create it.")
        charset, collation, version = map(_text, found[0])
        self.done.server_version, self.done.character_set = version, charset
        server.rows("SET SESSION TRANSACTION ISOLATION LEVEL REPEATABLE READ")
        server.rows("SET time_zone='+00:00', sql_mode='', sql_quote_show_create=1")
        server.rows(f"USE {quote_name(database)}")
        server.rows("START TRANSACTION WITH CONSISTENT SNAPSHOT")
        tables = [_text(row[0]) for row in server.rows(
            "SELECT table_name FROM information_schema.tables WHERE table_schema=%s "
            "AND table_type='BASE TABLE' ORDER BY table_name", database)]
        schema = [_HEAD, f"ALTER DATABASE CHARACTER SET {charset} COLLATE {collation};\n".encode()]
        for table in tables:
            shown = server.rows(f"SHOW CREATE TABLE {quote_name(table)}")[0][1]
            schema.append((shown or b"") + b";\n")
        yield Member("00000-schema.sql", b"".join(schema))
        for number, table in enumerate(tables, 1):
            yield from self._rows(number, table)
        yield from self._views()
        yield from self._programs("91000-routines", (
            ("PROCEDURE", "SELECT routine_name FROM information_schema.routines WHERE "
             "routine_schema=%s AND routine_type='PROCEDURE' ORDER BY routine_name", 2),
            ("FUNCTION", "SELECT routine_name FROM information_schema.routines WHERE "
             "routine_schema=%s AND routine_type='FUNCTION' ORDER BY routine_name", 2)))
        yield from self._programs("92000-triggers", (
            ("TRIGGER", "SELECT trigger_name FROM information_schema.triggers WHERE "
             "trigger_schema=%s ORDER BY event_object_table, action_timing, "
             "event_manipulation, action_order", 2),))
        yield from self._programs("93000-events", (
            ("EVENT", "SELECT event_name FROM information_schema.events WHERE event_schema=%s "
             "ORDER BY event_name", 3),))

    def _columns(self, table: str) -> list[tuple[str, str]]:
        return [
            (_text(name), _text(data_type)) for name, data_type, extra in self._server.rows(
                "SELECT column_name, data_type, extra FROM information_schema.columns "
                "WHERE table_schema=%s AND table_name=%s ORDER BY ordinal_position",
                self._database, table)
            if b"GENERATED" not in (extra or b"").upper()
        ]

    def _rows(self, number: int, table: str) -> Iterator[Member]:
        columns = self._columns(table)
        names = ",".join(quote_name(name) for name, _ in columns)
        insert = f"INSERT INTO {quote_name(table)} ({names}) VALUES\n".encode()
        literals = ",',',".join(_literal(name, data_type) for name, data_type in columns)
        part, count = 0, 0
        member: list[bytes] = []
        member_bytes = statement_bytes = 0
        for row in self._server.stream(f"SELECT CONCAT('(',{literals},')') FROM {quote_name(table)}"):
            if row is None:
                raise Trouble(
                    f"A row of {self._database}.{table} is too long for the server to write out.",
                    "Raise max_allowed_packet on the database server.")
            count += 1
            if not member:
                member = [_HEAD, insert, row]
                member_bytes = statement_bytes = len(row)
            elif statement_bytes + len(row) > STATEMENT_SIZE:
                member += [b";\n", insert, row]
                statement_bytes = len(row)
                member_bytes += len(row)
            else:
                member += [b",\n", row]
                statement_bytes += len(row)
                member_bytes += len(row)
            if member_bytes >= MEMBER_SIZE:
                part += 1
                yield self._member(number, table, part, member)
                member = []
        if member:
            yield self._member(number, table, part + 1, member)
        self.done.tables[table] = count

    @staticmethod
    def _member(number: int, table: str, part: int, pieces: list[bytes]) -> Member:
        name = f"{number:05d}-rows-{safe_file(table)}-{part:06d}.sql"
        return Member(name, b"".join([*pieces, b";\n"]))

    def _views(self) -> Iterator[Member]:
        names = [_text(row[0]) for row in self._server.rows(
            "SELECT table_name FROM information_schema.views WHERE table_schema=%s "
            "ORDER BY table_name", self._database)]
        made = {
            name: _text(self._server.rows(f"SHOW CREATE VIEW {quote_name(name)}")[0][1])
            for name in names
        }
        if made:
            lines = [f"{made[name]};\n".encode() for name in _in_order(made)]
            yield Member("90000-views.sql", _HEAD + b"".join(lines))

    def _programs(self, name: str, sources: Sequence[tuple[str, str, int]]) -> Iterator[Member]:
        bodies: list[bytes] = []
        for what, listing, column in sources:
            for row in self._server.rows(listing, self._database):
                program = _text(row[0])
                shown = self._server.rows(f"SHOW CREATE {what} {quote_name(program)}")[0]
                if shown[column] is None:
                    raise Trouble(
                        f"The text of {what.lower()} {self._database}.{program} may not be read.",
                        "Grant the database user SELECT on mysql.* or SHOW_ROUTINE.")
                bodies.append(_program(_text(shown[column]), _text(shown[1])))
        if bodies:
            yield Member(f"{name}.sql", _HEAD + b"".join(bodies))


def _program(text: str, sql_mode: str) -> bytes:
    """A stored program between delimiters that do not occur in it."""
    number, mark = 0, "//"
    while mark in text:
        number += 1
        mark = f"//{number}//"
    return f"SET sql_mode='{sql_mode}';\nDELIMITER {mark}\n{text}\n{mark}\nDELIMITER ;\n".encode()


def _in_order(made: dict[str, str]) -> list[str]:
    """View names, those that others mention first."""
    done: list[str] = []

    def visit(name: str, path: tuple[str, ...]) -> None:
        if name in done or name in path:
            return
        for other in made:
            if other != name and quote_name(other) in made[name]:
                visit(other, (*path, name))
        done.append(name)

    for name in made:
        visit(name, ())
    return done


_TOKEN = re.compile(
    rb"'(?:[^'\\]++|\\.|'')*+'|\"(?:[^\"\\]++|\\.|\"\")*+\"|`[^`]*+`"
    rb"|--[ \t][^\n]*|/\*.*?\*/|;", re.DOTALL,
)
_DELIMITER = re.compile(rb"\s*DELIMITER (\S+)\n")


def statements(member: bytes) -> Iterator[bytes]:
    """The statements of one member, as a server takes them one by one."""
    at = 0
    while at < len(member):
        switch = _DELIMITER.match(member, at)
        if switch and switch[1] != b";":
            end = member.index(b"\n" + switch[1] + b"\n", switch.end())
            yield member[switch.end():end]
            at = end + len(switch[1]) + 2
            continue
        if switch:
            at = switch.end()
            continue
        for token in _TOKEN.finditer(member, at):
            if token[0] == b";":
                yield member[at:token.start()].strip()
                at = token.end()
                break
        else:
            if rest := member[at:].strip():
                yield rest
            return


def load(members: Iterator[bytes], execute: Callable[[bytes], None]) -> int:
    """Run the members' statements in order; gives how many there were."""
    count = 0
    for member in members:
        for statement in statements(member):
            execute(statement)
            count += 1
    return count
