"""Coverage: the subjects that jobs protect."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from itertools import pairwise

from .dump.filters import DatabaseRules
from .subject import Subject

_LEAST_GRACE = timedelta(hours=2)


@dataclass(frozen=True, slots=True)
class CoveringJob:
    """A job as far as coverage asks: its kind of subjects, those it covers, what it takes, and how
    old its newest copy may be (None: no limit)."""

    name: str
    subjects: str
    covers: frozenset[str]
    contents: frozenset[str]
    databases: DatabaseRules
    max_copy_age: timedelta | None


@dataclass(frozen=True, slots=True)
class CoverageItem:
    """Something that wants protection: a site, a database or a mail domain of an account on a
    host, or an account that has none of these.
    """

    kind: str
    name: str
    account: str
    host: str
    on_server: bool = False
    site: str = ""


@dataclass(frozen=True, slots=True)
class CoverageResult:
    """The protection of a thing. ``state`` is protected, late, never or bare."""

    thing: CoverageItem
    state: str
    jobs: list[str] = field(default_factory=list)
    newest: str | None = None


def max_age_of(starts: Sequence[datetime]) -> timedelta | None:
    """Return how old the newest copy may be: the longest pause between the next starts, and a
    quarter more.
    """
    if len(starts) < 2:
        return None
    longest = max(after - before for before, after in pairwise(starts))
    return longest + max(longest / 4, _LEAST_GRACE)


#: Under which contents a thing goes in.
_CONTENTS = {"account": "files", "site": "files", "database": "databases", "mail domain": "mail"}
#: By subject, then by job: the time of the newest good copy (ISO 8601, UTC).
Newest = Mapping[Subject, Mapping[str, str]]


@dataclass(slots=True)
class _NewestCopies:
    """The copies of one subject by some jobs: their names, the newest copy, whether one is recent
    enough.
    """

    jobs: list[str] = field(default_factory=list)
    best: str = ""
    good: bool = False

    def take(self, job: str, at: str, oldest: str) -> None:
        self.jobs.append(job)
        if at:
            self.best = max(self.best, at)
            self.good = self.good or at >= oldest

    def join(self, other: _NewestCopies) -> _NewestCopies:
        return _NewestCopies(
            self.jobs + other.jobs, max(self.best, other.best), self.good or other.good
        )


class _Jobs:
    """The jobs of one kind of contents and one kind of subject."""

    def __init__(
        self, kind: str, jobs: Iterable[CoveringJob], newest: Newest, moment: datetime
    ) -> None:
        # Moments as text compare like moments: all are ISO 8601 in UTC.
        self._jobs = [
            (job, (moment - job.max_copy_age).isoformat() if job.max_copy_age else "")
            for job in jobs
        ]
        self._kind, self._newest = kind, newest
        self._known: dict[str, _NewestCopies] = {}

    def of(self, subject: str) -> _NewestCopies:
        found = self._known.get(subject)
        if found is None:
            found = self._known[subject] = self._gather(subject, None)
        return found

    def of_database(self, subject: str, database: str) -> _NewestCopies:
        """Return the same of those jobs alone whose rules leave the database in, with its rows."""
        if all(job.databases == _ALL for job, _ in self._jobs):
            return self.of(subject)
        return self._gather(subject, database)

    def _gather(self, subject: str, database: str | None) -> _NewestCopies:
        kept, newest = _NewestCopies(), self._newest.get(Subject.of(self._kind, subject), {})
        for job, oldest in self._jobs:
            if subject in job.covers and (
                database is None
                or (not job.databases.structure_only and job.databases.wants(database))
            ):
                kept.take(job.name, newest.get(job.name, ""), oldest)
        return kept


_ALL = DatabaseRules()


def cover(
    things: Iterable[CoverageItem], jobs: Sequence[CoveringJob], newest: Newest, moment: datetime
) -> list[CoverageResult]:
    """Return how each thing is protected."""
    tables = {
        (contents, kind): _Jobs(
            kind[:-1],
            [job for job in jobs if contents in job.contents and job.subjects == kind],
            newest,
            moment,
        )
        for contents in _CONTENTS.values()
        for kind in ("accounts", "sites", "hosts")
    }
    rows = []
    for thing in things:
        contents = _CONTENTS[thing.kind]
        if thing.kind == "database":
            kept = tables[contents, "accounts"].of_database(thing.account, thing.name)
            if thing.site:
                kept = kept.join(tables[contents, "sites"].of_database(thing.site, thing.name))
            if thing.on_server:
                kept = kept.join(tables[contents, "hosts"].of_database(thing.host, thing.name))
        else:
            kept = tables[contents, "accounts"].of(thing.account)
            more = tables[contents, "sites"].of(thing.name)
            kept = kept.join(more) if more.jobs else kept
        state = (
            "bare"
            if not kept.jobs
            else "never"
            if not kept.best
            else "protected"
            if kept.good
            else "late"
        )
        rows.append(CoverageResult(thing, state, kept.jobs, kept.best or None))
    return rows
