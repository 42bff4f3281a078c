"""Rules for sending the report of a run."""

from __future__ import annotations

#: Outcomes after which nobody need look.
_WELL = ("done",)


def is_trouble(outcome: str) -> bool:
    """Return whether a person should look."""
    return outcome not in _WELL


def wants(when: str, outcome: str, previous: str | None) -> bool:
    """Return whether a report is wanted now of a run, or of an account's part of one, with this
    outcome.

    ``when`` is always, trouble, recovery or never; digests have their own times. ``previous``
    is the outcome of the run before it, None for the first one.
    """
    match when:
        case "always":
            return True
        case "trouble":
            return is_trouble(outcome)
        case "recovery":
            return is_trouble(outcome) or (previous is not None and is_trouble(previous))
    return False


def tells_of_trouble(when: str) -> bool:
    """Return whether each run that is trouble is reported at once, and not in a digest."""
    return wants(when, "failed", None)


def tells_of_recovery(when: str) -> bool:
    """Return whether the first good run after trouble is reported at once."""
    return wants(when, "done", "failed")
