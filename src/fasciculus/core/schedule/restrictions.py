"""Start conditions: a first and a last day, allowed hours, days without runs, a pause."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta
from zoneinfo import ZoneInfo

from ..errors import SettingError
from .timetable import zone

#: How far ahead the next allowed start is searched.
_LOOK_AHEAD = 800
_YEARLY = re.compile(r"(\d{2})-(\d{2})")
#: A leap year, so that 29 February is a day of it.
_ANY_YEAR = 2028


@dataclass(frozen=True, slots=True)
class Hours:
    """A part of the day, which may go past midnight."""

    begin: time
    end: time

    def __contains__(self, moment: time) -> bool:
        if self.begin < self.end:
            return self.begin <= moment < self.end
        return moment >= self.begin or moment < self.end

    def __str__(self) -> str:
        return f"{self.begin:%H:%M}-{self.end:%H:%M}"


@dataclass(frozen=True, slots=True)
class DayRange:
    """Days without runs, from the first to the last; ``yearly`` ones come again each year."""

    first: date
    last: date
    yearly: bool = False

    def __contains__(self, day: date) -> bool:
        if not self.yearly:
            return self.first <= day <= self.last
        found = (day.month, day.day)
        first, last = (self.first.month, self.first.day), (self.last.month, self.last.day)
        return first <= found <= last if first <= last else found >= first or found <= last


def parse_hours(text: str) -> Hours | None:
    """Read allowed hours such as “22:00-05:00”; None for an empty text."""
    if not text.strip():
        return None
    found = re.fullmatch(r"(\d{1,2}):(\d{2})\s*(?:-|–|to)\s*(\d{1,2}):(\d{2})", text.strip())
    numbers = [int(part) for part in found.groups()] if found else []
    if not numbers or max(numbers[0], numbers[2]) > 23 or max(numbers[1], numbers[3]) > 59:
        raise SettingError(
            f"“{text}” are not hours of the day.", "Write for example “22:00-05:00”.", field="hours"
        )
    hours = Hours(time(numbers[0], numbers[1]), time(numbers[2], numbers[3]))
    if hours.begin == hours.end:
        raise SettingError(
            f"“{text}” begin and end at the same time.",
            "Leave the hours empty to allow the whole day.",
            field="hours",
        )
    return hours


def parse_days(texts: Iterable[str]) -> tuple[DayRange, ...]:
    """Read days without runs: “2026-12-25”, “12-25” for each year, or “12-24..01-01”."""
    return tuple(_day_range(text.strip()) for text in texts if text.strip())


def _day_range(text: str) -> DayRange:
    first, dots, last = text.partition("..")
    try:
        begin, end = _day(first), _day(last if dots else first)
        if begin[1] != end[1]:
            raise ValueError("one of each kind")
    except ValueError as error:
        raise SettingError(
            f"“{text}” is not a day.",
            "Write “2026-12-25”, “12-25” for each year, or two of them with “..” between.",
            field="days_off",
        ) from error
    if end[0] < begin[0] and not begin[1]:
        raise SettingError(
            f"“{text}” ends before it begins.", "Write the earlier day first.", field="days_off"
        )
    return DayRange(begin[0], end[0], begin[1])


def _day(text: str) -> tuple[date, bool]:
    if found := _YEARLY.fullmatch(text.strip()):
        return date(_ANY_YEAR, int(found[1]), int(found[2])), True
    return date.fromisoformat(text.strip()), False


@dataclass(frozen=True, slots=True)
class Restrictions:
    """The conditions for timed starts. ``paused_until`` is ``datetime.max`` for a pause without an
    end; days and hours are in the zone ``where``.
    """

    where: ZoneInfo
    first: date | None = None
    last: date | None = None
    hours: Hours | None = None
    days_off: tuple[DayRange, ...] = ()
    paused_until: datetime | None = None

    @staticmethod
    def of(
        zone_name: str,
        first: date | None,
        last: date | None,
        hours: str,
        days_off: Iterable[str],
        paused_until: datetime | None = None,
    ) -> Restrictions:
        """From what people write. Raises :class:`SettingError` naming the field."""
        return Restrictions(
            zone(zone_name), first, last, parse_hours(hours), parse_days(days_off), paused_until
        )

    def why_not(self, moment: datetime) -> str:
        """Return why nothing may start at a time, as a clause; empty if it may."""
        local = moment.astimezone(self.where)
        day = local.date()
        if self.paused_until is not None and moment < self.paused_until:
            return "it is paused"
        if self.first and day < self.first:
            return f"it begins on {self.first}"
        if self.last and day > self.last:
            return f"it ended on {self.last}"
        if any(day in days for days in self.days_off):
            return f"{day} is a day without runs"
        if self.hours and local.time().replace(fold=0) not in self.hours:
            return f"it may start within {self.hours} only"
        return ""

    def allows(self, moment: datetime) -> bool:
        """Return whether something may start at a time."""
        return not self.why_not(moment)

    def closes(self, moment: datetime) -> datetime | None:
        """Return the end of the allowed hours at a time, None if the whole day is allowed."""
        if self.hours is None:
            return None
        local = moment.astimezone(self.where)
        end = datetime.combine(local.date(), self.hours.end, self.where)
        if end <= local:
            end = datetime.combine(local.date() + timedelta(days=1), self.hours.end, self.where)
        return end.astimezone(UTC)

    def over(self, moment: datetime) -> bool:
        """Return whether nothing may ever start after a time."""
        if self.paused_until is not None and self.paused_until.year == datetime.max.year:
            return True
        return self.last is not None and moment.astimezone(self.where).date() > self.last

    def next_allowed(self, moment: datetime) -> datetime | None:
        """Return the first moment, not before ``moment``, at which something may start; None for
        never.
        """
        if self.paused_until is not None and moment < self.paused_until:
            if self.over(moment):
                return None
            moment = self.paused_until
        if self.allows(moment):
            return moment
        day = moment.astimezone(self.where).date()
        if self.first and self.first > day:
            day = self.first
        for number in range(_LOOK_AHEAD):
            for clock in sorted({time(0), self.hours.begin if self.hours else time(0)}):
                local = datetime.combine(day + timedelta(days=number), clock, self.where)
                found = local.astimezone(UTC)
                if found > moment and self.allows(found):
                    return found
        return None
