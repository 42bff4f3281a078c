"""Differences between two bundles of a subject: entries, tables, and the text of a file."""

from __future__ import annotations

from collections.abc import Iterator

from ....bundles.files import unsealed
from ....bundles.recorded_copies import RecordedCopies
from ....core.bundle.diff import Difference, differences
from ....core.bundle.entry import FILE, Entry, to_bytes, to_text
from ....core.bundle.listing import read_lines, read_listing
from ....core.bundle.reader import BundleReader
from ....core.bundle.text_difference import LARGEST, as_text, text_difference
from ....core.contents import Contents
from ....core.errors import MissingError, SettingError
from ....models import Bundle, BundleChange, BundleDetail, FileDifference, Page, TableChange
from ....models.queries import AgainstQuery, ChangesQuery, DifferenceQuery
from ....records.bundles import bundles
from ....records.paging import page_counted, page_request
from ....stores import open_store
from ....stores.base import connected
from ... import outside
from ..caller import Caller
from .export import Export, listing_of_copy
from .listings import chosen_copy, export_of, listing_of

#: Seconds for reading a file from both bundles.
_DEADLINE = 50.0


def bundles_changes(caller: Caller, bundle_id: int, query: ChangesQuery) -> Page[BundleChange]:
    """Return entries added, changed and removed in a bundle."""
    bundle, other = _both(caller, bundle_id, query.against)
    with listing_of(caller, other).open("rb") as old, listing_of(caller, bundle).open("rb") as new:
        rows = _wanted(differences(read_lines(old), read_lines(new)), query)
        return page_counted(rows, page_request(query), _change)


def _wanted(rows: Iterator[Difference], query: ChangesQuery) -> Iterator[Difference]:
    words = query.q.lower().encode().split()
    for row in rows:
        if (
            (not query.state or row.state == query.state)
            and (not query.contents or row.kind == query.contents)
            and all(word in row.path.lower() for word in words)
        ):
            yield row


def _change(row: Difference) -> BundleChange:
    return BundleChange(
        kind=Contents(row.kind),
        path=to_text(row.path),
        type=row.type,
        state=row.state,  # type: ignore[arg-type]
        what=row.what,
        bytes=row.size,
        before=row.before,
    )


def _both(caller: Caller, bundle_id: int, asked: int | None) -> tuple[BundleDetail, BundleDetail]:
    """Return a bundle, and the one that it is compared with: the one asked for, or the previous
    one.
    """
    db = caller.reader
    bundle = bundles.bundle(db, bundle_id, caller.scope)
    against = asked or bundles.before(db, bundle)
    if against is None:
        raise SettingError(
            f"There is no bundle of {bundle.subject} before {bundle.name}.",
            "Name another one to compare with.",
            field="against",
        )
    other = bundles.bundle(db, against, caller.scope)
    if (other.subject_kind, other.subject) != (bundle.subject_kind, bundle.subject):
        raise SettingError(
            f"Bundle {against} is of {other.subject}, not of {bundle.subject}.",
            "Compare two bundles of one subject.",
            field="against",
        )
    return bundle, other


# Tables ------------------------------------------------------------------------------


def bundles_table_changes(caller: Caller, bundle_id: int, query: AgainstQuery) -> Page[TableChange]:
    """Return the tables that were added, removed, or have another number of rows."""
    bundle, other = _both(caller, bundle_id, query.against)
    rows = list(_tables(other, bundle))
    return Page(items=rows, total=len(rows))


def _tables(before: BundleDetail, after: BundleDetail) -> Iterator[TableChange]:
    old = {(d.name, table): rows for d in before.databases for table, rows in d.tables.items()}
    new = {(d.name, table): rows for d in after.databases for table, rows in d.tables.items()}
    for database, table in sorted({*old, *new}):
        then, now = old.get((database, table)), new.get((database, table))
        if then != now:
            yield TableChange(database=database, table=table, before=then, after=now)


# Text --------------------------------------------------------------------------------


def bundles_difference(caller: Caller, bundle_id: int, query: DifferenceQuery) -> FileDifference:
    """Return the differing lines of a small text file in two bundles."""
    bundle, other = _both(caller, bundle_id, query.against)
    kind, path = Contents(query.contents or Contents.FILES), to_bytes(query.file)
    found = [_entry(caller, row, kind, path) for row in (other, bundle)]
    if found == [None, None]:
        raise SettingError(
            f"Neither bundle holds {query.file}.", "Take the path from a listing.", field="file"
        )
    before, after = (entry is not None for entry in found)
    result = FileDifference(path=query.file, before=before, after=after)
    if any(entry is not None and entry.type != FILE for entry in found):
        result.note = "It is not a file in both bundles."
        return result
    if any(entry is not None and entry.size > LARGEST for entry in found):
        result.note = "It is too large to be compared line by line."
        return result
    texts = [
        as_text(_contents(caller, row, kind, path) if entry is not None else None)
        for row, entry in zip((other, bundle), found, strict=True)
    ]
    if texts[0] is None or texts[1] is None:
        result.note = "It is not text."
    else:
        names = [f"{query.file} in bundle {row.id}" for row in (other, bundle)]
        result.lines = text_difference(texts[0], texts[1], *names)
    return result


def _entry(caller: Caller, bundle: Bundle, kind: Contents, path: bytes) -> Entry | None:
    with listing_of(caller, bundle).open("rb") as raw:
        return next((row for row in read_listing(raw, [kind]) if row.path == path), None)


def _contents(caller: Caller, bundle: Bundle, kind: Contents, path: bytes) -> bytes:
    store = chosen_copy(bundle, "")
    export = export_of(caller, bundle, store, [kind], [path], "")
    return outside.call_within(_DEADLINE, read_file, export)


def read_file(export: Export) -> bytes:
    """Return the contents of the file in an export; called in a separate process."""
    with connected(open_store(export.order.spec())) as store:
        recorded = RecordedCopies(export.order.recorded, export.subject, export.order.key)
        listing = listing_of_copy(export, store, recorded.manifest(store, export.bundle))
        with (
            listing.open("rb") as raw,
            BundleReader(unsealed(store), export.subject, export.spool) as reader,
        ):
            for entry in read_listing(raw, export.contents):
                if entry.path == export.paths[0]:
                    return b"".join(reader.contents(entry))
    raise MissingError("The file is not in the bundle any more.", "Look at its listing.")
