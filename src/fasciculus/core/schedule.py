"""The "when" of a job: text to the next starts, in a time zone.

A timetable is written as one of::

    by hand
    hourly :15
    daily 02:15            daily 02:15, 14:15
    weekdays 02:15
    weekly sun 03:00       weekly mon,thu 03:00
    monthly 1 04:00        monthly 1,15 04:00
    15 2 * * *             a cron expression of five fields

Across the changes of summer time it follows the habit of Debian's cron: a start
in the hour that is skipped happens right after it, one in the hour that comes
twice happens once.
"""

from __future__ import annotations

import heapq
import re
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import UTC, datetime
from functools import lru_cache
from itertools import islice
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError, available_timezones

from cronsim import CronSim, CronSimError

from .errors import SettingError
from .formatting import format_list

_DAYS = ("sun", "mon", "tue", "wed", "thu", "fri", "sat")
_DAY_NAMES = ("Sunday", "Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday")
_FORMS = (
    "Write for example “daily 02:15”, “hourly :15”, “weekdays 02:15”, “weekly sun 03:00”, "
    "“monthly 1 04:00”, “by hand”, or a cron expression such as “15 2 * * *”."
)


@dataclass(frozen=True, slots=True)
class Schedule:
    """A parsed timetable: its text, the cron expressions behind it, and its sentence."""

    text: str
    expressions: tuple[str, ...]
    words: str


def _bad(message: str) -> SettingError:
    return SettingError(message, _FORMS, field="timetable")


def _times(text: str) -> list[tuple[int, int]]:
    times = []
    for part in text.split(","):
        match = re.fullmatch(r"(\d{1,2}):(\d{2})", part.strip())
        if not match or int(match[1]) > 23 or int(match[2]) > 59:
            raise _bad(f"“{part.strip()}” is not a time of day.")
        times.append((int(match[1]), int(match[2])))
    return sorted(set(times))


def _clock(times: list[tuple[int, int]]) -> str:
    return format_list([f"{hour:02d}:{minute:02d}" for hour, minute in times])


def _weekdays(text: str) -> list[int]:
    days = []
    for part in text.split(","):
        key = part.strip()[:3].lower()
        if key not in _DAYS:
            raise _bad(f"“{part.strip()}” is not a day of the week.")
        days.append(_DAYS.index(key))
    return sorted(set(days))


def _monthdays(text: str) -> list[int]:
    days = []
    for part in text.split(","):
        if not part.strip().isdigit() or not 1 <= int(part) <= 31:
            raise _bad(f"“{part.strip()}” is not a day of the month.")
        days.append(int(part))
    return sorted(set(days))


def _ordinal(day: int) -> str:
    suffix = "th" if 10 <= day % 100 <= 20 else {1: "st", 2: "nd", 3: "rd"}.get(day % 10, "th")
    return f"{day}{suffix}"


def _fixed(times: list[tuple[int, int]], monthdays: str, weekdays: str) -> tuple[str, ...]:
    return tuple(f"{minute} {hour} {monthdays} * {weekdays}" for hour, minute in times)


@lru_cache(maxsize=4096)
def parse(text: str) -> Schedule:
    """Read a timetable.

    Raises :class:`SettingError` with the accepted forms when it cannot be read.
    """
    text = " ".join(text.split())
    word, _, rest = text.partition(" ")
    match word.lower():
        case "":
            raise _bad("The timetable is empty.")
        case "by" if rest.lower() == "hand":
            return Schedule("by hand", (), "only when somebody starts it")
        case "hourly":
            minute = re.fullmatch(r":?(\d{1,2})", rest or ":00")
            if not minute or int(minute[1]) > 59:
                raise _bad(f"“{rest}” is not a minute of the hour.")
            value = int(minute[1])
            return Schedule(
                f"hourly :{value:02d}",
                (f"{value} * * * *",),
                f"every hour at {value} minutes past" if value else "every hour on the hour",
            )
        case "daily":
            times = _times(rest)
            return Schedule(text.lower(), _fixed(times, "*", "*"), f"every day at {_clock(times)}")
        case "weekdays":
            times = _times(rest)
            return Schedule(
                text.lower(), _fixed(times, "*", "1-5"), f"Monday to Friday at {_clock(times)}"
            )
        case "weekly" | "monthly":
            return _by_days(word.lower(), rest)
    return _cron(text)


def _by_days(word: str, rest: str) -> Schedule:
    days_text, _, times_text = rest.partition(" ")
    if not times_text:
        raise _bad(f"“{word} {rest}” lacks its day or its time.")
    if word == "weekly":
        days = _weekdays(days_text)
        times = _times(times_text)
        return Schedule(
            f"weekly {','.join(_DAYS[d] for d in days)} {times_text}",
            _fixed(times, "*", ",".join(map(str, days))),
            f"every {format_list([_DAY_NAMES[d] for d in days])} at {_clock(times)}",
        )
    days = _monthdays(days_text)
    times = _times(times_text)
    return Schedule(
        f"monthly {','.join(map(str, days))} {times_text}",
        _fixed(times, ",".join(map(str, days)), "*"),
        f"on the {format_list([_ordinal(d) for d in days])} of every month at {_clock(times)}",
    )


def _cron(text: str) -> Schedule:
    if len(text.split()) != 5:
        raise _bad(f"“{text}” is not a timetable.")
    try:
        CronSim(text, datetime(2026, 1, 1, tzinfo=UTC))
        next(CronSim(text, datetime(2026, 1, 1, tzinfo=UTC)))
    except CronSimError as error:
        raise _bad(f"“{text}” is not a cron expression: {error}.") from error
    except StopIteration as error:
        raise _bad(f"“{text}” never comes.") from error
    return Schedule(text, (text,), f"by the cron expression “{text}”")


@lru_cache(maxsize=1)
def _zones() -> set[str]:
    # Read off the disk once: looking takes as long as thousands of other things.
    return available_timezones()


def zone(name: str) -> ZoneInfo:
    """The IANA time zone of that name; :class:`SettingError` when there is none."""
    try:
        if name in _zones():
            return ZoneInfo(name)
    except (ZoneInfoNotFoundError, ValueError):
        pass
    raise SettingError(
        f"“{name}” is not a time zone.",
        "Use an IANA name such as “UTC” or “Europe/London”.",
        field="zone",
    )


def starts(timetable: Schedule, where: ZoneInfo, after: datetime) -> Iterator[datetime]:
    """The starts later than ``after``, in order and without end, as UTC moments."""
    local = after.astimezone(where)
    rows = [CronSim(expression, local) for expression in timetable.expressions]
    last = None
    for moment in heapq.merge(*(map(_utc, row) for row in rows)):
        if moment != last:
            last = moment
            yield moment


def _utc(moment: datetime) -> datetime:
    return moment.astimezone(UTC)


def next_starts(
    timetable: Schedule, where: ZoneInfo, after: datetime, count: int
) -> list[datetime]:
    """The next ``count`` starts after a moment, as UTC moments."""
    return list(islice(starts(timetable, where, after), count))
