"""Differing lines of a small text file."""

from __future__ import annotations

from fasciculus.core.bundle.text_difference import MOST_LINES, as_text, text_difference


def test_a_long_difference_ends_and_what_is_no_text_is_said() -> None:
    before, after = "\n".join(map(str, range(9000))), "\n".join(map(str, range(9000, 18000)))
    found = text_difference(before, after, "a", "b")
    assert len(found) == MOST_LINES + 1 and found[-1] == "…"
    assert as_text(None) == "" and as_text(b"\xff") is None and as_text("é".encode()) == "é"
