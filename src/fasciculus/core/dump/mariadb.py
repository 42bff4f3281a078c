"""A MariaDB or MySQL database as SQL members, in import order.

All reads of one database happen inside one consistent snapshot; what the engine of a table keeps
out of snapshots is said in :attr:`DumpResult.notes`. Members:

=====================  ==========================================================
``00000-schema.sql``    the database's character set, sequences, every table
``NNNNN-rows-….sql``    rows of one table, 16 KiB to 1 MiB a member, cut where rows say so
``90000-routines.sql``  procedures and functions
``91000-views.sql``     views, those that others build on first
``92000-triggers.sql``  triggers in order, each with the sql_mode it was made under
``93000-events.sql``    events
``99000-users.sql``     the users that have rights on the database, with those rights
=====================  ==========================================================
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from fnmatch import fnmatchcase
from zlib import crc32

from msgspec import Struct, field

from ..errors import FasciculusError
from . import literals, privileges
from .filters import DumpRules
from .literals import Column, quote_name
from .server import Server

#: Members of rows: at least, on the average, and at most about so many bytes.
LEAST, USUAL, MOST = 16 * 1024, 64 * 1024, 1024 * 1024
STATEMENT_SIZE = 1024 * 1024
USERS = "99000-users.sql"

_HEAD = (
    b"SET NAMES utf8mb4;\nSET time_zone='+00:00';\n"
    b"SET sql_mode='NO_AUTO_VALUE_ON_ZERO,ALLOW_INVALID_DATES';\n"
    b"SET foreign_key_checks=0;\nSET unique_checks=0;\n"
    b"/*M!100200 SET check_constraint_checks=0 */;\n"
)
_SNAPSHOTS = frozenset(["innodb", "rocksdb", "tokudb", ""])
_HISTORY_SINCE = (10, 11)


class Member(Struct, frozen=True):
    """One file of the dump."""

    name: str
    data: bytes


class DumpResult(Struct):
    """What was found, filled in as the members are taken. ``notes`` are for the warnings."""

    server_version: str = ""
    character_set: str = ""
    tables: dict[str, int] = field(default_factory=dict)
    notes: list[str] = field(default_factory=list)


class _Table(Struct, frozen=True):
    name: str
    kind: str
    engine: str
    columns: list[Column]


def safe_file(name: str) -> str:
    """A table's or database's name as a file name: all but plain characters as ``%XX``."""
    return "".join(
        c
        if (c.isalnum() and c.isascii()) or c in "_-$"
        else "".join(f"%{b:02X}" for b in c.encode())
        for c in name
    )


def _text(value: bytes | None) -> str:
    return "" if value is None else value.decode("utf-8")


def _sql_text(value: str) -> str:
    return "'" + value.replace("\\", "\\\\").replace("'", "\\'") + "'"


def _matches(name: str, patterns: Sequence[str]) -> bool:
    return any(fnmatchcase(name, pattern) for pattern in patterns)


class Dump:
    """The dump of one database, to be iterated once. ``done`` is complete afterwards."""

    def __init__(self, server: Server, database: str, rules: DumpRules = DumpRules()) -> None:
        self._server, self._database, self._rules = server, database, rules
        self._version: tuple[int, ...] = ()
        self._mariadb = True
        self.done = DumpResult()

    def __iter__(self) -> Iterator[Member]:
        server, database = self._server, self._database
        self._check_rights()
        head = self._open()
        tables = self._tables()
        if self._rules.check_tables:
            self._check_tables(tables)
        server.rows("START TRANSACTION WITH CONSISTENT SNAPSHOT")
        yield Member("00000-schema.sql", b"".join([_HEAD, head, *self._schema(tables)]))
        for number, table in enumerate(tables, 1):
            if table.kind == "SEQUENCE":
                continue
            if self._rules.structure_only or _matches(table.name, self._rules.without_rows):
                continue
            if table.engine.lower() not in _SNAPSHOTS:
                self.done.notes.append(
                    f"table {database}.{table.name} is of engine {table.engine}, which keeps no "
                    "snapshot: "
                    "its rows are of the moment when they were read"
                )
            yield from self._rows(number, table)
        if self._rules.tables:
            # Some tables alone: what builds on all of them is not part of it.
            yield from self._triggers([table.name for table in tables])
            return
        yield from self._routines()
        yield from self._views()
        yield from self._triggers([table.name for table in tables])
        yield from self._events()
        yield from self._users()

    # Before ------------------------------------------------------------------

    def _check_rights(self) -> None:
        grants = [_text(row[0]) for row in self._server.rows("SHOW GRANTS FOR CURRENT_USER()")]
        if lacking := privileges.missing(grants, self._database):
            user = _text(self._server.rows("SELECT CURRENT_USER()")[0][0])
            name, _, host = user.rpartition("@")
            raise FasciculusError(
                f"The database user {user} lacks {', '.join(lacking)} on {self._database}.",
                f"Give it: GRANT {', '.join(lacking)} ON {quote_name(self._database)}.* TO "
                f"{_sql_text(name)}@{_sql_text(host)};",
            )

    def _open(self) -> bytes:
        server, database = self._server, self._database
        found = server.rows(
            "SELECT default_character_set_name, default_collation_name, version() "
            "FROM information_schema.schemata WHERE schema_name=%s",
            database,
        )
        if not found:
            raise FasciculusError(
                f"There is no database “{database}” on this server.",
                "Correct its name, or create it.",
            )
        charset, collation, version = map(_text, found[0])
        self._mariadb = "mariadb" in version.lower()
        self._version = tuple(map(int, re.findall(r"\d+", version)[:2]))
        self.done.server_version, self.done.character_set = version, charset
        server.rows("SET SESSION TRANSACTION ISOLATION LEVEL REPEATABLE READ")
        server.rows("SET time_zone='+00:00', sql_mode='', sql_quote_show_create=1")
        server.rows(f"USE {quote_name(database)}")
        head = f"ALTER DATABASE CHARACTER SET {charset} COLLATE {collation};\n"
        if self._mariadb and self._version >= (10, 5):
            comment = _text(
                server.rows(
                    "SELECT schema_comment FROM information_schema.schemata WHERE schema_name=%s",
                    database,
                )[0][0]
            )
            if comment:
                head += f"ALTER DATABASE COMMENT {_sql_text(comment)};\n"
        return head.encode()

    def _tables(self) -> list[_Table]:
        """All tables and sequences that the rules want, by name."""
        columns: dict[str, list[Column]] = {}
        for table, name, data_type, extra, charset, made in self._server.rows(
            "SELECT table_name, column_name, data_type, extra, character_set_name, "
            "generation_expression FROM information_schema.columns WHERE table_schema=%s "
            "ORDER BY table_name, ordinal_position",
            self._database,
        ):
            known = columns.setdefault(_text(table), [])
            upper = _text(extra).upper()
            # “DEFAULT_GENERATED” of MySQL is a default, not a generated column.
            if not (made or re.search(r"\b(VIRTUAL|STORED|PERSISTENT) GENERATED\b", upper)):
                known.append(Column(_text(name), _text(data_type).lower(), _text(charset)))
        rules, found = self._rules, list[_Table]()
        for name, kind, engine in self._server.rows(
            "SELECT table_name, table_type, engine FROM information_schema.tables WHERE "
            "table_schema=%s AND table_type IN ('BASE TABLE', 'SYSTEM VERSIONED', 'SEQUENCE') "
            "ORDER BY table_name",
            self._database,
        ):
            called = _text(name)
            if (rules.tables and not _matches(called, rules.tables)) or _matches(
                called, rules.without_tables
            ):
                continue
            found.append(_Table(called, _text(kind), _text(engine), columns.get(called, [])))
        return found

    def _check_tables(self, tables: list[_Table]) -> None:
        for table in tables:
            if table.kind == "SEQUENCE":
                continue
            answers = self._server.rows(f"CHECK TABLE {quote_name(table.name)} MEDIUM")
            bad = [_text(row[3]) for row in answers if _text(row[2]).lower() == "error"]
            if bad:
                raise FasciculusError(
                    f"CHECK TABLE says of {self._database}.{table.name}: {bad[0]}.",
                    "Repair it first (REPAIR TABLE, or from an older bundle).",
                )

    def _schema(self, tables: list[_Table]) -> Iterator[bytes]:
        # Sequences first: a column's default may be one's next value.
        for table in sorted(tables, key=lambda table: table.kind != "SEQUENCE"):
            if table.kind == "SEQUENCE":
                shown = (
                    self._server.rows(f"SHOW CREATE SEQUENCE {quote_name(table.name)}")[0][1] or b""
                )
                following, rounds = self._server.rows(
                    f"SELECT next_not_cached_value, cycle_count FROM {quote_name(table.name)}"
                )[0]
                yield (
                    shown
                    + b";\n"
                    + (
                        f"DO SETVAL({quote_name(table.name)}, {_text(following)}, 0, "
                        f"{_text(rounds)});\n"
                    ).encode()
                )
            else:
                yield (
                    self._server.rows(f"SHOW CREATE TABLE {quote_name(table.name)}")[0][1] or b""
                ) + b";\n"

    # Rows --------------------------------------------------------------------

    def _rows(self, number: int, table: _Table) -> Iterator[Member]:
        columns, source, before = table.columns, quote_name(table.name), b""
        if table.kind == "SYSTEM VERSIONED":
            columns, source, before = self._versioned(table)
        names = ",".join(quote_name(column.name) for column in columns)
        insert = b"%sINSERT INTO %s (%s) VALUES\n" % (
            before,
            quote_name(table.name).encode(),
            names.encode(),
        )
        part, count = 0, 0
        member: list[bytes] = []
        member_bytes = statement_bytes = 0
        for row in self._written(table.name, columns, source):
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
            # Cut where the row itself says so: unchanged stretches of a table give the same members
            # again.
            if member_bytes >= MOST or (
                member_bytes >= LEAST and crc32(row) * USUAL < len(row) << 32
            ):
                part += 1
                yield self._member(number, table.name, part, member)
                member = []
        if member:
            yield self._member(number, table.name, part + 1, member)
        self.done.tables[table.name] = count

    def _written(self, table: str, columns: list[Column], source: str) -> Iterator[bytes]:
        """The rows of a table as parenthesised literals."""
        if not columns:
            for _ in self._server.stream(f"SELECT 1 FROM {source}"):
                yield b"()"
            return
        between = ",',',".join(map(literals.literal, columns))
        whole = f"CONCAT('(',{between},')')"
        size = literals.row_size(columns)
        if not size:
            for row in self._server.stream(f"SELECT {whole} FROM {source}"):
                if row[0] is None:
                    raise self._too_long(table)
                yield row[0]
            return
        large = f"({size})>{literals.LARGE_ROW}"
        singly = ",".join(f"IF({large},{literals.raw(column)},NULL)" for column in columns)
        for first, *values in self._server.stream(
            f"SELECT IF({large},NULL,{whole}),{singly} FROM {source}"
        ):
            if first is not None:
                yield first
            elif all(value is None for value in values):
                raise self._too_long(table)
            else:
                yield b"(" + b",".join(map(literals.escaped, columns, values)) + b")"

    def _too_long(self, table: str) -> FasciculusError:
        return FasciculusError(
            f"A row of {self._database}.{table} is too long for the server to write out.",
            "Raise max_allowed_packet on the database server.",
        )

    def _versioned(self, table: _Table) -> tuple[list[Column], str, bytes]:
        """A system-versioned table with its history, where the server can take that back."""
        shown = _text(self._server.rows(f"SHOW CREATE TABLE {quote_name(table.name)}")[0][1])
        by_transaction = re.search(
            r"bigint\(20\) unsigned GENERATED ALWAYS AS ROW START", shown, re.IGNORECASE
        )
        if self._version < _HISTORY_SINCE or by_transaction:
            self.done.notes.append(
                f"table {self._database}.{table.name} is system-versioned; its present "
                "rows are kept, its history is not"
            )
            return table.columns, quote_name(table.name), b""
        start, end = "row_start", "row_end"
        named = re.search(r"PERIOD FOR SYSTEM_TIME \(`((?:[^`]|``)+)`, ?`((?:[^`]|``)+)`\)", shown)
        if named:
            start, end = named[1].replace("``", "`"), named[2].replace("``", "`")
        columns = [c for c in table.columns if c.name not in (start, end)]
        columns += [Column(start, "timestamp"), Column(end, "timestamp")]
        return (
            columns,
            f"{quote_name(table.name)} FOR SYSTEM_TIME ALL",
            b"SET @@system_versioning_insert_history=1;\n",
        )

    @staticmethod
    def _member(number: int, table: str, part: int, pieces: list[bytes]) -> Member:
        name = f"{number:05d}-rows-{safe_file(table)}-{part:06d}.sql"
        return Member(name, b"".join([*pieces, b";\n"]))

    # What builds on tables -----------------------------------------------------

    def _routines(self) -> Iterator[Member]:
        kinds = ["FUNCTION", "PROCEDURE"]
        if self._mariadb:
            kinds += ["PACKAGE", "PACKAGE BODY"]
        bodies = []
        for kind in kinds:
            for row in self._server.rows(
                "SELECT routine_name FROM information_schema.routines WHERE routine_schema=%s AND "
                "routine_type=%s ORDER BY routine_name",
                self._database,
                kind,
            ):
                name = _text(row[0])
                shown = self._server.rows(f"SHOW CREATE {kind} {quote_name(name)}")[0]
                if shown[2] is None:
                    raise FasciculusError(
                        f"The text of {kind.lower()} {self._database}.{name} may not be read.",
                        "Give the database user: GRANT SELECT ON `mysql`.* TO …; or SHOW CREATE "
                        "ROUTINE.",
                    )
                bodies.append(_program(shown[2], _text(shown[1]), _text(shown[3]), _text(shown[4])))
        if bodies:
            yield Member("90000-routines.sql", _HEAD + b"".join(bodies))

    def _views(self) -> Iterator[Member]:
        names = [
            _text(row[0])
            for row in self._server.rows(
                "SELECT table_name FROM information_schema.views WHERE table_schema=%s "
                "ORDER BY table_name",
                self._database,
            )
        ]
        made: dict[str, str] = {}
        for name in names:
            shown = self._server.rows(f"SHOW CREATE VIEW {quote_name(name)}")[0]
            made[name] = _text(shown[1])
            try:
                self._server.rows(f"SELECT 1 FROM {quote_name(name)} LIMIT 0")
            except FasciculusError:
                self.done.notes.append(
                    f"view {self._database}.{name} does not work on the server (it names "
                    "what is gone); it is kept as a comment"
                )
                made[name] = (
                    "/* not valid when it was read:\n" + made[name].replace("*/", "* /") + "\n*/"
                )
        if made:
            lines = [f"{made[name]};\n".encode() for name in _in_order(made)]
            yield Member("91000-views.sql", _HEAD + b"".join(lines))

    def _triggers(self, tables: list[str]) -> Iterator[Member]:
        bodies = []
        for name, table in self._server.rows(
            "SELECT trigger_name, event_object_table FROM information_schema.triggers WHERE "
            "trigger_schema=%s ORDER BY event_object_table, action_timing, event_manipulation, "
            "action_order",
            self._database,
        ):
            if _text(table) in tables:
                shown = self._server.rows(f"SHOW CREATE TRIGGER {quote_name(_text(name))}")[0]
                bodies.append(
                    _program(shown[2] or b"", _text(shown[1]), _text(shown[3]), _text(shown[4]))
                )
        if bodies:
            yield Member("92000-triggers.sql", _HEAD + b"".join(bodies))

    def _events(self) -> Iterator[Member]:
        bodies = []
        for row in self._server.rows(
            "SELECT event_name FROM information_schema.events WHERE "
            "event_schema=%s ORDER BY event_name",
            self._database,
        ):
            shown = self._server.rows(f"SHOW CREATE EVENT {quote_name(_text(row[0]))}")[0]
            # Its moments are in the zone that it was made in.
            bodies.append(
                f"SET time_zone={_sql_text(_text(shown[2]))};\n".encode()
                + _program(shown[3] or b"", _text(shown[1]), _text(shown[4]), _text(shown[5]))
            )
        if bodies:
            yield Member("93000-events.sql", _HEAD + b"".join(bodies))

    def _users(self) -> Iterator[Member]:
        try:
            found = [
                (_text(row[0]), _text(row[1]))
                for row in self._server.rows(
                    "SELECT user, host, db FROM mysql.db UNION SELECT user, host, db FROM "
                    "mysql.tables_priv "
                    "UNION SELECT user, host, db FROM mysql.columns_priv UNION "
                    "SELECT user, host, db FROM mysql.procs_priv"
                )
                if row[0]
            ]
            lines = users(self._server, sorted(set(found)), self._database)
        except FasciculusError as error:
            self.done.notes.append(
                f"database {self._database}: its users and their rights are not kept: "
                f"{error.sentence()}"
            )
            return
        if lines:
            yield Member(USERS, b"".join(lines))


def users(server: Server, names: Sequence[tuple[str, str]], database: str = "") -> list[bytes]:
    """Statements that make users again with their rights on a database, or with all of them."""
    lines: list[bytes] = []
    for user, host in names:
        who = f"{_sql_text(user)}@{_sql_text(host)}"
        try:
            granted = [_text(row[0]) for row in server.rows(f"SHOW GRANTS FOR {who}")]
            wanted = privileges.grants_on(granted, database) if database else granted
            if not wanted:
                continue
            made = _text(server.rows(f"SHOW CREATE USER {who}")[0][0])
        except FasciculusError as error:
            if (
                "no such grant" in error.message.lower()
                or "can't find any matching row" in error.message.lower()
            ):
                continue
            raise
        lines.append(re.sub(r"^CREATE USER ", "CREATE USER IF NOT EXISTS ", made).encode() + b";\n")
        # The password belongs to the user, not to a grant.
        lines += [
            re.sub(r" IDENTIFIED BY PASSWORD '[^']*'", "", line).encode() + b";\n"
            for line in wanted
        ]
    return lines


def _program(text: bytes, sql_mode: str, charset: str, collation: str) -> bytes:
    """A stored program between delimiters that do not occur in it, under its own settings."""
    number, mark = 0, b"//"
    while mark in text:
        number += 1
        mark = b"//%d//" % number
    # Where its letters are the same bytes in the character set it was written in, it keeps that.
    same = (
        text.isascii()
        or charset == "utf8mb4"
        or (charset in ("utf8", "utf8mb3") and not any(byte >= 0xF0 for byte in text))
    )
    client = charset if same and charset else "utf8mb4"
    return (
        (
            f"SET sql_mode={_sql_text(sql_mode)};\nSET character_set_client={client};\n"
            f"SET collation_connection={collation or 'utf8mb4_general_ci'};\n"
            f"DELIMITER {mark.decode()}\n"
        ).encode()
        + text
        + (f"\n{mark.decode()}\nDELIMITER ;\nSET NAMES utf8mb4;\n").encode()
    )


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
