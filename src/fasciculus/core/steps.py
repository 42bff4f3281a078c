"""One thing that was tried, and how it went."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Step:
    """A step of trying something: its name, whether it went well, and what to do when not."""

    name: str
    ok: bool
    text: str
    way_out: str = ""
