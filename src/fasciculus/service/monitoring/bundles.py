"""The newest bundle of each subject against those before it."""

from __future__ import annotations

from dataclasses import dataclass

from ...core.subject import SubjectKind
from ...core.watch.unusual import unusual_size
from ...models import Thresholds
from ...records.bundles import bundle_sizes
from ...records.db import Records
from ...records.jobs import jobs


@dataclass(frozen=True, slots=True)
class UnusualBundle:
    """A bundle that is unlike those before it; ``what`` says in which way."""

    job: str
    kind: str
    subject: str
    bundle: int
    what: str
    words: str


class UnusualBundles:
    """Looks at each newest bundle once, and remembers what it found."""

    def __init__(self, records: Records) -> None:
        self._records = records
        self._known: dict[
            tuple[SubjectKind, str, str], tuple[int, Thresholds, list[UnusualBundle]]
        ] = {}
        self._version = -1
        self._found: list[UnusualBundle] = []

    def look(self) -> list[UnusualBundle]:
        """Return the newest bundles that are unusual, by the thresholds of their jobs."""
        version = self._records.version
        if version != self._version:
            self._found, self._version = self._look(), version
        return self._found

    def _look(self) -> list[UnusualBundle]:
        db = self._records.reader
        thresholds = {job.name: job.watch for job in jobs.jobs(db)}
        known = self._known
        self._known = {}
        for key, newest in bundle_sizes.newest_ids(db).items():
            limits = thresholds.get(key[2])
            if limits is None:
                continue
            before = known.get(key)
            if before is not None and before[:2] == (newest, limits):
                self._known[key] = before
            else:
                self._known[key] = (newest, limits, self._compare(key, newest, limits))
        return [row for _, _, rows in self._known.values() for row in rows]

    def _compare(
        self, key: tuple[SubjectKind, str, str], newest: int, limits: Thresholds
    ) -> list[UnusualBundle]:
        last, *before = bundle_sizes.measures(self._records.reader, *key)
        size = unusual_size(
            last.bytes, [row.bytes for row in before], limits.smaller, limits.larger
        )
        kind, subject, job = key
        return [UnusualBundle(job, kind, subject, newest, "size", size)] if size else []
