"""The time until which a keep rule keeps a new copy, for locking it."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import UTC, datetime, timedelta, tzinfo

from .rule import KeepRule
from .selection import RetentionCopy
from .simulation import GrowingCopies

#: Nobody can end a lock that turns out to be too long.
LONGEST = timedelta(days=366)


def locked_until(
    moment: datetime,
    earlier: Sequence[RetentionCopy],
    rule: KeepRule,
    starts: Iterable[datetime],
    zone: tzinfo = UTC,
) -> datetime | None:
    """Return when a copy retires by a keep rule, if another one is made at each of ``starts``; at
    most :data:`LONGEST` after it was made.

    ``earlier`` are the copies before it. None where that is not known, since no further copies
    are planned and the rule counts no days.
    """
    growing, last = GrowingCopies(rule, zone), moment + LONGEST
    for copy in earlier:
        if copy.good and not copy.pinned:
            growing.add(copy.moment)
    growing.add(moment)
    for start in starts:
        if start >= last:
            return last
        growing.add(start)
        if not growing.holds(moment):
            return start
    return min(moment + timedelta(days=rule.days), last) if rule.days else None
