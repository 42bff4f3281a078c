"""Selection of copies by a keep rule."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from datetime import UTC, datetime, timedelta, tzinfo
from functools import lru_cache

from msgspec import Struct

from .rule import SPANS, KeepRule

#: What two copies of one span have in common, in the job's zone. Weeks are those of ISO 8601.
_FORMATS = {
    "hourly": "%Y-%m-%d %H %z",
    "daily": "%Y-%m-%d",
    "weekly": "%G-W%V",
    "monthly": "%Y-%m",
    "yearly": "%Y",
}
_NAMES = {
    "hourly": "hour",
    "daily": "day",
    "weekly": "week",
    "monthly": "month",
    "yearly": "year",
}


class RetentionCopy(Struct, frozen=True):
    """The facts about one copy that a keep rule needs. ``good`` is False for a damaged one."""

    name: str
    moment: datetime
    pinned: bool = False
    good: bool = True


def kept(
    copies: Sequence[RetentionCopy],
    rule: KeepRule,
    zone: tzinfo = UTC,
    now: datetime | None = None,
) -> dict[str, list[str]]:
    """Return the copies that stay, each with the reasons.

    ``copies`` come in the order in which they were made. That order alone says which are the
    newest: what the clock said may have been wrong. Pinned copies stay and use up no place. Ones
    that are not good use up none either, so that the last good copy always stays; they stay
    themselves as long as they would if they were good, for they may be repaired. Days count back
    from the newest good copy, so that a job that stopped loses nothing, or from the one before it
    where that is earlier: one night of a clock that was set forward costs nothing. If ``now`` is
    given, for a subject that gets no further copies, they count back from it.
    """
    reasons: dict[str, list[str]] = {copy.name: ["pinned"] for copy in copies if copy.pinned}
    counted = [copy for copy in copies if not copy.pinned]
    good = [copy for copy in counted if copy.good]
    for name, why in _wanted(good, rule, zone, now).items():
        reasons.setdefault(name, []).extend(why)
    if len(good) < len(counted):
        would_stay = _wanted(counted, rule, zone, now)
        for copy in counted:
            if not copy.good and (copy.name in would_stay or not good):
                reasons.setdefault(copy.name, []).append("damaged, and may be repaired")
    return reasons


def _wanted(
    copies: Sequence[RetentionCopy], rule: KeepRule, zone: tzinfo, now: datetime | None
) -> dict[str, list[str]]:
    """Return the copies that a rule keeps, of copies that count equally."""
    reasons: dict[str, list[str]] = {}

    def want(rows: Iterable[RetentionCopy], why: str) -> None:
        for copy in rows:
            reasons.setdefault(copy.name, []).append(why)

    if rule.newest:
        want(copies[-rule.newest :], "one of the newest")
    if rule.days and copies:
        since = (now or min(copy.moment for copy in copies[-2:])) - timedelta(days=rule.days)
        want((copy for copy in copies if copy.moment >= since), f"of {rule.days} days")
    for span in SPANS:
        if count := rule.spans.get(span, 0):
            for label, copy in _last_of_each(copies, span, count, zone).items():
                want([copy], f"the last of {_NAMES[span]} {label}")
    want((copy for copy in copies[-rule.least :] if copy.name not in reasons), "never fewer")
    return reasons


def _last_of_each(
    copies: Sequence[RetentionCopy], span: str, count: int, zone: tzinfo
) -> dict[str, RetentionCopy]:
    """Return the last copy of each of the last ``count`` hours, days, weeks, months or years."""
    found: dict[str, RetentionCopy] = {}
    for copy in reversed(copies):
        label = label_of(copy.moment, span, zone)
        if label not in found:
            if len(found) == count:
                break
            found[label] = copy
    return found


@lru_cache(maxsize=100_000)
def label_of(moment: datetime, span: str, zone: tzinfo) -> str:
    """Return a key of the hour, day, week, month or year of a time."""
    return moment.astimezone(zone).strftime(_FORMATS[span])


def retiring(
    copies: Sequence[RetentionCopy],
    rule: KeepRule,
    zone: tzinfo = UTC,
    now: datetime | None = None,
) -> list[RetentionCopy]:
    """Return the copies that no longer stay, oldest first; see :func:`kept`."""
    staying = kept(copies, rule, zone, now)
    return [copy for copy in copies if copy.name not in staying]


def freed(going: Iterable[str], needs: Mapping[str, Mapping[str, int]]) -> dict[str, int]:
    """Return the bytes that each of some copies frees when they go one after the other.

    ``needs`` has, for every copy of the subject on the store, the bytes of each piece that it
    needs; a piece goes with the last copy that needs it."""
    left = {name: set(pieces) for name, pieces in needs.items()}
    found = {}
    for name in going:
        mine = left.pop(name, set())
        others = set().union(*left.values()) if left else set()
        found[name] = sum(needs[name][piece] for piece in mine - others)
    return found
