"""A restore, or its undo, as the model of its report."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from ..formatting import format_count, format_duration, format_size
from ..outcome import OUTCOMES
from .run_report import format_moment


@dataclass(slots=True)
class RestoreReport:
    """All that a report on a restore says. ``where`` is where it went, as a clause; ``undo`` the
    command that undoes it, empty if it cannot be undone.
    """

    restore: int
    is_undo: bool
    subject: str
    bundle: str
    store: str
    where: str
    outcome: str
    error: str
    entries: int
    bytes: int
    seconds: float
    ended: datetime
    zone: str
    started_by: str
    undo: str = ""
    link: str = ""

    @property
    def what(self) -> str:
        """Return what was done, as a noun."""
        return "undo of a restore" if self.is_undo else "restore"

    @property
    def outcome_words(self) -> str:
        """Return the outcome in a word."""
        return OUTCOMES[self.outcome].word

    @property
    def trouble(self) -> bool:
        """Return whether a person should look."""
        return self.outcome not in ("done", "cancelled")

    @property
    def title(self) -> str:
        """Return the subject line of the mail."""
        return f"[Fasciculus] {self.what} of {self.subject}: {self.outcome_words}"

    @property
    def sentence(self) -> str:
        """Return the result in one sentence."""
        if self.error:
            return self.error
        if self.is_undo:
            return f"The state of {self.subject} before the restore is back."
        came = f"{format_count(self.entries, 'entry', 'entries')}, {format_size(self.bytes)}"
        return f"{came}, {self.where}, in {format_duration(self.seconds)}."

    def local(self, moment: datetime) -> str:
        """Return a time in the zone of the watch, with the zone's name."""
        return format_moment(moment, self.zone)
