"""Bundles: browsing, downloading, restoring."""

from __future__ import annotations

import hashlib
import os
import re
from datetime import UTC, datetime
from itertools import islice

from flask import Response, current_app, request

from ...bundles import archives
from ...core.bundle.entry import FILE, Entry, to_bytes, to_text
from ...core.bundle.listing import children, read_listing
from ...core.bundle.sealing import identities_of
from ...core.errors import AlreadyEndedError, FolderNotEmptyError, SettingError
from ...core.permissions import Permission
from ...models import (
    Bundle,
    BundleDetail,
    BundleEntry,
    BundleFiles,
    DownloadReport,
    EntrySearch,
    LogLine,
    Page,
    Pin,
    ProblemType,
    Restore,
    RestoreStart,
    Started,
)
from ...models.queries import (
    BundlesQuery,
    DownloadQuery,
    EntrySearchQuery,
    FolderQuery,
    LogQuery,
    RestoresQuery,
)
from ...records import bundles, log_lines, restores
from ..bundle_export import write_export
from ..bundle_listings import chosen_copy, export_of, listing_of, verifier
from ..context import context, order_inputs
from ..downloads import HEADER, Downloads
from ..operations import PREFIX, operation, page_request, principal
from ..outside import OutsideStream
from ..problems import problem
from ..tasks.orders.connections import local_stores
from ..tasks.orders.restore import check_target
from .auth import note

_SHOWN = 2000
_FOUND = 500


@operation(
    "GET",
    "/bundles",
    "Bundles, newest first",
    Permission.VIEW,
    response=Page[Bundle],
    query=BundlesQuery,
)
def bundles_list(query: BundlesQuery) -> Page[Bundle]:
    return bundles.bundles(
        context().records.reader,
        page_request(query),
        query.subject,
        query.kind,
        query.job,
        query.store,
        query.q,
    )


@operation("GET", "/bundles/{bundle_id}", "One bundle", Permission.VIEW, response=BundleDetail)
def bundles_show(bundle_id: int) -> BundleDetail:
    return bundles.bundle(context().records.reader, bundle_id)


@operation(
    "PUT",
    "/bundles/{bundle_id}/pin",
    "Pin a bundle, with a reason, until a time or until it is unpinned",
    Permission.OPERATE,
    body=Pin,
    response=BundleDetail,
)
def bundles_pin(bundle_id: int, body: Pin) -> BundleDetail:
    if body.until is not None and body.until <= datetime.now(UTC):
        raise SettingError("The pin would be over already.", "Give a time in the future.", "until")
    return _pin(bundle_id, body)


@operation(
    "DELETE",
    "/bundles/{bundle_id}/pin",
    "Let a bundle retire again as the keep rule says",
    Permission.OPERATE,
    response=BundleDetail,
)
def bundles_unpin(bundle_id: int) -> BundleDetail:
    return _pin(bundle_id, None)


def _pin(bundle_id: int, pin: Pin | None) -> BundleDetail:
    with context().records.write() as db:
        found = bundles.bundle(db, bundle_id)
        bundles.pin(db, bundle_id, pin)
    note("pinned" if pin else "unpinned", f"{found.subject} {found.name}")
    context().events.changed("bundles")
    return bundles_show(bundle_id)


def _entry(entry: Entry, files: int, size: int) -> BundleEntry:
    return BundleEntry(
        name=entry.path.rpartition(b"/")[2].decode("utf-8", "backslashreplace"),
        path=to_text(entry.path),
        type=entry.type,
        bytes=size,
        files=files,
        mode=f"{entry.mode:04o}",
        user=entry.user or str(entry.uid),
        group=entry.group or str(entry.gid),
        mtime=datetime.fromtimestamp(entry.mtime_ns / 1e9, UTC),
        target=entry.target.decode("utf-8", "backslashreplace")
        if entry.target is not None
        else None,
    )


@operation(
    "GET",
    "/bundles/{bundle_id}/files",
    "Contents of a folder in a bundle",
    Permission.VIEW,
    response=BundleFiles,
    query=FolderQuery,
)
def bundles_files(bundle_id: int, query: FolderQuery) -> BundleFiles:
    bundle = bundles_show(bundle_id)
    kind: str = query.contents or next(iter(bundle.contents), "files")
    folder = to_bytes(query.folder)
    with listing_of(bundle).open("rb") as raw:
        rows = [
            _entry(*row)
            for row in islice(children(read_listing(raw, [kind]), kind, folder), _SHOWN + 1)
        ]
    return BundleFiles(
        kind=kind, folder=to_text(folder), items=rows[:_SHOWN], more=len(rows) > _SHOWN
    )


@operation(
    "GET",
    "/bundles/{bundle_id}/search",
    "Entries whose path holds the words",
    Permission.VIEW,
    response=EntrySearch,
    query=EntrySearchQuery,
)
def bundles_search(bundle_id: int, query: EntrySearchQuery) -> EntrySearch:
    bundle = bundles_show(bundle_id)
    kind = query.contents
    words = [word.encode() for word in query.q.lower().split()]
    if not words:
        raise SettingError("There is nothing to look for.", "Give a part of the name.", field="q")
    rows: list[BundleEntry] = []
    with listing_of(bundle).open("rb") as raw:
        for entry in read_listing(raw, [kind] if kind else []):
            if all(w in entry.path.lower() for w in words):
                rows.append(_entry(entry, int(entry.type == FILE), entry.size))
                if len(rows) > _FOUND:
                    break
    return EntrySearch(items=rows[:_FOUND], more=len(rows) > _FOUND)


@operation(
    "GET",
    "/bundles/{bundle_id}/download",
    "A bundle, or part of it, as one archive",
    Permission.RESTORE,
    media="application/gzip",
    query=DownloadQuery,
)
def bundles_download(bundle_id: int, query: DownloadQuery) -> Response:
    bundle = bundles_show(bundle_id)
    kind, paths = query.contents, [to_bytes(path) for path in query.path]
    form = archives.archive_format(query.form)
    about = (
        f"{bundles.listing_digest(context().records.reader, bundle_id)} {kind} {paths}{form.suffix}"
    )
    tag = hashlib.sha256(about.encode()).hexdigest()[:32]
    start = _range_start(tag)
    if start is None:
        return problem(
            ProblemType.RANGE_NOT_SUPPORTED,
            "Only ranges of the form “bytes=N-” can be given.",
            hint="Ask for the whole, or from a byte on.",
        )
    store = chosen_copy(bundle, query.store)
    wanted = export_of(bundle, store, [kind] if kind else [], paths, query.form)
    downloads: Downloads = current_app.extensions["fasciculus-downloads"]
    download = downloads.begin(
        OutsideStream(write_export, wanted), verifier(bundle, store, "a download")
    )
    try:
        # What is wrong from the start on is answered in words; later only by breaking off, and by
        # words when the download is resumed there.
        download.prepare(start)
    except BaseException:
        download.close()
        raise
    headers = {
        "ETag": f'"{tag}"',
        HEADER: download.number,
        "Accept-Ranges": "bytes",
        "Content-Disposition": "attachment; "
        f'filename="{bundle.subject}-{bundle.name}{form.suffix}"',
    }
    if not start:
        note("downloaded", bundle.name)
        return Response(download, mimetype=form.media, headers=headers)
    return Response(
        download,
        206,
        mimetype=form.media,
        headers={**headers, "Content-Range": f"bytes {start}-/*"},
    )


@operation(
    "GET",
    "/downloads/{download_id}",
    "Omissions of a download; its number is in its X-Download header",
    Permission.RESTORE,
    response=DownloadReport,
)
def downloads_show(download_id: str) -> DownloadReport:
    downloads: Downloads = current_app.extensions["fasciculus-downloads"]
    return downloads.report(download_id)


def _range_start(tag: str) -> int | None:
    """Return where a resumed download continues: the same bundle always has the same bytes."""
    asked = request.headers.get("Range")
    if not asked or request.headers.get("If-Range", f'"{tag}"') != f'"{tag}"':
        return 0
    match = re.fullmatch(r"bytes=(\d+)-", asked.strip())
    return int(match[1]) if match else None


# Restores -----------------------------------------------------------------------


@operation(
    "GET",
    "/restores",
    "Restores, newest first",
    Permission.VIEW,
    response=Page[Restore],
    query=RestoresQuery,
)
def restores_list(query: RestoresQuery) -> Page[Restore]:
    page = restores.restores(context().records.reader, page_request(query), query.subject)
    page.items = [context().tasks.restore_with_progress(row) for row in page.items]
    return page


@operation(
    "POST",
    "/restores",
    "Bring a bundle, or part of it, back into an empty folder and named databases",
    Permission.RESTORE,
    body=RestoreStart,
    response=Started,
    status=202,
)
def restores_start(body: RestoreStart) -> Started:
    db, key = context().records.reader, request.headers.get("Idempotency-Key")
    bundle = bundles.bundle(db, body.bundle)
    store = chosen_copy(bundle, body.store)
    known = [d.name for d in bundle.databases if not d.origin]
    for name, new in body.databases.items():
        if name not in known:
            raise SettingError(
                f"The bundle holds no database “{name}” of a server.",
                f"It holds: {', '.join(known) or 'none'}.",
                field="databases",
            )
        if not new or len(new) > 64:
            raise SettingError(
                f"“{new}” cannot be a database's name.",
                "Use 1 to 64 characters.",
                field="databases",
            )
    for path in body.paths:
        to_bytes(path)
    for kind in body.contents:
        if kind not in bundle.contents:
            raise SettingError(
                f"The bundle holds no {kind}.",
                f"It holds: {', '.join(bundle.contents)}.",
                field="contents",
            )
    if not (body.target or body.databases or body.mail_domains):
        raise SettingError(
            "Nothing says where to bring it back to.",
            "Name a folder, or databases or mail domains.",
            field="target",
        )
    if body.target:
        check_target(context().config, local_stores(order_inputs()), body.target)
    if body.resume and not restores.interrupted(db, bundle.id, body.target):
        raise SettingError(
            f"No restore of this bundle to {body.target or 'a folder'} was interrupted.",
            "“fasciculus restores list” shows where restores went.",
            field="target",
        )
    is_used = body.target and os.path.isdir(body.target) and os.listdir(body.target)
    if is_used and not body.resume:
        raise FolderNotEmptyError(
            f"The folder {body.target} is not empty.",
            "Name an empty or a new folder, or continue an interrupted restore (resume).",
            field="target",
        )
    given = None
    if body.identity:
        keys = identities_of(body.identity)
        given = context().cipher.encrypt({str(n): key for n, key in enumerate(keys)})
    with context().records.write() as writer:
        if key and (found := restores.by_key(writer, key)):
            return Started(id=found, url=f"{PREFIX}/restores/{found}")
        restore_id = restores.add(writer, body, bundle, store, principal().name, key, given)
    note("started a restore", f"{bundle.subject} {bundle.name} to {body.target or 'its host'}")
    context().tasks.start_restore(restores.restore(db, restore_id))
    return Started(id=restore_id, url=f"{PREFIX}/restores/{restore_id}")


@operation("GET", "/restores/{restore_id}", "One restore", Permission.VIEW, response=Restore)
def restores_show(restore_id: int) -> Restore:
    return context().tasks.restore_with_progress(
        restores.restore(context().records.reader, restore_id)
    )


@operation(
    "POST",
    "/restores/{restore_id}/cancel",
    "Cancel a restore",
    Permission.RESTORE,
    response=Restore,
    status=202,
)
def restores_cancel(restore_id: int) -> Restore:
    if restores_show(restore_id).state == "ended":
        raise AlreadyEndedError(
            f"Restore {restore_id} has ended already.", "There is nothing to cancel."
        )
    context().tasks.cancel_restore(restore_id)
    note("cancelled a restore", str(restore_id))
    return restores_show(restore_id)


@operation(
    "GET",
    "/restores/{restore_id}/log",
    "The log of a restore",
    Permission.VIEW,
    response=Page[LogLine],
    query=LogQuery,
)
def restores_log(restore_id: int, query: LogQuery) -> Page[LogLine]:
    restores_show(restore_id)
    return log_lines.lines(
        context().records.reader,
        page_request(query),
        "restore_id",
        restore_id,
        query.level,
        query.q,
    )
