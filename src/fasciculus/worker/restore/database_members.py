"""The members of a database's dump in a bundle."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from functools import partial

from ...core.bundle.entry import Entry
from ...core.bundle.manifest import DatabaseRecord
from ...core.bundle.reader import BundleReader


def database_of(entry: Entry, records: Iterable[DatabaseRecord]) -> DatabaseRecord | None:
    """Return the database, among some, that an entry is a member of."""
    if entry.kind != "databases":
        return None
    return next((r for r in records if entry.path.startswith(r.folder.encode() + b"/")), None)


def members_of(
    record: DatabaseRecord, entries: Iterable[Entry], reader: BundleReader
) -> Iterator[tuple[Entry, Callable[[], bytes]]]:
    """Yield the members of a database among some entries, each with what reads it."""
    for entry in entries:
        if database_of(entry, [record]) is not None:
            yield entry, partial(_whole, reader, entry)


def _whole(reader: BundleReader, entry: Entry) -> bytes:
    return b"".join(reader.contents(entry))
