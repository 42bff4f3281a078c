"""Bundles: browsing, pinning."""

from __future__ import annotations

from datetime import UTC, datetime
from itertools import islice

from ....core.bundle.entry import FILE, Entry, to_bytes, to_text
from ....core.bundle.listing import children, read_listing
from ....core.contents import Contents
from ....core.errors import SettingError
from ....models import Bundle, BundleDetail, BundleEntry, BundleFiles, EntrySearch, Page, Pin
from ....models.queries import BundlesQuery, EntrySearchQuery, FolderQuery
from ....records.bundles import bundles
from ....records.paging import page_request
from ..caller import Caller
from .listings import listing_of

_SHOWN = 2000
_FOUND = 500


def bundles_list(caller: Caller, query: BundlesQuery) -> Page[Bundle]:
    """Return bundles, newest first."""
    return bundles.bundles(
        caller.reader,
        caller.scope,
        page_request(query),
        query.subject,
        query.kind,
        query.job,
        query.store,
        query.q,
        query.until,
        query.contents,
    )


def bundles_show(caller: Caller, bundle_id: int) -> BundleDetail:
    """Return one bundle."""
    return bundles.bundle(caller.reader, bundle_id, caller.scope)


def bundles_pin(caller: Caller, bundle_id: int, body: Pin) -> BundleDetail:
    """Pin a bundle, with a reason, until a time or until it is unpinned."""
    if body.until is not None and body.until <= datetime.now(UTC):
        raise SettingError("The pin would be over already.", "Give a time in the future.", "until")
    return _pin(caller, bundle_id, body)


def bundles_unpin(caller: Caller, bundle_id: int) -> BundleDetail:
    """Let a bundle retire again as the keep rule says."""
    return _pin(caller, bundle_id, None)


def _pin(caller: Caller, bundle_id: int, pin: Pin | None) -> BundleDetail:
    with caller.write() as db:
        found = bundles.bundle(db, bundle_id, caller.scope)
        bundles.pin(db, bundle_id, pin)
    caller.note("pinned" if pin else "unpinned", f"{found.subject} {found.name}")
    caller.changed("bundles")
    return bundles_show(caller, bundle_id)


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


def bundles_files(caller: Caller, bundle_id: int, query: FolderQuery) -> BundleFiles:
    """Return contents of a folder in a bundle."""
    bundle = bundles_show(caller, bundle_id)
    kind = Contents(query.contents or next(iter(bundle.contents), Contents.FILES))
    folder = to_bytes(query.folder)
    with listing_of(caller, bundle).open("rb") as raw:
        rows = [
            _entry(*row)
            for row in islice(children(read_listing(raw, [kind]), kind, folder), _SHOWN + 1)
        ]
    return BundleFiles(
        kind=kind, folder=to_text(folder), items=rows[:_SHOWN], more=len(rows) > _SHOWN
    )


def bundles_search(caller: Caller, bundle_id: int, query: EntrySearchQuery) -> EntrySearch:
    """Return entries whose path holds the words."""
    bundle = bundles_show(caller, bundle_id)
    kind = query.contents
    words = [word.encode() for word in query.q.lower().split()]
    if not words:
        raise SettingError("There is nothing to look for.", "Give a part of the name.", field="q")
    rows: list[BundleEntry] = []
    with listing_of(caller, bundle).open("rb") as raw:
        for entry in read_listing(raw, [kind] if kind else []):
            if all(w in entry.path.lower() for w in words):
                rows.append(_entry(entry, int(entry.type == FILE), entry.size))
                if len(rows) > _FOUND:
                    break
    return EntrySearch(items=rows[:_FOUND], more=len(rows) > _FOUND)
