"""The tables of a database in a bundle, from the names of its members."""

from __future__ import annotations

from collections.abc import Iterable

from ..core.bundle.manifest import DatabaseRecord
from ..core.dump.sql.members import table_of
from .base import DatabaseTable


def bundled_tables(
    record: DatabaseRecord, members: Iterable[tuple[str, int]]
) -> list[DatabaseTable]:
    """Return the tables with rows and bytes, from the names and sizes of a dump's members."""
    sizes = dict.fromkeys(record.tables, 0)
    for name, size in members:
        if table := table_of(name, record.shortened):
            sizes[table] = sizes.get(table, 0) + size
    return [
        DatabaseTable(name, record.tables.get(name), size) for name, size in sorted(sizes.items())
    ]
