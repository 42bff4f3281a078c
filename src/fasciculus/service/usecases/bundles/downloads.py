"""Downloads of bundles, and their omissions."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from dataclasses import dataclass, replace

from ....bundles import archives
from ....bundles.archives import ArchiveFormat
from ....core.bundle.entry import to_bytes
from ....core.errors import MissingError, SettingError
from ....core.formatting import format_file_name
from ....models import Bundle, DownloadReport
from ....models.queries import DownloadQuery
from ....records.bundles import bundles
from ....records.scope import has_subject
from ...downloads import Download
from ...outside import OutsideStream
from ..caller import Caller
from .export import write_export
from .listings import chosen_copy, export_of, verifier


@dataclass(frozen=True, slots=True)
class FileFormat:
    """The format of a download: its ending, and its media type."""

    suffix: str
    media: str


_SQL = FileFormat(".sql", "application/sql")


@dataclass(frozen=True, slots=True)
class Archive:
    """A bundle, or part of it, as one archive to come.

    The same ``tag`` always stands for the same bytes; ``begin(start)`` makes them from byte
    ``start`` on.
    """

    name: str
    format: FileFormat | ArchiveFormat
    tag: str
    begin: Callable[[int], Download]


def bundles_download(caller: Caller, bundle_id: int, query: DownloadQuery) -> Archive:
    """Return a bundle, or part of it, as one archive."""
    bundle = bundles.bundle(caller.reader, bundle_id, caller.scope)
    kind, paths = query.contents, [to_bytes(path) for path in query.path]
    if query.form == "sql" and not query.database:
        raise SettingError("Nothing says which database.", "Name it.", field="database")
    form = _SQL if query.form == "sql" else archives.archive_format(query.form)
    listing = bundles.listing_digest(caller.reader, bundle_id)
    about = f"{listing} {kind} {paths}{form.suffix}"
    if query.form == "sql":
        about += f" {query.database} {query.table}"
    tag = hashlib.sha256(about.encode()).hexdigest()[:32]

    def begin(start: int) -> Download:
        return _begun(caller, bundle, query, paths, start)

    name = format_file_name(bundle.subject, query.database, *query.table, bundle.name)
    return Archive(name + form.suffix, form, tag, begin)


def _begun(
    caller: Caller, bundle: Bundle, query: DownloadQuery, paths: list[bytes], start: int
) -> Download:
    store = chosen_copy(bundle, query.store)
    contents: list[str] = [query.contents] if query.contents else []
    wanted = export_of(caller, bundle, store, contents, paths, query.form)
    wanted = replace(wanted, database=query.database, tables=tuple(query.table))
    download = caller.service.downloads.begin(
        wanted.subject,
        OutsideStream(write_export, wanted),
        verifier(caller, bundle, store, "a download"),
    )
    try:
        # What is wrong from the start on is answered in words; later only by breaking off, and by
        # words when the download is resumed there.
        download.prepare(start)
    except BaseException:
        download.close()
        raise
    if not start:
        caller.note("downloaded", bundle.name)
    return download


def downloads_show(caller: Caller, download_id: str) -> DownloadReport:
    """Return the omissions of a download."""
    found = caller.service.downloads.find(download_id)
    if found is None or not has_subject(caller.reader, caller.scope, found.subject):
        raise MissingError(
            f"There is no download {download_id}.", "OMISSIONS.txt in the archive says what."
        )
    return found.report()
