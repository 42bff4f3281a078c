"""Filters for databases, tables and rows of a subject."""

from __future__ import annotations

from fnmatch import fnmatchcase

from msgspec import Struct


class DumpRules(Struct, frozen=True):
    """The wanted part of a database. Patterns are of tables, with ``*`` and ``?``; where an engine
    has schemas, of ``schema.table`` too.

    ``tables`` empty means all; ``without_rows`` keeps a table's structure alone.
    """

    tables: tuple[str, ...] = ()
    without_tables: tuple[str, ...] = ()
    without_rows: tuple[str, ...] = ()
    structure_only: bool = False
    check_tables: bool = False

    def wants(self, table: str) -> bool:
        """Return whether a table goes in."""
        if self.tables and not any(fnmatchcase(table, pattern) for pattern in self.tables):
            return False
        return not any(fnmatchcase(table, pattern) for pattern in self.without_tables)


class DatabaseRules(Struct, frozen=True):
    """Patterns with ``*`` and ``?``: of database names in ``names`` and ``without``, of
    ``database.table`` or ``database.schema.table`` in the others. ``names`` and ``tables`` empty
    mean all.
    """

    names: tuple[str, ...] = ()
    without: tuple[str, ...] = ()
    tables: tuple[str, ...] = ()
    without_tables: tuple[str, ...] = ()
    without_rows: tuple[str, ...] = ()
    structure_only: bool = False
    check_tables: bool = False

    def wants(self, database: str) -> bool:
        """Return whether a database goes in at all."""
        if any(fnmatchcase(database, pattern) for pattern in self.without):
            return False
        if self.names and not any(fnmatchcase(database, pattern) for pattern in self.names):
            return False
        return not self.tables or bool(_of(self.tables, database))

    def of(self, database: str) -> DumpRules:
        """Return the rules for one database's own tables."""
        return DumpRules(
            _of(self.tables, database),
            _of(self.without_tables, database),
            _of(self.without_rows, database),
            self.structure_only,
            self.check_tables,
        )


def _of(patterns: tuple[str, ...], database: str) -> tuple[str, ...]:
    """Return the table parts of the patterns that mean a database; one without a dot means all
    databases.

    Of ``a.b.c`` the database is ``a`` and the table ``b.c``, a table in a schema, or the database
    is ``a.b``: whichever there is.
    """
    found = []
    for pattern in patterns:
        parts = pattern.split(".")
        if len(parts) == 1:
            found.append(pattern)
        found += [
            ".".join(parts[count:])
            for count in range(1, len(parts))
            if fnmatchcase(database, ".".join(parts[:count]))
        ]
    return tuple(dict.fromkeys(found))
