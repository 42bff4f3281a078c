"""Sizes as people write them."""

from __future__ import annotations

import re

from .output import wrong

_SIZE = re.compile(r"(\d+(?:\.\d+)?)\s*(B|KiB|MiB|GiB|TiB)?", re.IGNORECASE)
_UNITS = {"b": 1, "kib": 1024, "mib": 1024**2, "gib": 1024**3, "tib": 1024**4}


def parse_size(option: str, text: str) -> int:
    """Return a size in bytes from a text with a binary unit; errors give an example."""
    match = _SIZE.fullmatch(text.strip())
    if not match:
        raise wrong(f"“{text}” is not a size.", "Write for example 256MiB.", f"--{option}")
    return int(float(match[1]) * _UNITS[(match[2] or "B").lower()])
