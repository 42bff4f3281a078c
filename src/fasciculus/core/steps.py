"""One thing that was tried, and how it went."""

from __future__ import annotations

from msgspec import Struct


class Step(Struct, frozen=True):
    """A step of trying something: its name, whether it went well, and what to do when not.

    A step that went well and has a way out is a warning: it works, and something is missing.

    ``seconds`` is the duration, 0 if not measured; ``field`` names the setting at fault, if any.
    """

    name: str
    ok: bool
    text: str
    hint: str = ""
    seconds: float = 0.0
    field: str = ""
