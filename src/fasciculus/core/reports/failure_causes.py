"""Failures with a common cause, reported once."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Protocol

from ..formatting import format_count, format_first
from ..subject import SubjectKind

_NAMED = 3


class Outcome(Protocol):
    """The outcome of a task."""

    @property
    def subject_kind(self) -> str:
        """Return the kind of the subject."""

    @property
    def subject(self) -> str:
        """Return the name of the subject."""

    @property
    def outcome(self) -> str | None:
        """Return the outcome, None if there is none yet."""

    @property
    def error(self) -> str:
        """Return the error, empty if none."""


@dataclass(frozen=True, slots=True)
class FailureCause:
    """One reason, and the subjects that failed by it, in their order.

    ``error`` is the sentence; if several share it, “…” replaces the subject's name.
    """

    subject_kind: SubjectKind
    subjects: tuple[str, ...]
    outcome: str
    error: str

    @property
    def is_shared(self) -> bool:
        """Return whether more than one failed by it."""
        return len(self.subjects) > 1

    @property
    def whom(self) -> str:
        """Return the subject, or how many they are."""
        if not self.is_shared:
            return self.subjects[0]
        return format_count(len(self.subjects), self.subject_kind)

    @property
    def names(self) -> str:
        """Return the first of the subjects, and how many more."""
        return format_first(self.subjects, _NAMED)


def causes(tasks: Iterable[Outcome]) -> list[FailureCause]:
    """Group tasks by their outcome and error, in the order of the first of each."""
    found: dict[tuple[SubjectKind, str, str], list[Outcome]] = {}
    for task in tasks:
        # A sentence often names the home or the site of its subject.
        alike = task.error.replace(task.subject, "…") if task.error else ""
        key = (SubjectKind(task.subject_kind), task.outcome or "failed", alike)
        found.setdefault(key, []).append(task)
    return [
        FailureCause(
            kind,
            tuple(row.subject for row in rows),
            outcome,
            alike if len(rows) > 1 else rows[0].error,
        )
        for (kind, outcome, alike), rows in found.items()
    ]
