"""Spreading the subjects of a run over a time, so that they do not all begin at once."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from datetime import timedelta


def spread(subjects: Sequence[str], window: timedelta) -> dict[str, timedelta]:
    """Return how long after the start of the run each subject begins.

    They lie evenly in the window, in an order that depends on their names alone: a subject begins
    at about the same time every night, and one more or less moves the others by less than one
    place.
    """
    ordered = sorted(set(subjects), key=lambda name: hashlib.sha256(name.encode()).digest())
    return {name: window * number / len(ordered) for number, name in enumerate(ordered)}
