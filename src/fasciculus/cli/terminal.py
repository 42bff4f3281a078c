"""Terminal output without control sequences."""

from __future__ import annotations

import unicodedata
from collections.abc import Iterable
from typing import Any

from rich.console import Console, ConsoleOptions, RenderableType
from rich.segment import Segment

_PICTURES = 0x2400
_DELETE = "\u2421"
_OTHER = "\ufffd"
_KEPT = "\n\t"


def visible(text: str) -> str:
    """Return a text with control and direction characters replaced by visible signs.

    File names, log lines and server messages may contain sequences that move the cursor, set the
    title or make a terminal type. Each sign is one column wide.
    """
    if text.isascii() and text.isprintable():
        return text
    return "".join(map(_sign, text))


def _sign(letter: str) -> str:
    if letter in _KEPT or letter.isprintable() or letter == " ":
        return letter
    if letter < " ":
        return chr(_PICTURES + ord(letter))
    if letter == "\x7f":
        return _DELETE
    # Control (Cc), format (Cf: direction, joiners), surrogates (Cs).
    return _OTHER if unicodedata.category(letter) in ("Cc", "Cf", "Cs") else letter


class SafeConsole(Console):
    """A console that prints no control characters from outside.

    Square brackets are printed literally, since names may contain them.
    """

    def __init__(self, **options: Any) -> None:
        super().__init__(markup=False, emoji=False, **options)

    def render(
        self, renderable: RenderableType, options: ConsoleOptions | None = None
    ) -> Iterable[Segment]:
        """Render as usual, with signs in place of control characters."""
        for segment in super().render(renderable, options):
            if segment.control:
                yield segment
            else:
                yield Segment(visible(segment.text), segment.style)

    def print(self, *objects: Any, **options: Any) -> None:
        """Print as usual, with signs in place of control characters."""
        super().print(*(visible(o) if isinstance(o, str) else o for o in objects), **options)
