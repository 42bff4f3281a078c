"""What each job protects, and what none does."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from itertools import pairwise

from .dumping.rules import DatabaseRules

_LEAST_GRACE = timedelta(hours=2)


@dataclass(frozen=True, slots=True)
class Protector:
    """A job as far as coverage asks: its kind of subjects, those it covers, what it takes, and how old
    its newest copy may be (None: no promise)."""

    name: str
    subjects: str
    covers: frozenset[str]
    contents: frozenset[str]
    databases: DatabaseRules
    promise: timedelta | None


@dataclass(frozen=True, slots=True)
class Thing:
    """Something that wants protection: a site, a database or a mail domain of an account on a host."""

    kind: str
    name: str
    account: str
    host: str
    engine: str = ""
    site: str = ""


@dataclass(frozen=True, slots=True)
class Covered:
    """How a thing is protected. ``state`` is protected, late, never or bare."""

    thing: Thing
    state: str
    jobs: list[str] = field(default_factory=list)
    newest: str | None = None


def promise_of(starts: Sequence[datetime]) -> timedelta | None:
    """How old the newest copy may be: the longest pause between the next starts, and a quarter more."""
    if len(starts) < 2:
        return None
    longest = max(after - before for before, after in pairwise(starts))
    return longest + max(longest / 4, _LEAST_GRACE)


def _covering(thing: Thing, jobs: Iterable[Protector]) -> list[tuple[Protector, tuple[str, str, str]]]:
    """The jobs that take a thing, each with the (kind, subject, job) of its bundles."""
    kind = {"site": "files", "database": "databases", "mail domain": "mail"}[thing.kind]
    found = []
    for job in jobs:
        if kind not in job.contents:
            continue
        if thing.kind == "database" and (job.databases.structure_only or not job.databases.wants(thing.name)):
            continue
        site = thing.name if thing.kind != "database" else thing.site
        subject = {"accounts": thing.account, "sites": site, "hosts": thing.host}[job.subjects]
        if job.subjects == "hosts" and thing.engine != "mariadb":
            continue
        if subject and subject in job.covers:
            found.append((job, (job.subjects[:-1], subject, job.name)))
    return found


def cover(things: Iterable[Thing], jobs: Sequence[Protector],
          newest: Mapping[tuple[str, str, str], str], moment: datetime) -> list[Covered]:
    """How each thing is protected. ``newest`` gives the moment (ISO 8601, UTC) of the newest good copy
    by (subject kind, subject, job)."""
    rows = []
    for thing in things:
        covering = _covering(thing, jobs)
        best, kept = None, False
        for job, key in covering:
            at = newest.get(key)
            if at is not None:
                best = max(best or at, at)
                kept = kept or job.promise is None or moment - datetime.fromisoformat(at) <= job.promise
        state = "bare" if not covering else "never" if best is None else "protected" if kept else "late"
        rows.append(Covered(thing, state, [job.name for job, _ in covering], best))
    return rows
