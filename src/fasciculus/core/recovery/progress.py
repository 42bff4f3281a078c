"""The state of each subject of a recovery."""

from __future__ import annotations

from enum import StrEnum


class RecoveryState(StrEnum):
    """The state of a subject in a recovery."""

    WAITING = "waiting"
    RUNNING = "running"
    BACK = "back"
    #: Restored, with warnings to read.
    WARNED = "back, with warnings"
    FAILED = "failed"
    #: It has no bundle with a sound copy.
    NO_BUNDLE = "no bundle"


#: States in which nothing is left to do.
SETTLED = (RecoveryState.BACK, RecoveryState.WARNED, RecoveryState.NO_BUNDLE)
_BY_OUTCOME = {"done": RecoveryState.BACK, "warned": RecoveryState.WARNED}


def recovery_state(has_bundle: bool, restore: str | None, outcome: str | None) -> RecoveryState:
    """Return the state of a subject by the state and outcome of its last restore, if any."""
    if restore is None:
        return RecoveryState.WAITING if has_bundle else RecoveryState.NO_BUNDLE
    if restore != "ended":
        return RecoveryState.RUNNING
    return _BY_OUTCOME.get(outcome or "", RecoveryState.FAILED)
