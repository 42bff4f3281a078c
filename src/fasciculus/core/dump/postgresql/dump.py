"""A PostgreSQL database as SQL members, in import order.

All reads of one database happen inside one consistent snapshot. Members:

==========================  =====================================================================
``00000-extensions.sql``    extensions, by name
``00000-roles.sql``         the roles that own something or have rights, unless they exist
``00000-schema.sql``        schemas, types, functions, sequences, tables and views
``NNNNN-rows-….sql``        rows of one table for ``COPY``, in members of bounded size
``89000-large-objects-….``  large objects
``90000-constraints.sql``   values of sequences, keys, constraints and indexes
``91000-objects.sql``       views that need keys, statistics, triggers, rules, policies, comments
``93000-server.sql``        event triggers and publications, which superusers create
``99000-owners.sql``        owners, rights, and settings of the database
==========================  =====================================================================
"""

from __future__ import annotations

import re
from collections.abc import Collection, Iterable, Iterator
from contextlib import closing
from fnmatch import fnmatchcase

from msgspec import Struct, field

from ...errors import FasciculusError, StatementError
from ..filters import DumpRules
from ..sql.members import Member, is_shortened, safe_file
from . import additions, comments, routines, sequences, text_search, types, views
from .catalog import DbObject, Dependencies, Key, in_order
from .dialect import (
    CONSTRAINTS,
    EXTENSIONS,
    OBJECTS,
    OWNERS,
    ROLES,
    SCHEMA,
    SPECIAL,
    encoded,
    head,
    quote_name,
)
from .large_objects import large_objects
from .owners import Rights
from .roles import roles
from .rows import check_count, lines_of, row_members
from .server import Server
from .snapshot import BEGIN, SESSION, More, Readers, joined
from .tables import Table, attached, row_security, table_object, tables

_LOCKED = 200


class DumpResult(Struct):
    """The result, completed while the members are read. ``notes`` are for the warnings;
    ``options`` are the locale of the database.
    """

    server_version: str = ""
    encoding: str = ""
    options: dict[str, str] = field(default_factory=dict)
    tables: dict[str, int] = field(default_factory=dict)
    notes: list[str] = field(default_factory=list)
    shortened: dict[str, str] = field(default_factory=dict)


class Dump:
    """The dump of one database, to be iterated once. ``done`` is complete afterwards.

    ``more`` opens further connections to it, which read the rows of large tables side by side.
    """

    def __init__(
        self,
        server: Server,
        database: str,
        rules: DumpRules = DumpRules(),
        more: More = tuple,
    ) -> None:
        self._server, self._database, self._rules, self._more = server, database, rules, more
        self._readers = Readers([server])
        self._head = b""
        #: Tables that are not in the bundle, by their names as SQL.
        self._without: dict[str, Table] = {}
        self._of_extensions: list[Table] = []
        self._refreshes: list[str] = []
        self._late_indexes: list[str] = []
        self.done = DumpResult()

    def __iter__(self) -> Iterator[Member]:
        server, notes = self._server, self.done.notes
        self._open()
        dependencies = Dependencies(server)
        every, self._of_extensions = tables(server, dependencies)
        found = [row for row in every if self._wants(row.called)]
        self._without = {row.name: row for row in every if not self._wants(row.called)}
        self._check_rights(found)
        self._lock(found)
        counters = sequences.sequences(server, dependencies)
        counters = [row for row in counters if row.table not in self._without]
        if self._rules.tables:
            yield from self._some(found, counters)
            return
        early, late = self._objects(dependencies, found, counters)
        rights = Rights(server, self._without)
        owners = list(rights.statements())
        if names := list(types.extensions(server)):
            yield self._member(EXTENSIONS, names)
        if members := list(roles(server, rights.roles, notes)):
            yield self._member(ROLES, members)
        yield self._member(SCHEMA, [*early, *attached(found)])
        yield from self._rows(found)
        if not self._rules.structure_only:
            yield from large_objects(server, self._head, notes)
        yield self._member(CONSTRAINTS, self._keys(found, counters))
        yield self._member(OBJECTS, [*late, *self._additions(found)])
        if special := [*additions.event_triggers(server), *additions.publications(server)]:
            yield self._member(SPECIAL, special)
        own = [*comments.database_settings(server), *comments.database_comment(server)]
        yield self._member(OWNERS, [*owners, *own])

    # Before ------------------------------------------------------------------

    def _open(self) -> None:
        server = self._server
        for words in (BEGIN, *SESSION):
            server.rows(words)
        icu = {15: "daticulocale", 16: "daticulocale"}.get(server.version // 10000, "NULL")
        icu = "datlocale" if server.version >= 170000 else icu
        provider = "datlocprovider" if server.version >= 150000 else "'c'"
        ((version, encoding, collate, ctype, kind, locale),) = server.rows(
            "SELECT pg_catalog.current_setting('server_version'), "
            f"pg_catalog.pg_encoding_to_char(encoding), datcollate, datctype, {provider}, {icu} "
            "FROM pg_database WHERE datname = pg_catalog.current_database()"
        )
        self.done.server_version, self.done.encoding = f"PostgreSQL {version}", str(encoding)
        options = {"lc_collate": collate, "lc_ctype": ctype, "provider": kind, "locale": locale}
        self.done.options = {key: str(value) for key, value in options.items() if value}
        self._head = head("SQL_ASCII" if encoding == "SQL_ASCII" else "UTF8")

    def _wants(self, called: str) -> bool:
        rules = self._rules
        if rules.tables and not _matches(called, rules.tables):
            return False
        return not _matches(called, rules.without_tables)

    def _check_rights(self, found: list[Table]) -> None:
        names = ",".join(str(table.number) for table in found if table.kind == "r") or "0"
        lacking = self._server.rows(
            "SELECT oid::regclass, current_user FROM pg_class WHERE oid IN "
            f"({names}) AND NOT (pg_catalog.has_table_privilege(oid, 'SELECT') AND "
            "pg_catalog.has_schema_privilege(relnamespace, 'USAGE')) ORDER BY 1"
        )
        if lacking:
            user = quote_name(str(lacking[0][1]))
            more = f" and {len(lacking) - 1} more tables" if len(lacking) > 1 else ""
            raise FasciculusError(
                f"The database user {lacking[0][1]} may not read {lacking[0][0]}{more} of "
                f"{self._database}.",
                f"Give it: GRANT pg_read_all_data TO {user};",
            )

    def _lock(self, found: list[Table]) -> None:
        """Lock the tables against changes of their structure. Raises the error that names the
        right which is missing.
        """
        names = [f"ONLY {table.name}" for table in found if table.kind in "rp"]
        some = [names[at : at + _LOCKED] for at in range(0, len(names), _LOCKED)]
        locks = [f"LOCK TABLE {', '.join(part)} IN ACCESS SHARE MODE" for part in some]
        for lock in locks:
            self._server.rows(lock)
        if not self._rules.structure_only:
            self._readers = Readers([self._server, *joined(self._server, self._more(), locks)])

    # Structure ---------------------------------------------------------------

    def _objects(
        self,
        dependencies: Dependencies,
        found: list[Table],
        counters: list[sequences.Sequence],
    ) -> tuple[list[str], list[str]]:
        """Return the statements that create everything: before the rows, and after keys exist."""
        server = self._server
        identities = sequences.by_column(counters)
        objects: list[DbObject] = [
            *types.schemas(server, dependencies),
            *types.types(server, dependencies, self.done.notes),
            *types.collations(server, dependencies),
            *routines.languages(server, dependencies),
            *routines.routines(server, dependencies),
            *routines.aggregates(server, dependencies),
            *routines.operators(server, dependencies),
            *routines.operator_classes(server, dependencies),
            *routines.casts(server, dependencies),
            *routines.conversions(server, dependencies),
            *text_search.dictionaries(server, dependencies),
            *text_search.configurations(server, dependencies),
            *text_search.foreign_servers(server, dependencies),
            *sequences.sequence_objects(counters),
            *(table_object(table, identities) for table in found),
            *views.views(server, dependencies),
        ]
        early, late = list[str](), list[str]()
        filled, self._refreshes = views.filled(server), []
        missing: set[Key] = {("pg_class", row.number) for row in self._without.values()}
        for row in in_order(objects, dependencies):
            if any(dependencies.needs(key) & missing for key in row.keys):
                missing.update(row.keys)
                self._omit(row)
                continue
            (late if row.is_late else early).extend(row.statements)
            if name := filled.get(row.keys[0]):
                self._refreshes.append(f"REFRESH MATERIALIZED VIEW {name}")
        return [*early, *sequences.owned(counters)], late

    def _omit(self, row: DbObject) -> None:
        self.done.notes.append(
            f"{row.kind} {self._database}.{row.name} is not in the bundle, since it needs tables "
            "that are not"
        )

    def _keys(self, found: list[Table], counters: list[sequences.Sequence]) -> list[str]:
        names, server = {table.name for table in found}, self._server
        plain, references = list[str](), list[str]()
        for table, words, other in additions.constraints(server):
            if table in names and (not other or other in names):
                (references if other else plain).append(words)
        indexes, self._late_indexes = list[str](), []
        for table, words in additions.indexes(server):
            if table in names:
                indexes.append(words)
            elif table not in self._without:
                self._late_indexes.append(words)
        values = [] if self._rules.structure_only else list(sequences.values(server, counters))
        return [*values, *plain, *indexes, *references]

    def _additions(self, found: list[Table]) -> Iterator[str]:
        server = self._server
        yield from additions.statistics(server)
        yield from self._late_indexes
        if not self._rules.structure_only:
            yield from self._refreshes
        for part in (additions.rules, additions.triggers, additions.policies):
            yield from (words for table, words in part(server) if table not in self._without)
        yield from row_security(found)
        yield from comments.comments(server, self._without)

    # Rows ----------------------------------------------------------------------

    def _rows(self, found: list[Table]) -> Iterator[Member]:
        number = 0
        for table in found:
            if table.kind != "r":
                continue
            number += 1
            if self._wants_rows(table):
                yield from self._rows_of(number, table, "")
        for table, chosen in self._extension_tables():
            number += 1
            yield from self._rows_of(number, table, chosen)

    def _rows_of(self, number: int, table: Table, chosen: str) -> Iterator[Member]:
        server, count = self._server, 0
        sizes = self._rules.sizes(table.called)
        server.rows("SAVEPOINT rows")
        try:
            with closing(lines_of(server, self._readers, table, chosen)) as lines:
                for member, rows in row_members(lines, number, table, self._head, sizes):
                    count += rows
                    yield member
        except StatementError as error:
            # One odd table costs itself, or the rest of it.
            server.rows("ROLLBACK TO SAVEPOINT rows")
            self.done.notes.append(
                f"table {self._database}.{table.called} could not be read to its end: "
                f"{error.sentence()}"
            )
        else:
            check_count(server, table, count, chosen)
        self.done.tables[table.called] = count
        if is_shortened(table.called):
            self.done.shortened[safe_file(table.called)] = table.called

    def _wants_rows(self, table: Table) -> bool:
        rules = self._rules
        return not rules.structure_only and not _matches(table.called, rules.without_rows)

    def _extension_tables(self) -> Iterator[tuple[Table, str]]:
        """Yield the tables in which extensions keep rows of the user, with the condition."""
        if self._rules.structure_only:
            return
        known = {row.name: row for row in self._of_extensions}
        for name, condition in self._server.rows(
            "SELECT t.oid::regclass::text, t.condition FROM (SELECT unnest(extconfig) AS oid, "
            "unnest(extcondition) AS condition FROM pg_extension) t ORDER BY 1"
        ):
            table = known.get(str(name))
            if table is not None and table.kind == "r":
                yield table, re.sub(r"^\s*WHERE\s+", "", condition or "", flags=re.IGNORECASE)

    # Some tables ---------------------------------------------------------------

    def _some(self, found: list[Table], counters: list[sequences.Sequence]) -> Iterator[Member]:
        """Yield some tables with their sequences, keys and triggers, and nothing else."""
        names = {table.name for table in found}
        own = [row for row in counters if row.table in names]
        identities = sequences.by_column(own)
        schemas = sorted({table.name.rpartition(".")[0] for table in found})
        statements = [f"CREATE SCHEMA IF NOT EXISTS {name}" for name in schemas]
        for row in sequences.sequence_objects(own):
            statements += row.statements
        for table in found:
            statements += table_object(table, identities).statements
        yield self._member(SCHEMA, [*statements, *sequences.owned(own), *attached(found)])
        for number, table in enumerate((row for row in found if row.kind == "r"), 1):
            if self._wants_rows(table):
                yield from self._rows_of(number, table, "")
        yield self._member(CONSTRAINTS, self._keys(found, own))
        added = [w for t, w in additions.triggers(self._server) if t in names]
        yield self._member(OBJECTS, [*added, *row_security(found)])

    def _member(self, name: str, statements: Iterable[str]) -> Member:
        body = b"".join(encoded(statement) + b";\n" for statement in statements)
        return Member(name, self._head + body)


def _matches(called: str, patterns: Collection[str]) -> bool:
    """Return whether a pattern means a table, by its name with its schema or without."""
    names = (called, called.rpartition(".")[2])
    return any(fnmatchcase(name, pattern) for name in names for pattern in patterns)
