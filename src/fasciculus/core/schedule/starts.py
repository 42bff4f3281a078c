"""The moments at which a timetable starts something.

Across the changes of summer time, a start at a stated hour that is skipped happens right after the
gap, and one in an hour that comes twice happens once, the first time. Timetables without an hour,
such as “hourly at :20”, follow elapsed time: they neither pause nor double. The same holds for cron
expressions with ``*`` or ``*/n`` as hour or minute, as Debian's cron does it (cron(8)).
"""

from __future__ import annotations

import heapq
from collections.abc import Iterator
from datetime import UTC, datetime, time, timedelta
from functools import partial
from itertools import islice
from zoneinfo import ZoneInfo

from .expressions import local_times
from .restrictions import Restrictions
from .timetable import Recurrence, Schedule

#: A day of the year that comes once in eight years is looked for no longer than this.
_LONGEST = timedelta(days=366 * 10)
_MINUTE = timedelta(minutes=1)


def starts(
    timetable: Schedule,
    where: ZoneInfo,
    after: datetime,
    restrictions: Restrictions | None = None,
) -> Iterator[datetime]:
    """Yield the starts later than ``after``, in order, as UTC moments.

    Without end, but for single starts and where ``restrictions`` let no more come.
    """
    after = after.astimezone(UTC)
    rows: list[Iterator[datetime]] = [
        _of_expression(expression, where, after) for expression in timetable.expressions
    ]
    rows += [_of_recurrence(row, where, after) for row in timetable.counted]
    if timetable.once:
        rows.append(iter(sorted(stated(moment, where) for moment in timetable.once)))
    end = after + _LONGEST
    last = after
    for moment in heapq.merge(*rows):
        if moment > end or (restrictions is not None and restrictions.over(moment)):
            return
        if moment <= last:
            continue
        last = moment
        if restrictions is None or restrictions.allows(moment):
            # What goes on for years is not looked for in vain.
            end = moment + _LONGEST
            yield moment


def next_starts(
    timetable: Schedule,
    where: ZoneInfo,
    after: datetime,
    count: int,
    restrictions: Restrictions | None = None,
) -> list[datetime]:
    """Return the next ``count`` starts after a time, in UTC."""
    return list(islice(starts(timetable, where, after, restrictions), count))


def stated(local: datetime, where: ZoneInfo) -> datetime:
    """Return the UTC time of a local time: the first of two, or the end of a skipped gap."""
    while (moment := _existing(local, where, 0)) is None:
        local += _MINUTE
    return moment


def _existing(local: datetime, where: ZoneInfo, fold: int) -> datetime | None:
    """Return the UTC time of a local time, None if clocks skip it."""
    moment = local.replace(tzinfo=where, fold=fold).astimezone(UTC)
    return moment if moment.astimezone(where).replace(tzinfo=None) == local else None


def _of_expression(expression: str, where: ZoneInfo, after: datetime) -> Iterator[datetime]:
    # A little earlier, since the hour may be coming for the second time.
    begin = after.astimezone(where).replace(tzinfo=None) - timedelta(hours=3)
    rows = local_times(expression, begin)
    if any("*" in field for field in expression.split()[:2]):
        return _elapsed(rows, where)
    return map(partial(stated, where=where), rows)


def _of_recurrence(row: Recurrence, where: ZoneInfo, after: datetime) -> Iterator[datetime]:
    """Yield the times on counted days, from shortly before ``after``."""
    begin = after.astimezone(where).date() - timedelta(days=1)
    passed = max(0, (begin - row.first).days // row.period - 1)
    base = row.first + timedelta(days=passed * row.period)
    while True:
        for offset in row.offsets:
            day = base + timedelta(days=offset)
            if day >= row.first:
                for hour, minute in row.times:
                    yield stated(datetime.combine(day, time(hour, minute)), where)
        base += timedelta(days=row.period)


def _elapsed(rows: Iterator[datetime], where: ZoneInfo) -> Iterator[datetime]:
    """Yield every time that clocks really show, in order, those of a doubled hour twice."""
    second: list[datetime] = []
    for local in rows:
        moment = _existing(local, where, 0)
        if moment is None:
            continue
        while second and second[0] < moment:
            yield heapq.heappop(second)
        yield moment
        again = _existing(local, where, 1)
        if again is not None and again != moment:
            heapq.heappush(second, again)
