"""Simulation of copies and their space on each future day."""

from __future__ import annotations

from collections import Counter, deque
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from datetime import UTC, date, datetime, timedelta, tzinfo

from .rule import KeepRule
from .selection import RetentionCopy, label_of


@dataclass(frozen=True, slots=True)
class Sizes:
    """Bytes of a full bundle, and of what an incremental one brings; a new full one comes after
    ``full_every`` days, 0 for a job of full bundles alone."""

    full: int
    new: int = 0
    full_every: int = 0


@dataclass(frozen=True, slots=True)
class SimulatedDay:
    """The copies at the end of a day, oldest first, and the bytes that they take."""

    day: date
    copies: tuple[datetime, ...]
    bytes: int


class GrowingCopies:
    """The good copies of one subject on one store while more are made, one after the other.

    After each it holds what :func:`~.selection.kept` says of them all; but what a copy changes is
    found without looking at the others, so that a year of quarters of hours takes no time.
    """

    def __init__(self, rule: KeepRule, zone: tzinfo = UTC) -> None:
        self._rule, self._zone = rule, zone
        self._pinned: list[datetime] = []
        #: How many parts of the rule want each copy, in the order in which they were made.
        self._wanted: Counter[datetime] = Counter()
        self._last: deque[datetime] = deque()
        self._recent: deque[datetime] = deque()
        self._previous: datetime | None = None
        self._spans: dict[str, deque[tuple[str, datetime]]] = {name: deque() for name in rule.spans}

    def pin(self, moment: datetime) -> None:
        """Keep a copy that takes no place."""
        self._pinned.append(moment)

    def add(self, moment: datetime) -> None:
        """Add a copy, and retire those that no rule keeps any longer."""
        rule = self._rule
        self._wanted[moment] = 0
        self._want(self._last, moment)
        if len(self._last) > max(rule.newest, rule.least):
            self._give_up(self._last.popleft())
        if rule.days:
            self._want(self._recent, moment)
            since = min(self._previous or moment, moment) - timedelta(days=rule.days)
            while self._recent[0] < since:
                self._give_up(self._recent.popleft())
        self._previous = moment
        for span, count in rule.spans.items():
            self._add_to_span(self._spans[span], label_of(moment, span, self._zone), moment, count)

    def _want(self, row: deque[datetime], moment: datetime) -> None:
        row.append(moment)
        self._wanted[moment] += 1

    def _add_to_span(
        self, row: deque[tuple[str, datetime]], label: str, moment: datetime, count: int
    ) -> None:
        if row and row[-1][0] == label:
            self._give_up(row.pop()[1])
        row.append((label, moment))
        self._wanted[moment] += 1
        if len(row) > count:
            self._give_up(row.popleft()[1])

    def _give_up(self, moment: datetime) -> None:
        self._wanted[moment] -= 1
        if not self._wanted[moment]:
            del self._wanted[moment]

    def holds(self, moment: datetime) -> bool:
        """Return whether a copy stays."""
        return self._wanted[moment] > 0

    @property
    def moments(self) -> tuple[datetime, ...]:
        """Return when the copies that stay were made, oldest first."""
        return (*self._pinned, *self._wanted)


def simulate(
    copies: Sequence[RetentionCopy],
    starts: Iterable[datetime],
    rule: KeepRule,
    sizes: Sizes,
    zone: tzinfo,
    first: date,
    days: int,
) -> Iterator[SimulatedDay]:
    """Yield the end of each of ``days`` days from ``first`` on, in ``zone``, if every run succeeds.

    ``copies`` are there now, damaged ones left aside; ``starts`` are those of the job, in order,
    without end or with. The bytes are an upper bound: what an incremental bundle brought counts as
    long as a later one of its row stays.
    """
    growing = GrowingCopies(rule, zone)
    chains = _Chains(sizes)
    for copy in copies:
        if copy.pinned:
            growing.pin(copy.moment)
        elif copy.good:
            growing.add(copy.moment)
        chains.add(copy.moment)
    rows = iter(starts)
    upcoming = next(rows, None)
    for number in range(days):
        day = first + timedelta(days=number)
        while upcoming is not None and upcoming.astimezone(zone).date() <= day:
            growing.add(upcoming)
            chains.add(upcoming)
            upcoming = next(rows, None)
        yield SimulatedDay(day, growing.moments, chains.bytes_of(growing.moments))


@dataclass(slots=True)
class _Chain:
    """A full bundle and the incremental ones that build on it."""

    begun: datetime
    moments: list[datetime] = field(default_factory=list)


class _Chains:
    def __init__(self, sizes: Sizes) -> None:
        self._sizes = sizes
        self._chains: list[_Chain] = []

    def add(self, moment: datetime) -> None:
        every = timedelta(days=self._sizes.full_every)
        if not self._chains or not every or moment - self._chains[-1].begun >= every:
            self._chains.append(_Chain(moment))
        self._chains[-1].moments.append(moment)

    def bytes_of(self, moments: Iterable[datetime]) -> int:
        """Return what these copies take; rows of which nothing stays are forgotten."""
        staying = set(moments)
        total, left = 0, []
        for chain in self._chains:
            last = max((n for n, m in enumerate(chain.moments) if m in staying), default=None)
            if last is None:
                continue
            left.append(chain)
            total += self._sizes.full + last * self._sizes.new
        self._chains = left
        return total
