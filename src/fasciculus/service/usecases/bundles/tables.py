"""The databases of a bundle, shown as tables."""

from __future__ import annotations

from ....core.bundle.entry import FILE
from ....core.bundle.listing import read_listing
from ....core.bundle.manifest import DatabaseRecord
from ....core.errors import SettingError
from ....databases import ENGINES
from ....databases.base import DatabaseTable
from ....models import BundleDetail, DatabaseTables, Page
from ....models.bundles.bundles import TableInfo
from ....records.bundles import bundles
from ..caller import Caller
from .listings import listing_of

_KIND = "databases"


def bundles_tables(caller: Caller, bundle_id: int) -> Page[DatabaseTables]:
    """Return the databases of a bundle, each with its tables, their rows and sizes."""
    bundle = bundles.bundle(caller.reader, bundle_id, caller.scope)
    records = bundles.database_records(caller.reader, bundle_id)
    members = _members(caller, bundle, records) if records else {}
    rows = [_shown(record, members[record.folder]) for record in records]
    return Page(items=rows, total=len(rows))


def _members(
    caller: Caller, bundle: BundleDetail, records: list[DatabaseRecord]
) -> dict[str, list[tuple[str, int]]]:
    """Return the names and sizes of the members of each database, by its folder."""
    found: dict[str, list[tuple[str, int]]] = {record.folder: [] for record in records}
    with listing_of(caller, bundle).open("rb") as raw:
        for entry in read_listing(raw, [_KIND]):
            folder, _, name = entry.text.rpartition("/")
            # A database that is one file lies where its folder is named.
            own = found.get(folder, found.get(entry.text))
            if own is not None and entry.type == FILE:
                own.append((name, entry.size))
    return found


def _shown(record: DatabaseRecord, members: list[tuple[str, int]]) -> DatabaseTables:
    title, tables = _by_engine(record, members)
    return DatabaseTables(
        engine=record.engine,
        engine_title=title,
        name=record.name,
        folder=record.folder,
        bytes=sum(size for _, size in members),
        tables=[_table(row) for row in tables],
    )


def _table(row: DatabaseTable) -> TableInfo:
    return TableInfo(name=row.name, rows=row.rows, bytes=row.bytes)


def _by_engine(
    record: DatabaseRecord, members: list[tuple[str, int]]
) -> tuple[str, list[DatabaseTable]]:
    """Return what an engine calls itself, and the tables; those of the record where the service
    does not know the engine any more.
    """
    try:
        engine = ENGINES.get(record.engine)
    except SettingError:
        rows = sorted(record.tables.items())
        return record.engine, [DatabaseTable(name, count, 0) for name, count in rows]
    return engine.title, engine.tables(record, members)
