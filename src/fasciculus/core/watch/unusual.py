"""Bundles that are unlike those before them."""

from __future__ import annotations

from collections.abc import Sequence
from statistics import median

from ..formatting import format_count, format_size

#: With fewer before it nobody knows what is usual.
_LEAST_BEFORE = 3
#: Differences below these are of no interest whatever their share is.
_LEAST_BYTES = 1024 * 1024
_LEAST_CHANGES = 50


def unusual_size(size: int, before: Sequence[int], smaller: int, larger: int) -> str:
    """What is unusual about a bundle of ``size`` bytes after others, as a clause; empty if nothing.

    ``smaller`` and ``larger`` are percent of the middle of those before it, 0 for never.
    """
    if len(before) < _LEAST_BEFORE:
        return ""
    usual = median(before)
    if abs(size - usual) < _LEAST_BYTES:
        return ""
    what = f"{format_size(size)}, where {format_size(int(usual))} is usual"
    if smaller and size * 100 < usual * smaller:
        return f"much smaller than usual: {what}"
    if larger and size * 100 > usual * larger:
        return f"much larger than usual: {what}"
    return ""


def unusual_changes(changes: int, before: Sequence[int], entries: int, most: int) -> str:
    """What is unusual about so many new, changed and gone entries, as a clause.

    ``most`` is percent of the middle of the numbers before it, 0 for never. A tenth of all entries
    must have changed at least.
    """
    if not most or len(before) < _LEAST_BEFORE or changes < _LEAST_CHANGES:
        return ""
    usual = median(before)
    if changes * 10 < entries or changes * 100 <= usual * most:
        return ""
    return (
        f"far more changes than usual: {format_count(changes, 'entry', 'entries')}, where "
        f"{int(usual):,} are usual"
    )
