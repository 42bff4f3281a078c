"""Needed and free space of a run, before it is started."""

from __future__ import annotations

import shutil
from collections.abc import Sequence

from ....config import Config
from ....core.formatting import format_count
from ....models import JobInput, SpaceNeed, Store

#: Pieces that the spool holds at once: one being packed, one waiting, one under way.
_PIECES = 3


def needed(
    config: Config, job: JobInput, stores: Sequence[Store], packed: int, subjects: int
) -> list[SpaceNeed]:
    """For the spool and each store: what is needed, what is free, and whence the estimate is.

    ``packed`` are the bytes of the newest bundles of the ``subjects`` that have one.
    """
    spool = min(config.spool_limit, _PIECES * job.piece_size, max(packed, 1))
    rows = [
        SpaceNeed(
            place="the spool",
            needed=spool,
            free=_free(config),
            why=f"{_PIECES} pieces wait there at most, within its limit",
        )
    ]
    why = (
        f"as much as full bundles of {format_count(subjects, 'subject')} took last, packed"
        if subjects
        else "no bundle has been made yet to measure by"
    )
    rows += [
        SpaceNeed(
            place=f"store {store.name}",
            needed=packed,
            free=None if store.free is None else max(0, store.free - store.reserve),
            why=why,
        )
        for store in stores
    ]
    return rows


def _free(config: Config) -> int | None:
    try:
        return shutil.disk_usage(config.spool).free
    except OSError:
        return None
