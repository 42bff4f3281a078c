"""Maintenance that found or repaired damage as the model of its report."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from ..formatting import format_count, format_list
from ..subject import SubjectKind
from .run_report import format_moment

_UNTIL_THEN = (
    "Until then, and in the older bundles for good, what is named here cannot be brought back "
    "from this "
    "store. Check its disk."
)


@dataclass(slots=True)
class DamageLine:
    """A damaged file of a store, the bundles that need it, and the first of the ``harmed``
    entries.
    """

    file: str
    reason: str
    bundles: list[str]
    entries: list[str]
    harmed: int

    @property
    def harm_words(self) -> str:
        """Return the number of affected bundles and entries."""
        return (
            f"{format_count(len(self.bundles), 'bundle')}, "
            f"{format_count(self.harmed, 'entry', 'entries')}"
        )


@dataclass(slots=True)
class MaintenanceReport:
    """All that a report on damage says. ``helpers`` are the other stores that have copies of the
    subject.
    """

    maintenance: int
    kind: str
    store: str
    subject_kind: SubjectKind
    subject: str
    outcome: str
    sentence: str
    ended: datetime
    zone: str
    started_by: str
    damage: list[DamageLine]
    helpers: list[str]
    link: str = ""

    @property
    def outcome_words(self) -> str:
        """Return what people read first."""
        if self.kind == "verify":
            return "damage found"
        return "damage not repaired" if self.damage else "damage repaired"

    @property
    def trouble(self) -> bool:
        """Return whether a person should look."""
        return bool(self.damage)

    @property
    def title(self) -> str:
        """Return the subject line of the mail."""
        return f"[Fasciculus] {self.store}: {self.outcome_words} ({self.subject})"

    @property
    def next_step(self) -> str:
        """Return what happens now, and what a person should look at."""
        if not self.damage:
            return "Every copy there that was known to be damaged is whole again."
        if self.kind == "verify":
            again = "The next run stores the contents of the damaged files again, by itself."
            if self.helpers:
                return (
                    f"It is being repaired from {format_list(self.helpers)} now; another report "
                    "says how that "
                    f"went. {again}"
                )
            return f"No other store has copies to repair it from. {again} {_UNTIL_THEN}"
        return _UNTIL_THEN

    def local(self, moment: datetime) -> str:
        """Return a time in the job's zone, with the zone's name."""
        return format_moment(moment, self.zone)
