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
_TENTH = 0.1
#: Of half of all entries fewer are of interest.
_HALF, _FEW_CHANGES = 0.5, 5


def unusual_size(size: int, before: Sequence[int], smaller: int, larger: int) -> str:
    """Return what is unusual about a bundle of ``size`` bytes after others, as a clause; empty if
    nothing.

    ``smaller`` and ``larger`` are percent of the median of earlier bundles, 0 for never.
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


def unusual_changes(
    changes: int, entries: int, before: Sequence[tuple[int, int]], most: int
) -> str:
    """Return what is unusual about the new, changed and gone entries of a bundle, as a clause.

    ``entries`` are all of the bundle, ``before`` the changes and entries of those before it, and
    ``most`` percent of the median of their changes, 0 for never. More than ``most`` is unusual if
    it is at least a tenth of all entries; so is, in any case, half of all entries and more than
    twice the usual share, as after an encryption by malware.
    """
    if not most or len(before) < _LEAST_BEFORE:
        return ""
    usual = median(count for count, _ in before)
    usual_share = median(_share(count, whole) for count, whole in before)
    share = _share(changes, entries)
    many = changes >= _LEAST_CHANGES and share >= _TENTH and changes * 100 > usual * most
    half = changes >= _FEW_CHANGES and share >= _HALF and share > 2 * usual_share
    if not (many or half):
        return ""
    return (
        f"far more changes than usual: {format_count(changes, 'entry', 'entries')} "
        f"({min(share, 1):.0%} of all), where {int(usual):,} are usual"
    )


def _share(changes: int, entries: int) -> float:
    return changes / max(entries, 1)
