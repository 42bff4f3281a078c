"""Kinds of restores, and what became of what one has set aside."""

from __future__ import annotations

from enum import StrEnum


class RestoreKind(StrEnum):
    """What a restore does: bring back, only plan, put back what one has set aside, or remove it."""

    RESTORE = "restore"
    PLAN = "plan"
    UNDO = "undo"
    DROP = "drop"


class SetAside(StrEnum):
    """What became of what a restore has set aside."""

    NONE = ""
    KEPT = "kept"
    UNDONE = "undone"
    GONE = "gone"
