"""A bundle, or part of it, as an archive, written by a separate process (see ``outside.py``)."""

from __future__ import annotations

import os
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from ....bundles import archives
from ....bundles.files import fetch_listing, is_listing_of
from ....bundles.omissions import Omissions
from ....bundles.recorded_copies import RecordedCopies
from ....bundles.sql_export import SqlScript, sql_stream
from ....bundles.tar_export import ExportSelection
from ....contracts.orders import StoreOrder
from ....core.bundle.manifest import Manifest
from ....core.errors import SettingError
from ....core.subject import Subject
from ....databases import ENGINES
from ....stores import open_store
from ....stores.base import Store, connected


@dataclass(frozen=True, slots=True)
class Export:
    """The selection for an archive, of a copy known to the records (``order.recorded``).

    ``listing`` is the path of the bundle's listing next to the records, ``known`` its recorded
    SHA-256, and ``own`` the path of this copy's listing, if it differs.
    """

    order: StoreOrder
    subject: Subject
    bundle: str
    listing: Path
    own: Path
    known: str
    contents: list[str]
    paths: list[bytes]
    form: str
    spool: Path
    database: str = ""
    tables: tuple[str, ...] = ()


def write_export(write: Callable[[bytes], None], export: Export) -> Omissions:
    """Write an archive piece by piece, and return its omissions.

    Raises ``SettingError`` for a selection of nothing: an empty archive says nothing.
    """
    with connected(open_store(export.order.spec())) as store:
        recorded = RecordedCopies(export.order.recorded, export.subject, export.order.key)
        manifest = recorded.manifest(store, export.bundle)
        is_sql = export.form == "sql"
        wanted = ExportSelection(
            store,
            export.subject,
            listing_of_copy(export, store, manifest),
            ["databases"] if is_sql else export.contents,
            export.paths,
            export.spool,
        )
        if is_sql:
            stream = sql_stream(wanted, _script(export, manifest))
        else:
            _check_matched(wanted)
            stream = archives.archive_format(export.form).make(wanted)
        for chunk in stream:
            write(chunk)
        return wanted.omissions


def _script(export: Export, manifest: Manifest) -> SqlScript:
    """Return how a database becomes one SQL file. Raises ``SettingError`` for one that cannot."""
    known = {d.name: d for d in manifest.databases if ENGINES.get(d.engine).exchanging}
    record = known.get(export.database)
    if record is None:
        raise SettingError(
            f"The bundle holds no database “{export.database}” of a server.",
            f"It holds: {', '.join(known) or 'none'}.",
            field="database",
        )
    for table in export.tables:
        if table not in record.tables:
            raise SettingError(
                f"The bundle holds no rows of a table “{table}” of {record.name}.",
                f"It holds: {', '.join(sorted(record.tables)[:20]) or 'none'}.",
                field="table",
            )
    engine = ENGINES.get(record.engine).exchanging
    assert engine is not None
    return SqlScript(
        record.folder,
        lambda member: engine.is_in_script(record, member, export.tables),
        lambda member, data: engine.script_part(member, data, export.tables),
    )


def listing_of_copy(export: Export, store: Store, manifest: Manifest) -> Path:
    """Return the listing that says where the bytes of this copy are."""
    for path in (export.listing, export.own):
        if path == export.listing and export.known != manifest.listing_sha256:
            continue
        if is_listing_of(path, manifest):
            return path
    is_common = export.known == manifest.listing_sha256
    return fetch_listing(
        store, export.subject, manifest, export.listing if is_common else export.own
    )


def _check_matched(wanted: ExportSelection) -> None:
    if unmatched := wanted.unmatched():
        raise SettingError(
            f"The bundle holds nothing at {os.fsdecode(unmatched[0])}.",
            "Take the path from its listing.",
            field="path",
        )
    if wanted.contents and next(wanted.entries(), None) is None:
        raise SettingError(
            f"The bundle holds no {wanted.contents[0]}.", "Choose another kind.", field="contents"
        )
