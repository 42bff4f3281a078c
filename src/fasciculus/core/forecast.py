"""Forecast of a store's growth, fullness and cost."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta

#: A trend out of fewer days would say more than anybody knows.
_LEAST_DAYS = 2
#: The longest useful forecast, in days.
_FARTHEST = 3650
_GB = 1_000_000_000
_DAYS_A_MONTH = 30


@dataclass(frozen=True, slots=True)
class DayCount:
    """A day of a store: bytes held at its end, sent and read. ``stored`` is None when it was not
    counted.
    """

    day: date
    sent: int = 0
    received: int = 0
    stored: int | None = None


def growth_per_day(days: Sequence[DayCount]) -> float | None:
    """Return bytes that a store grows by each day: the slope of a straight line by least squares.

    None when too few days were counted.
    """
    rows = [(row.day.toordinal(), row.stored) for row in days if row.stored is not None]
    if not rows or rows[-1][0] - rows[0][0] < _LEAST_DAYS:
        return None
    middle = sum(day for day, _ in rows) / len(rows)
    level = sum(stored for _, stored in rows) / len(rows)
    spread = sum((day - middle) ** 2 for day, _ in rows)
    return sum((day - middle) * (stored - level) for day, stored in rows) / spread


def full_on(free: int | None, reserve: int, per_day: float | None, today: date) -> date | None:
    """Return the day on which a store will be full at this pace, down to the reserve that stays
    free.

    Today when it is full already; None when the store does not tell what is free, does not grow
    as far as is known, or is not full for ten years.
    """
    if free is None:
        return None
    left = free - reserve
    if left <= 0:
        return today
    if per_day is None or per_day <= 0 or left / per_day > _FARTHEST:
        return None
    return today + timedelta(days=int(left / per_day))


def price_of_month(
    held: int, days: Sequence[DayCount], price_kept: float, price_moved: float, today: date
) -> tuple[float, float]:
    """Return the monthly cost of storage and of transfers: of present usage, and of the last 30
    days.
    """
    since = today - timedelta(days=_DAYS_A_MONTH)
    moved = sum(row.sent + row.received for row in days if row.day > since)
    return held / _GB * price_kept, moved / _GB * price_moved
