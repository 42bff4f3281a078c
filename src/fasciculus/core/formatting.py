"""Sizes, durations and lists in words, the same way everywhere."""

from __future__ import annotations

from collections.abc import Sequence

#: A source for repairs next to other stores: the service has each listing.
THE_RECORDS = "the records"

_UNITS = ("B", "KiB", "MiB", "GiB", "TiB", "PiB")


def format_size(count: int) -> str:
    """``count`` bytes in binary units (IEC 80000-13), three significant digits."""
    value = float(count)
    for unit in _UNITS:
        # From here on it would be shown as 1024.
        if abs(value) < 1023.5 or unit == _UNITS[-1]:
            break
        value /= 1024
    if unit == "B":
        return f"{int(value)} B"
    digits = 2 if abs(value) < 10 else 1 if abs(value) < 100 else 0
    return f"{value:.{digits}f} {unit}"


def format_duration(seconds: float) -> str:
    """Return a duration, as ``4.2 s``, ``3 min 05 s`` or ``2 h 10 min``."""
    if seconds < 60:
        return f"{seconds:.1f} s"
    whole = round(seconds)
    if whole < 3600:
        return f"{whole // 60} min {whole % 60:02d} s"
    return f"{whole // 3600} h {whole % 3600 // 60:02d} min"


def format_list(items: Sequence[str], joint: str = "and") -> str:
    """Return ``a``, ``a and b``, or ``a, b and c``."""
    if len(items) < 2:
        return "".join(items)
    return f"{', '.join(items[:-1])} {joint} {items[-1]}"


def format_first(items: Sequence[str], most: int, joint: str = "and") -> str:
    """Return the same of the first ``most`` items: ``a, b and 3 more``."""
    more = len(items) - most
    return format_list([*items[:most], *([f"{more} more"] if more > 0 else [])], joint)


def format_count(count: int, one: str, many: str | None = None) -> str:
    """``1 copy``, ``3 copies``."""
    return f"{count:,} {one if count == 1 else many or one + 's'}"


def format_file_name(*parts: str) -> str:
    """Return parts as the name of a file, without characters that need quoting anywhere."""
    whole = "-".join(part for part in parts if part)
    return "".join(c if c.isascii() and (c.isalnum() or c in "._-") else "_" for c in whole)
