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
from collections.abc import Collection, Iterator, Sequence
from fnmatch import fnmatchcase

from msgspec import Struct, field

from ...errors import FasciculusError, StatementError
from ..filters import DumpRules
from ..sql.members import Member, is_shortened, safe_file, table_of, text
from . import literals, privileges, references, stored_objects, users
from .dialect import HEAD, sql_text
from .literals import Column, quote_name
from .member_rows import MemberRows
from .packet_rows import PacketServer, compiled_rows
from .statements import written

_SNAPSHOTS = frozenset(["innodb", "rocksdb", "tokudb", ""])
#: Engines whose tables have no own rows, which would be restored twice.
_STAND_INS = frozenset(["mrg_myisam", "federated", "spider", "connect", "oqgraph", "sphinx"])
_HISTORY_SINCE = (10, 11)


class DumpResult(Struct):
    """The result, completed while the members are read. ``notes`` are for the warnings.

    ``shortened`` has tables by what their members are called, where that is not their whole name.
    """

    server_version: str = ""
    character_set: str = ""
    tables: dict[str, int] = field(default_factory=dict)
    notes: list[str] = field(default_factory=list)
    shortened: dict[str, str] = field(default_factory=dict)


class _Table(Struct, frozen=True):
    name: str
    kind: str
    engine: str
    columns: list[Column]


def _matches(name: str, patterns: Sequence[str]) -> bool:
    return any(fnmatchcase(name, pattern) for pattern in patterns)


class Dump:
    """The dump of one database, to be iterated once. ``done`` is complete afterwards."""

    def __init__(self, server: PacketServer, database: str, rules: DumpRules = DumpRules()) -> None:
        self._server, self._database, self._rules = server, database, rules
        self._version: tuple[int, ...] = ()
        self._mariadb = True
        #: The tables that the server could show.
        self._readable: set[str] = set()
        self.done = DumpResult()

    def __iter__(self) -> Iterator[Member]:
        server, database = self._server, self._database
        self._check_rights()
        head = self._open()
        tables = self._tables()
        if self._rules.check_tables:
            self._check_tables(tables)
        server.rows("START TRANSACTION WITH CONSISTENT SNAPSHOT")
        yield Member("00000-schema.sql", b"".join([HEAD, head, *self._schema(tables)]))
        for number, table in enumerate(tables, 1):
            if self._wants_rows(table):
                try:
                    yield from self._rows(number, table)
                except StatementError as error:
                    # One odd table costs itself, or what could not be read of it.
                    self._note(table, f"could not be read to its end: {error.sentence()}")
        writer = stored_objects.Writer(server, self._mariadb, self._version)
        if self._rules.tables:
            # Some tables alone: what builds on all of them is not part of it.
            names = [table.name for table in tables]
            yield from stored_objects.triggers(server, database, names, writer, self.done.notes)
            return
        notes = self.done.notes
        yield from stored_objects.routines(server, database, writer, notes)
        yield from stored_objects.views(server, database, notes)
        names = [table.name for table in tables]
        yield from stored_objects.triggers(server, database, names, writer, notes)
        yield from stored_objects.events(server, database, writer, notes)
        yield from users.database_users(server, database, notes)

    def _note(self, table: _Table, words: str) -> None:
        self.done.notes.append(f"table {self._database}.{table.name} {words}")

    def _wants_rows(self, table: _Table) -> bool:
        """Return whether a table's rows go in; what there is to say of its engine is noted."""
        engine = table.engine.lower()
        if table.kind == "SEQUENCE" or table.name not in self._readable:
            return False
        if self._rules.structure_only or _matches(table.name, self._rules.without_rows):
            return False
        if engine in _STAND_INS:
            self._note(
                table,
                f"is of engine {table.engine}, which shows the rows of other tables or servers: "
                "its definition is kept, and no rows",
            )
            return False
        if engine not in _SNAPSHOTS:
            self._note(
                table,
                f"is of engine {table.engine}, which keeps no snapshot: its rows are of the time "
                "when they were read",
            )
        return True

    # Before ------------------------------------------------------------------

    def _check_rights(self) -> None:
        grants = [text(row[0]) for row in self._server.rows("SHOW GRANTS FOR CURRENT_USER()")]
        if lacking := privileges.missing(grants, self._database):
            user = text(self._server.rows("SELECT CURRENT_USER()")[0][0])
            name, _, host = user.rpartition("@")
            raise FasciculusError(
                f"The database user {user} lacks {', '.join(lacking)} on {self._database}.",
                f"Give it: GRANT {', '.join(lacking)} ON {quote_name(self._database)}.* TO "
                f"{sql_text(name)}@{sql_text(host)};",
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
        charset, collation, version = map(text, found[0])
        self._mariadb = "mariadb" in version.lower()
        self._version = tuple(map(int, re.findall(r"\d+", version)[:2]))
        self.done.server_version, self.done.character_set = version, charset
        server.rows("SET SESSION TRANSACTION ISOLATION LEVEL REPEATABLE READ")
        server.rows("SET time_zone='+00:00', sql_mode='', sql_quote_show_create=1")
        server.rows(f"USE {quote_name(database)}")
        head = f"ALTER DATABASE CHARACTER SET {charset} COLLATE {collation};\n"
        if self._mariadb and self._version >= (10, 5):
            comment = text(
                server.rows(
                    "SELECT schema_comment FROM information_schema.schemata WHERE schema_name=%s",
                    database,
                )[0][0]
            )
            if comment:
                statement = f"ALTER DATABASE COMMENT {sql_text(comment)}"
                return head.encode() + written(statement.encode())
        return head.encode()

    def _tables(self) -> list[_Table]:
        """Return all tables and sequences that the rules want, by name."""
        columns: dict[str, list[Column]] = {}
        for table, name, data_type, extra, charset, made in self._server.rows(
            "SELECT table_name, column_name, data_type, extra, character_set_name, "
            "generation_expression FROM information_schema.columns WHERE table_schema=%s "
            "ORDER BY table_name, ordinal_position",
            self._database,
        ):
            known = columns.setdefault(text(table), [])
            upper = text(extra).upper()
            # “DEFAULT_GENERATED” of MySQL is a default, not a generated column.
            if not (made or re.search(r"\b(VIRTUAL|STORED|PERSISTENT) GENERATED\b", upper)):
                known.append(Column(text(name), text(data_type).lower(), text(charset)))
        rules, found = self._rules, list[_Table]()
        for name, kind, engine in self._server.rows(
            "SELECT table_name, table_type, engine FROM information_schema.tables WHERE "
            "table_schema=%s AND table_type IN ('BASE TABLE', 'SYSTEM VERSIONED', 'SEQUENCE') "
            "ORDER BY table_name",
            self._database,
        ):
            called = text(name)
            if rules.wants(called):
                found.append(_Table(called, text(kind), text(engine), columns.get(called, [])))
        return found

    def _check_tables(self, tables: list[_Table]) -> None:
        for table in tables:
            if table.kind == "SEQUENCE":
                continue
            answers = self._server.rows(f"CHECK TABLE {quote_name(table.name)} MEDIUM")
            bad = [text(row[3]) for row in answers if text(row[2]).lower() == "error"]
            if bad:
                raise FasciculusError(
                    f"CHECK TABLE says of {self._database}.{table.name}: {bad[0]}.",
                    "Repair it first (REPAIR TABLE, or from an older bundle).",
                )

    def _schema(self, tables: list[_Table]) -> Iterator[bytes]:
        # Sequences first: a column's default may be one's next value.
        for table in sorted(tables, key=lambda table: table.kind != "SEQUENCE"):
            try:
                yield self._definition(table)
            except StatementError as error:
                self._note(table, f"is not in the bundle: {error.sentence()}")
            else:
                self._readable.add(table.name)

    def _definition(self, table: _Table) -> bytes:
        name = quote_name(table.name)
        if table.kind != "SEQUENCE":
            shown = self._server.rows(f"SHOW CREATE TABLE {name}")[0][1] or b""
            return written(references.unqualified(shown, self._database))
        shown = self._server.rows(f"SHOW CREATE SEQUENCE {name}")[0][1] or b""
        following, rounds = self._server.rows(
            f"SELECT next_not_cached_value, cycle_count FROM {name}"
        )[0]
        value = f"DO SETVAL({name}, {text(following)}, 0, {text(rounds)})"
        return written(shown) + written(value.encode())

    # Rows --------------------------------------------------------------------

    def _rows(self, number: int, table: _Table) -> Iterator[Member]:
        columns, source, before = table.columns, quote_name(table.name), b""
        if table.kind == "SYSTEM VERSIONED":
            columns, source, before = self._versioned(table)
        names = ",".join(quote_name(column.name) for column in columns)
        insert = b"INSERT INTO %s (%s) VALUES\n" % (quote_name(table.name).encode(), names.encode())
        rows = MemberRows(before + insert, self._rules.sizes(table.name))
        for part, data in enumerate(self._members(table.name, columns, source, rows), 1):
            yield Member(f"{number:05d}-rows-{safe_file(table.name)}-{part:06d}.sql", data)
        self.done.tables[table.name] = rows.rows
        if is_shortened(table.name):
            self.done.shortened[safe_file(table.name)] = table.name
        self._check_count(table, source, rows.rows)

    def _check_count(self, table: _Table, source: str, count: int) -> None:
        """Hold the rows that were read against how many the same snapshot says there are.

        A setting of the server that nobody thought of must not cut a dump short without a word.
        """
        if table.engine.lower() not in _SNAPSHOTS:
            return
        said = int(self._server.rows(f"SELECT COUNT(*) FROM {source}")[0][0] or 0)
        if said != count:
            raise FasciculusError(
                f"Of the {said:,} rows of {self._database}.{table.name} the server gave {count:,}.",
                "Look for a setting that limits what queries return, in its configuration or in "
                "init_connect.",
            )

    def _members(
        self, table: str, columns: list[Column], source: str, rows: MemberRows
    ) -> Iterator[bytes]:
        """Yield the members of a table's rows."""
        packets = compiled_rows(columns, rows) if columns else None
        if packets is not None:
            select = f"SELECT {','.join(packets.wanted)} FROM {source}"
            yield from self._server.members(select, packets)
        else:
            yield from filter(None, map(rows.add, self._written(table, columns, source)))
        if rest := rows.rest():
            yield rest

    def _written(self, table: str, columns: list[Column], source: str) -> Iterator[bytes]:
        """Yield the rows of a table as parenthesised literals."""
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
        """Return a system-versioned table with its history, where the server can take that back."""
        shown = text(self._server.rows(f"SHOW CREATE TABLE {quote_name(table.name)}")[0][1])
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


#: Members that hold what belongs to all tables: their structure, and triggers.
_OF_TABLES = ("00000-schema.sql", "92000-triggers.sql")


def is_needed(member: str, tables: Collection[str], shortened: dict[str, str]) -> bool:
    """Return whether a member holds anything of some tables."""
    table = table_of(member, shortened)
    return table in tables if table else member in _OF_TABLES
