"""Versions of files over all bundles of a subject."""

from __future__ import annotations

import time
from functools import partial
from itertools import islice, pairwise

from ....core.bundle.versions import FileVersions, VersionSearch
from ....core.contents import Contents
from ....core.errors import FasciculusError, SettingError
from ....models import Bundle, FileVersion, Page, VersionedFile, VersionsFound
from ....models.queries import VersionsQuery
from ....records.bundles import bundles
from ....records.paging import PageRequest
from ... import bundle_changes
from ..caller import Caller
from .listings import listing_of

_MOST_FILES = 500
_MOST_BUNDLES = 5000
#: Seconds after which a search stops.
_SECONDS = 25.0


def bundles_versions(caller: Caller, query: VersionsQuery) -> VersionsFound:
    """Return the files whose path holds the words, with their versions over all bundles."""
    words = query.q.split()
    if not words:
        raise SettingError("There is nothing to look for.", "Give a part of the name.", field="q")
    began = time.monotonic()
    found = VersionsFound()
    for series in _series(caller, query):
        if time.monotonic() - began > _SECONDS or len(found.items) > _MOST_FILES:
            found.more = True
            break
        rows = _bundles(caller, series, _kind(query))
        # Of more bundles than are searched, the newest ones are.
        found.more = found.more or bool(rows.next)
        oldest_first = rows.items[::-1]
        _search(caller, oldest_first, VersionSearch(words, _kind(query)), began, found)
    found.seconds = round(time.monotonic() - began, 3)
    found.more = found.more or len(found.items) > _MOST_FILES
    del found.items[_MOST_FILES:]
    return found


def _kind(query: VersionsQuery) -> Contents:
    return Contents(query.contents or Contents.FILES)


def _series(caller: Caller, query: VersionsQuery) -> list[bundles.Series]:
    """Return the subjects and jobs in question: what one job leaves out is not gone because another
    one includes it.
    """
    known = bundles.series(caller.reader, caller.scope, query.subject, query.kind, _kind(query))
    if query.subject and not known:
        raise SettingError(
            "There is no bundle of that account or site.",
            "“fasciculus bundles list” shows which there are.",
            field="subject",
        )
    return known


def _bundles(caller: Caller, series: bundles.Series, kind: Contents) -> Page[Bundle]:
    paging = PageRequest(limit=_MOST_BUNDLES, sort="-moment")
    return bundles.bundles(
        caller.reader,
        caller.scope,
        paging,
        series.subject,
        series.kind,
        job=series.job,
        contents=kind,
    )


def _search(
    caller: Caller, rows: list[Bundle], search: VersionSearch, began: float, found: VersionsFound
) -> None:
    taken = rows[:1]
    try:
        with listing_of(caller, rows[0]).open("rb") as listing:
            search.first(listing)
        for older, newer in pairwise(rows):
            if time.monotonic() - began > _SECONDS:
                found.more = True
                break
            path = bundle_changes.changes(caller.config, older, newer, partial(listing_of, caller))
            with path.open("rb") as changes:
                search.next(changes)
            taken.append(newer)
    except (FasciculusError, OSError) as error:
        # One listing that cannot be read costs the bundles after it.
        found.unreadable.append(f"{rows[len(taken) - 1].name}: {error}")
    found.bundles += len(taken)
    files = islice(search.result(), _MOST_FILES + 1)
    found.items += [_shown(file, taken) for file in files]


def _shown(file: FileVersions, rows: list[Bundle]) -> VersionedFile:
    return VersionedFile(
        subject_kind=rows[0].subject_kind,
        subject=rows[0].subject,
        job=rows[0].job,
        kind=Contents(file.kind),
        path=file.path,
        is_gone=file.is_gone,
        versions=[
            FileVersion(
                type=row.state.type,
                bytes=row.state.size,
                digest=row.state.digest,
                changed=row.state.mtime_ns / 1e9,
                first=rows[row.first].id,
                first_moment=rows[row.first].moment,
                last=rows[row.last].id,
                last_moment=rows[row.last].moment,
            )
            for row in file.versions
        ],
    )
