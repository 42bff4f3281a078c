"""The tables of a database in a bundle, from the names of its members."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping

from ..core.bundle.manifest import DatabaseRecord
from .base import DatabaseTable


def bundled_tables(
    record: DatabaseRecord,
    members: Iterable[tuple[str, int]],
    table_of: Callable[[str, Mapping[str, str]], str],
) -> list[DatabaseTable]:
    """Return the tables with rows and bytes; ``table_of`` tells whose rows a member has."""
    sizes = dict.fromkeys(record.tables, 0)
    for name, size in members:
        if table := table_of(name, record.shortened):
            sizes[table] = sizes.get(table, 0) + size
    return [
        DatabaseTable(name, record.tables.get(name), size) for name, size in sorted(sizes.items())
    ]
