"""A finished run as the model of its report."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime
from zoneinfo import ZoneInfo

from ..formatting import format_count, format_duration, format_list, format_size
from ..outcome import OUTCOMES
from ..subject import SubjectKind
from .failure_causes import FailureCause, causes
from .report_rules import is_trouble


def format_moment(moment: datetime, zone: str) -> str:
    """Return a time in a zone, with the zone's name."""
    return f"{moment.astimezone(ZoneInfo(zone)):%Y-%m-%d %H:%M:%S %Z}"


@dataclass(slots=True)
class CopyLine:
    """One copy of a task: where it went, or why not, and how many are kept there."""

    store: str
    error: str = ""
    kept: int = 0
    retired: int = 0


@dataclass(slots=True)
class TaskLine:
    """One subject's part of the run."""

    subject_kind: SubjectKind
    subject: str
    outcome: str
    bundle: str = ""
    entries: int = 0
    bytes: int = 0
    packed: int = 0
    seconds: float = 0.0
    error: str = ""
    warnings: list[str] = field(default_factory=list)
    copies: list[CopyLine] = field(default_factory=list)

    @property
    def outcome_words(self) -> str:
        """Return the outcome in words."""
        return OUTCOMES[self.outcome].word

    @property
    def size_words(self) -> str:
        """Return the size in words."""
        return format_size(self.bytes)

    @property
    def packed_words(self) -> str:
        """Return the packed size in words."""
        return format_size(self.packed)

    @property
    def duration_words(self) -> str:
        """Return the duration in words."""
        return format_duration(self.seconds)


@dataclass(slots=True)
class RunReport:
    """All that a report says."""

    run: int
    job: str
    outcome: str
    started: datetime
    ended: datetime
    zone: str
    started_by: str
    tasks: list[TaskLine]
    link: str = ""
    log_attached: bool = False

    @property
    def trouble(self) -> bool:
        """Return whether a person should look."""
        return is_trouble(self.outcome)

    @property
    def outcome_words(self) -> str:
        """Return the outcome in words."""
        return OUTCOMES[self.outcome].word

    @property
    def words(self) -> Mapping[str, str]:
        """Return how each outcome is said."""
        return {name: outcome.word for name, outcome in OUTCOMES.items()}

    @property
    def by_urgency(self) -> list[TaskLine]:
        """Return the tasks, those first at which a person should look."""
        ranks = list(OUTCOMES)
        return sorted(self.tasks, key=lambda task: -ranks.index(task.outcome))

    @property
    def shared_causes(self) -> list[FailureCause]:
        """Why tasks failed that failed for one and the same reason."""
        return [cause for cause in causes(self._without_bundle) if cause.is_shared and cause.error]

    @property
    def _without_bundle(self) -> list[TaskLine]:
        return [task for task in self.by_urgency if task.error and not task.bundle]

    @property
    def shown_singly(self) -> list[TaskLine]:
        """Return the tasks without a shared cause, the most important first."""
        told = {name for cause in self.shared_causes for name in cause.subjects}
        return [task for task in self.by_urgency if task.bundle or task.subject not in told]

    @property
    def packed(self) -> int:
        """Return the packed bytes of all tasks."""
        return sum(task.packed for task in self.tasks)

    @property
    def bytes(self) -> int:
        """Return the bytes of all tasks."""
        return sum(task.bytes for task in self.tasks)

    @property
    def stores(self) -> list[str]:
        """Return the stores that took at least one copy."""
        return sorted({c.store for t in self.tasks for c in t.copies if not c.error})

    def local(self, moment: datetime) -> str:
        """Return a time in the job's zone, with the zone's name."""
        return format_moment(moment, self.zone)

    @property
    def title(self) -> str:
        """Return the subject line of the mail."""
        return f"[Fasciculus] {self.job}: {self.outcome_words} (run {self.run})"

    @property
    def sentence(self) -> str:
        """Return the run in one line: what was stored where, or what went wrong."""
        seconds = (self.ended - self.started).total_seconds()
        good = [t for t in self.tasks if t.outcome in ("done", "warned", "partial")]
        bad = [t for t in self.tasks if t not in good]
        parts = []
        if good:
            packed = sum(t.packed for t in good)
            parts.append(
                f"{format_count(len(good), 'bundle')} of {format_size(sum(t.bytes for t in good))} "
                f"({f'{format_size(packed)} packed' if packed else 'nothing new to pack'}) stored "
                "on "
                f"{format_list(self.stores)}"
            )
        reasons = causes(bad)
        parts += [
            f"{cause.whom} {OUTCOMES[cause.outcome].word}"
            + (f" ({cause.names})" if cause.is_shared else "")
            + (f": {cause.error.rstrip('.')}" if cause.error else "")
            for cause in reasons[:3]
        ]
        if more := sum(len(cause.subjects) for cause in reasons[3:]):
            parts.append(f"and {more} more")
        lacking = sorted({c.store for t in good for c in t.copies if c.error})
        if lacking:
            parts.append(f"copies missing on {format_list(lacking)}")
        warnings = sum(len(t.warnings) for t in self.tasks)
        if warnings:
            parts.append(format_count(warnings, "warning"))
        text = "; ".join(parts) or "nothing to do"
        return f"{self.job}: {text}; took {format_duration(max(seconds, 0))}."
