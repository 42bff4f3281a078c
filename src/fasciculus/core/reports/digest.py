"""All runs of a day or a week as the model of one message."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import datetime

from ..formatting import format_count, format_list, format_size
from ..outcome import OUTCOMES
from .run_report import RunReport, format_moment


@dataclass(slots=True)
class JobDigest:
    """The runs of one job, oldest first, and its next start."""

    job: str
    runs: list[RunReport]
    next_start: datetime | None = None

    @property
    def troubled(self) -> list[RunReport]:
        """Return the runs at which a person should look."""
        return [run for run in self.runs if run.trouble]

    @property
    def outcome(self) -> str:
        """Return how its last run ended; skipped where there was none."""
        return self.runs[-1].outcome if self.runs else "skipped"

    @property
    def words(self) -> str:
        """Its runs in one line."""
        if not self.runs:
            return "no run"
        good = len(self.runs) - len(self.troubled)
        parts = [f"{good} of {format_count(len(self.runs), 'run')} done"]
        parts += [f"run {run.run} {run.outcome_words}" for run in self.troubled[:3]]
        if len(self.troubled) > 3:
            parts.append(f"and {len(self.troubled) - 3} more")
        return format_list(parts[:1]) + (f"; {', '.join(parts[1:])}" if parts[1:] else "")


@dataclass(slots=True)
class StoreTotal:
    """The usage of a store."""

    name: str
    copies: int
    bytes: int

    @property
    def size_words(self) -> str:
        """Return the size in words."""
        return format_size(self.bytes)


@dataclass(slots=True)
class Digest:
    """The contents of a digest: jobs, open alerts, the usage of stores, and drills, one a line."""

    kind: str
    begin: datetime
    end: datetime
    zone: str
    jobs: list[JobDigest]
    alerts: list[str] = field(default_factory=list)
    stores: list[StoreTotal] = field(default_factory=list)
    drills: list[str] = field(default_factory=list)
    link: str = ""

    @property
    def runs(self) -> int:
        """Return the number of runs."""
        return sum(len(job.runs) for job in self.jobs)

    @property
    def troubled(self) -> int:
        """Return the number of runs with trouble."""
        return sum(len(job.troubled) for job in self.jobs)

    @property
    def outcome(self) -> str:
        """Return the worst of the last outcomes, for colour and mark."""
        ranks = list(OUTCOMES)
        found = [job.outcome for job in self.jobs if job.runs]
        return max(found, key=ranks.index, default="skipped")

    @property
    def trouble(self) -> bool:
        """Return whether a person should look: a job without a run is none."""
        return bool(self.troubled)

    @property
    def title(self) -> str:
        """Return the subject line of the mail."""
        state = (
            f"{self.troubled} of {format_count(self.runs, 'run')} not done"
            if self.troubled
            else f"{format_count(self.runs, 'run')} done"
        )
        return f"[Fasciculus] {self.kind} digest: {state} ({self.local(self.end)[:10]})"

    @property
    def sentence(self) -> str:
        """Return the time in one line."""
        packed = sum(run.packed for job in self.jobs for run in job.runs)
        text = f"{format_count(self.runs, 'run')} of {format_count(len(self.jobs), 'job')}"
        if self.troubled:
            text += ", not done" if self.runs == 1 else f", {self.troubled} of them not done"
        return f"{text}; {format_size(packed)} packed and stored."

    def local(self, moment: datetime) -> str:
        """Return a time in the zone of the digest, with the zone's name."""
        return format_moment(moment, self.zone)
