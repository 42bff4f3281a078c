"""Runs of different jobs that will go on at the same time on the same host or store."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from statistics import median

_STEP = timedelta(minutes=5)
#: How far away a better time is looked for.
_FARTHEST = timedelta(hours=6)
#: Less than this is no harm.
_LEAST = timedelta(minutes=1)


@dataclass(frozen=True, slots=True)
class ExpectedRun:
    """A run to come: when it will start and end, and the hosts and stores that it uses."""

    job: str
    start: datetime
    end: datetime
    places: frozenset[str]

    def meets(self, other: ExpectedRun) -> frozenset[str]:
        """Return what two runs use at the same time."""
        if self.job == other.job:
            return frozenset()
        together = min(self.end, other.end) - max(self.start, other.start)
        at_once = abs(self.start - other.start) < _LEAST
        return self.places & other.places if together >= _LEAST or at_once else frozenset()

    def clear_of(self, other: ExpectedRun) -> bool:
        """Return whether two runs never overlap."""
        apart = max(self.start, other.start) >= min(self.end, other.end)
        at_once = abs(self.start - other.start) < _LEAST
        return not self.places & other.places or (apart and not at_once)

    def moved(self, by: timedelta) -> ExpectedRun:
        """Return the same at another time."""
        return ExpectedRun(self.job, self.start + by, self.end + by, self.places)


@dataclass(slots=True)
class Collision:
    """Two jobs whose runs meet. ``move`` by ``by`` would part them without meeting others; None
    where no such time is near."""

    first: str
    second: str
    places: frozenset[str]
    moments: list[datetime] = field(default_factory=list)
    #: When the run of the second one starts that meets first.
    start: datetime | None = None
    by: timedelta | None = None


def expected_duration(seconds: Sequence[float]) -> timedelta | None:
    """Return how long a run will take, from how long the last ones took; None where there
    was none.
    """
    return timedelta(seconds=median(seconds[-10:])) if seconds else None


def collisions(
    runs: Iterable[ExpectedRun], may_start: Callable[[str, datetime], bool] = lambda job, at: True
) -> list[Collision]:
    """Return the pairs of jobs whose runs meet, soonest first, each with a proposal for the second
    one.

    ``may_start`` says whether a job may start at a time: no other is proposed.
    """
    ordered = sorted(runs, key=lambda run: run.start)
    found: dict[tuple[str, str], Collision] = {}
    for number, run in enumerate(ordered):
        for other in ordered[number + 1 :]:
            if other.start >= max(run.end, run.start + _LEAST):
                break
            if places := run.meets(other):
                # The shorter one is moved more easily.
                first, second = sorted(
                    (run, other), key=lambda r: (r.start - r.end, r.start, r.job)
                )
                pair = (first.job, second.job)
                if (second.job, first.job) in found:
                    pair = (second.job, first.job)
                row = found.setdefault(pair, Collision(*pair, places))
                own = run if run.job == row.second else other
                row.start = min(own.start, row.start or own.start)
                row.places |= places
                row.moments.append(max(run.start, other.start))
    proposals: dict[str, timedelta | None] = {}
    for row in found.values():
        if row.second not in proposals:
            proposals[row.second] = _proposal(ordered, row.second, may_start)
        row.by = proposals[row.second]
    return list(found.values())


def _proposal(
    ordered: Sequence[ExpectedRun], job: str, may_start: Callable[[str, datetime], bool]
) -> timedelta | None:
    """Return the nearest time to which all runs of a job can be moved so that they meet
    no others.
    """
    own = [run for run in ordered if run.job == job]
    others = [run for run in ordered if run.job != job]
    for number in range(1, _FARTHEST // _STEP + 1):
        for by in (number * _STEP, -number * _STEP):
            if all(may_start(job, run.start + by) for run in own) and not _meet(own, others, by):
                return by
    return None


def _meet(own: Sequence[ExpectedRun], others: Sequence[ExpectedRun], by: timedelta) -> bool:
    """Return whether any of the moved runs meets another; both come by their starts."""
    first = 0
    longest = max((run.end - run.start for run in others), default=timedelta(0)) + _LEAST
    for run in own:
        moved = run.moved(by)
        while first < len(others) and others[first].start + longest <= moved.start:
            first += 1
        for other in others[first:]:
            if other.start >= max(moved.end, moved.start + _LEAST):
                break
            if not moved.clear_of(other):
                return True
    return False
