"""The due starts of any number of timetables. It has no clock: callers pass the time."""

from __future__ import annotations

import heapq
from collections.abc import Hashable, Iterator, Mapping
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Generic, TypeVar
from zoneinfo import ZoneInfo

from .restrictions import Restrictions
from .starts import starts
from .timetable import Schedule

K = TypeVar("K", bound=Hashable)

#: A start that is found no later than this is not one that was missed.
PUNCTUAL = timedelta(minutes=2)


@dataclass(frozen=True, slots=True)
class Timed:
    """A plan's entry: a timetable in a zone, with start conditions."""

    timetable: Schedule
    where: ZoneInfo
    restrictions: Restrictions | None = None

    def starts(self, after: datetime) -> Iterator[datetime]:
        """Return the starts after a time."""
        return starts(self.timetable, self.where, after, self.restrictions)


@dataclass(frozen=True, slots=True)
class Due(Generic[K]):
    """A start that has come. ``missed`` says that it came while nobody looked, ``earlier`` how many
    of the same had gone by before it: it stands for them all."""

    what: K
    moment: datetime
    missed: bool
    earlier: int = 0


class StartPlan(Generic[K]):
    """The next start of each of many, soonest first."""

    def __init__(self) -> None:
        self._timed: dict[K, Timed] = {}
        #: The next start of each, and those that follow it.
        self._next: dict[K, tuple[datetime, Iterator[datetime]]] = {}
        self._heap: list[tuple[datetime, int, K]] = []
        self._number = 0
        #: Up to when starts were looked for.
        self._seen = datetime.min.replace(tzinfo=UTC)

    def renew(self, timed: Mapping[K, Timed], after: datetime) -> None:
        """Plan again, from a time on; unchanged entries keep a start that is due by then."""
        kept = {
            what: row
            for what, row in self._next.items()
            # With a clock that was set back, earlier ones are to come again.
            if after >= self._seen and timed.get(what) == self._timed[what] and row[0] > after
        }
        self._seen = after
        self._timed, self._next, self._heap = dict(timed), {}, []
        for what, row in self._timed.items():
            if what in kept:
                self._put(what, *kept[what])
            else:
                self._put_next(what, row.starts(after))

    def _put_next(self, what: K, rest: Iterator[datetime]) -> None:
        if (moment := next(rest, None)) is not None:
            self._put(what, moment, rest)

    def _put(self, what: K, moment: datetime, rest: Iterator[datetime]) -> None:
        self._number += 1
        self._next[what] = (moment, rest)
        heapq.heappush(self._heap, (moment, self._number, what))

    @property
    def soonest(self) -> datetime | None:
        """Return the time of the next start."""
        return self._heap[0][0] if self._heap else None

    def due(self, now: datetime) -> list[Due[K]]:
        """Return the starts that have come since the last time, in their order.

        Several missed starts of one timetable count as one.
        """
        found = []
        self._seen = now
        while self._heap and self._heap[0][0] <= now:
            _, _, what = heapq.heappop(self._heap)
            moment, rest = self._next.pop(what)
            earlier = 0
            for following in rest:
                if following > now:
                    self._put(what, following, rest)
                    break
                earlier, moment = earlier + 1, following
            found.append(Due(what, moment, now - moment > PUNCTUAL, earlier))
        return found
