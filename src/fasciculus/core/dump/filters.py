"""Filters for databases, tables and rows of a subject."""

from __future__ import annotations

from fnmatch import fnmatchcase

from msgspec import Struct

from .sql.member_sizes import LARGE, SMALL, MemberSizes
from .sql.members import safe_file


class DumpRules(Struct, frozen=True):
    """The wanted part of a database. Patterns are of tables, with ``*`` and ``?``; where an engine
    has schemas, of ``schema.table`` too.

    ``tables`` empty means all; ``without_rows`` keeps only a table's structure. Rows of tables in
    ``small_members`` are stored in small members; they are named as in files of a bundle.
    """

    tables: tuple[str, ...] = ()
    without_tables: tuple[str, ...] = ()
    without_rows: tuple[str, ...] = ()
    structure_only: bool = False
    check_tables: bool = False
    small_members: frozenset[str] = frozenset()

    def sizes(self, table: str) -> MemberSizes:
        """Return the sizes of the members with a table's rows."""
        return SMALL if safe_file(table) in self.small_members else LARGE

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
    #: Tables of one database, as :class:`DumpRules` has them.
    small_members: frozenset[str] = frozenset()

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
            self.small_members,
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
