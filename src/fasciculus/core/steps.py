"""One thing that was tried, and how it went."""

from __future__ import annotations

from msgspec import Struct


class Step(Struct, frozen=True):
    """A step of trying something: its name, whether it went well, and what to do when not."""

    name: str
    ok: bool
    text: str
    way_out: str = ""
