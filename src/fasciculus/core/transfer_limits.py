"""Bandwidth limits of a store, by the hour of the day."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import time

from .errors import SettingError

_UNITS = {"B": 1, "KiB": 1024, "MiB": 1024**2, "GiB": 1024**3}
_FORM = re.compile(
    r"(\d+(?:\.\d+)?)\s*(B|KiB|MiB|GiB)/s(?:\s+(\d{1,2}):(\d{2})\s*[-–]\s*(\d{1,2}):(\d{2}))?"
)
_WAY_OUT = "Write for example “2 MiB/s 08:00-18:00”, or “10 MiB/s” for the whole day."


@dataclass(frozen=True, slots=True)
class TransferLimit:
    """Bytes per second between two times of day; the whole day where both are the same."""

    bytes_per_second: float
    begin: time = time()
    end: time = time()

    def holds_at(self, moment: time) -> bool:
        """Return whether it is in force at a time of day; one that ends earlier goes past
        midnight.
        """
        if self.begin == self.end:
            return True
        if self.begin < self.end:
            return self.begin <= moment < self.end
        return moment >= self.begin or moment < self.end


def parse_limit(text: str) -> TransferLimit:
    """Return a limit as people write it. Raises :class:`SettingError`."""
    match = _FORM.fullmatch(text.strip())
    if not match:
        raise SettingError(f"“{text}” is not a limit.", _WAY_OUT, field="limits")
    rate = float(match[1]) * _UNITS[match[2]]
    if rate < 1024:
        raise SettingError(f"“{text}” is less than 1 KiB/s.", _WAY_OUT, field="limits")
    try:
        begin, end = (time(int(match[n] or 0), int(match[n + 1] or 0)) for n in (3, 5))
    except ValueError as error:
        raise SettingError(f"“{text}” has no times of day.", _WAY_OUT, field="limits") from error
    return TransferLimit(rate, begin, end)


def limit_at(limits: Sequence[TransferLimit], moment: time) -> float | None:
    """Return the bytes per second allowed at a time of day: the least of all limits; None without
    one.
    """
    rates = [limit.bytes_per_second for limit in limits if limit.holds_at(moment)]
    return min(rates, default=None)
