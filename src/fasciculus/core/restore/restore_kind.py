"""Kinds of restores, and states of the data that a restore sets aside."""

from __future__ import annotations

from enum import StrEnum


class RestoreKind(StrEnum):
    """The kind of a restore: one that restores, one that only plans, an undo or a drop of the data
    that another restore has set aside, and a drill into a scratch place.
    """

    RESTORE = "restore"
    PLAN = "plan"
    UNDO = "undo"
    DROP = "drop"
    DRILL = "drill"


class SetAside(StrEnum):
    """The state of the data that a restore has set aside."""

    NONE = ""
    KEPT = "kept"
    UNDONE = "undone"
    GONE = "gone"
