"""Differences between two versions of a small text file."""

from __future__ import annotations

from difflib import unified_diff

#: Larger files, and longer results, are not compared line by line.
LARGEST, MOST_LINES = 256 * 1024, 2000


def as_text(data: bytes | None) -> str | None:
    """Return the contents of a file as text, None if it is not text in UTF-8. No file is an empty
    one.
    """
    if data is None:
        return ""
    if b"\0" in data:
        return None
    try:
        return data.decode("utf-8")
    except UnicodeDecodeError:
        return None


def text_difference(before: str, after: str, old: str, new: str) -> list[str]:
    """Return the differing lines with three lines around them (unified format of POSIX ``diff``),
    at most :data:`MOST_LINES`. ``old`` and ``new`` name the versions.
    """
    found = []
    rows = unified_diff(before.splitlines(), after.splitlines(), old, new, lineterm="")
    for row in rows:
        found.append(row)
        if len(found) == MOST_LINES:
            found.append("…")
            break
    return found
