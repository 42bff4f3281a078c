"""The syntax of timetables.

It is one of these, or several of them with semicolons between::

    by hand
    hourly at :20
    every 12 hours from 00:40          every 15 minutes
    daily 02:15                        daily 02:15, 14:15
    weekdays 02:15
    weekly sun 03:00                   weekly mon,thu 03:00
    every 2 days 02:15 from 2026-12-01
    every 2 weeks sun 03:00 from 2026-12-06
    monthly 1 01:10                    monthly 1,15 01:10
    monthly last sun 03:00             monthly first mon 03:00        monthly last day 03:00
    once 2026-12-01 22:00
    15 2 * * *                         a cron expression of five fields
    @daily                             and its kin, as crontab(5) has them
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from datetime import date, datetime
from functools import lru_cache
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError, available_timezones

from cronsim import CronSim, CronSimError

from ..errors import SettingError
from ..formatting import format_list

_DAYS = ("sun", "mon", "tue", "wed", "thu", "fri", "sat")
_DAY_NAMES = ("Sunday", "Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday")
_PLACES = {"first": "#1", "second": "#2", "third": "#3", "fourth": "#4", "last": "L"}
_MOST = 20
_FORMS = (
    "Write for example “daily 02:15”, “hourly at :15”, “every 6 hours from 00:40”, "
    "“weekdays 02:15”, “weekly sun 03:00”, “every 2 weeks sun 03:00 from 2026-12-06”, "
    "“monthly 1 04:00”, “monthly last sun 03:00”, “once 2026-12-01 22:00”, “by hand”, a cron "
    "expression such as “15 2 * * *”, or several of them with semicolons between."
)


#: What crontab(5) calls by a name.
_NAMED = {
    "@hourly": "hourly at :00",
    "@daily": "daily 00:00",
    "@midnight": "daily 00:00",
    "@weekly": "weekly sun 00:00",
    "@monthly": "monthly 1 00:00",
    "@yearly": "0 0 1 1 *",
    "@annually": "0 0 1 1 *",
}


@dataclass(frozen=True, slots=True)
class Recurrence:
    """Days that come again by counting: the ``first``, and every ``period`` days after it, each
    with further ones ``offsets`` days later; ``times`` are hour and minute."""

    first: date
    period: int
    offsets: tuple[int, ...]
    times: tuple[tuple[int, int], ...]


@dataclass(frozen=True, slots=True)
class Schedule:
    """A parsed timetable: its text, the cron expressions behind it, its single starts in local
    time, the days that it counts, and its sentence."""

    text: str
    expressions: tuple[str, ...]
    words: str
    once: tuple[datetime, ...] = ()
    counted: tuple[Recurrence, ...] = ()

    @property
    def automatic(self) -> bool:
        """Return whether it starts anything by itself."""
        return bool(self.expressions or self.once or self.counted)


def _bad(message: str) -> SettingError:
    return SettingError(message, _FORMS, field="timetable")


@lru_cache(maxsize=4096)
def parse(text: str) -> Schedule:
    """Read a timetable.

    Raises :class:`SettingError` with the accepted forms when it cannot be read.
    """
    parts = [" ".join(part.split()) for part in text.split(";")]
    if not any(parts):
        raise _bad("The timetable is empty.")
    if len(parts) > _MOST:
        raise _bad(f"More than {_MOST} timetables cannot be joined.")
    found = list(dict.fromkeys(_part(part) for part in parts if part))
    if len(found) > 1 and not all(part.automatic for part in found):
        raise _bad("“by hand” cannot be joined with a timetable.")
    return Schedule(
        "; ".join(part.text for part in found),
        tuple(dict.fromkeys(e for part in found for e in part.expressions)),
        ", and ".join(part.words for part in found),
        tuple(sorted({moment for part in found for moment in part.once})),
        tuple(dict.fromkeys(row for part in found for row in part.counted)),
    )


def _part(text: str) -> Schedule:
    text = _NAMED.get(text.lower(), text)
    word, _, rest = text.partition(" ")
    match word.lower():
        case "by" if rest.lower() == "hand":
            return Schedule("by hand", (), "only when started by hand")
        case "hourly":
            return _hourly(rest)
        case "every":
            return _every(rest)
        case "daily":
            times = _times(rest)
            return Schedule(text.lower(), _fixed(times, "*", "*"), f"every day at {_clock(times)}")
        case "weekdays":
            times = _times(rest)
            return Schedule(
                text.lower(), _fixed(times, "*", "1-5"), f"Monday to Friday at {_clock(times)}"
            )
        case "weekly":
            return _weekly(rest)
        case "monthly":
            return _monthly(rest)
        case "once":
            return _once(rest)
        case "@reboot":
            raise _bad(
                "“@reboot” is not offered: what passed while the service was down is "
                "caught up by itself."
            )
    return _cron(text)


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
        key = part.strip().lower()
        found = [n for n, name in enumerate(_DAY_NAMES) if name.lower().startswith(key)]
        if len(key) < 3 or not found:
            raise _bad(f"“{part.strip()}” is not a day of the week.")
        days.append(found[0])
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


def _hourly(rest: str) -> Schedule:
    minute = re.fullmatch(r"(?:at )?:?(\d{1,2})", rest.lower() or ":00")
    if not minute or int(minute[1]) > 59:
        raise _bad(f"“{rest}” is not a minute of the hour.")
    value = int(minute[1])
    return Schedule(
        f"hourly at :{value:02d}",
        (f"{value} * * * *",),
        f"every hour at {value} minutes past" if value else "every hour on the hour",
    )


def _every(rest: str) -> Schedule:
    if re.match(r"\d+ (?:days?|weeks?)\b", rest.lower()):
        return _counted(rest)
    found = re.fullmatch(r"(\d{1,2}) (hours?|minutes?)(?: from (\d{1,2}):(\d{2}))?", rest.lower())
    if not found:
        raise _bad(f"“every {rest}” is not a timetable.")
    count, hour, minute = int(found[1]), int(found[3] or 0), int(found[4] or 0)
    hours = found[2].startswith("hour")
    # What does not go into a day or an hour would drift, and come at another time each day.
    whole, whole_name = (24, "a day") if hours else (60, "an hour")
    if not count or whole % count:
        fits = [str(n) for n in range(1, whole) if not whole % n]
        raise _bad(
            f"{count} {found[2]} do not divide {whole_name} evenly; "
            f"{format_list(fits, 'or')} {found[2].rstrip('s')}s do."
        )
    if hour > 23 or minute > 59 or (not hours and hour):
        raise _bad(f"“{found[3]}:{found[4]}” is not a time to count from.")
    start = f" from {hour:02d}:{minute:02d}"
    if not hours:
        minutes = sorted((minute + count * n) % 60 for n in range(60 // count))
        expression = f"{','.join(map(str, minutes))} * * * *"
        text = f"every {count} minutes" + (start if minute else "")
        return Schedule(text, (expression,), text)
    if count == 1:
        return _hourly(f":{minute:02d}")
    clock = sorted((hour + count * n) % 24 for n in range(24 // count))
    return Schedule(
        f"every {count} hours{start}",
        (f"{minute} {','.join(map(str, clock))} * * *",),
        f"every {count} hours, at {_clock([(h, minute) for h in clock])}",
    )


def _counted(rest: str) -> Schedule:
    """Return the timetable of every N days or weeks, counted from a day."""
    body, _, start = rest.lower().partition(" from ")
    found = re.fullmatch(r"(\d{1,3}) (day|week)s?(?: ([a-z,]+))? (\d.*)", body)
    if not found:
        raise _bad(f"“every {rest}” lacks its time, or is none that can be read.")
    if not start:
        raise _bad(
            f"“every {rest}” does not say from which day it counts: write “every {body} from "
            "2026-12-06”."
        )
    try:
        first = date.fromisoformat(start.strip())
    except ValueError as error:
        raise _bad(f"“{start}” is not a day such as 2026-12-06.") from error
    count, unit, times = int(found[1]), found[2], _times(found[4])
    if not count:
        raise _bad(f"Every 0 {unit}s is never.")
    head = f"every {count} {unit}s" if count > 1 else f"every {unit}"
    clock, since = ",".join(f"{h:02d}:{m:02d}" for h, m in times), f"from {first.isoformat()}"
    if unit == "day":
        if found[3]:
            raise _bad(f"“{found[3]}” is of no use in “every {count} days”.")
        counted = Recurrence(first, count, (0,), tuple(times))
        text = f"every {count} days {clock} {since}"
        return Schedule(text, (), f"{head} at {_clock(times)}, {since} on", counted=(counted,))
    days = _weekdays(found[3]) if found[3] else [first.isoweekday() % 7]
    # Days after the first; those of its week that were before it come with the next round.
    offsets = tuple(sorted((day - 1) % 7 - first.weekday() for day in days))
    names = format_list([_DAY_NAMES[day] for day in days])
    text = f"every {count} weeks {','.join(_DAYS[day] for day in days)} {clock} {since}"
    return Schedule(
        text,
        (),
        f"{head} on {names} at {_clock(times)}, {since} on",
        counted=(Recurrence(first, 7 * count, offsets, tuple(times)),),
    )


def _weekly(rest: str) -> Schedule:
    days_text, _, times_text = rest.partition(" ")
    if not times_text:
        raise _bad(f"“weekly {rest}” lacks its day or its time.")
    days = _weekdays(days_text)
    times = _times(times_text)
    return Schedule(
        f"weekly {','.join(_DAYS[d] for d in days)} {times_text}",
        _fixed(times, "*", ",".join(map(str, days))),
        f"every {format_list([_DAY_NAMES[d] for d in days])} at {_clock(times)}",
    )


def _monthly(rest: str) -> Schedule:
    days_text, _, times_text = rest.partition(" ")
    if days_text.lower() in _PLACES:
        return _by_place(days_text.lower(), times_text)
    if not times_text:
        raise _bad(f"“monthly {rest}” lacks its day or its time.")
    days = _monthdays(days_text)
    times = _times(times_text)
    return Schedule(
        f"monthly {','.join(map(str, days))} {times_text}",
        _fixed(times, ",".join(map(str, days)), "*"),
        f"on the {format_list([_ordinal(d) for d in days])} of every month at {_clock(times)}",
    )


def _by_place(place: str, rest: str) -> Schedule:
    """Return the first Monday or the last Sunday of every month, or its last day."""
    day_text, _, times_text = rest.partition(" ")
    if not times_text:
        raise _bad(f"“monthly {place} {rest}” lacks its day or its time.")
    times = _times(times_text)
    if place == "last" and day_text.lower() == "day":
        return Schedule(
            f"monthly last day {times_text}",
            _fixed(times, "L", "*"),
            f"on the last day of every month at {_clock(times)}",
        )
    days = _weekdays(day_text)
    return Schedule(
        f"monthly {place} {','.join(_DAYS[d] for d in days)} {times_text}",
        _fixed(times, "*", ",".join(f"{d}{_PLACES[place]}" for d in days)),
        f"on the {place} {format_list([_DAY_NAMES[d] for d in days])} of every month at "
        f"{_clock(times)}",
    )


def _once(rest: str) -> Schedule:
    try:
        moment = datetime.strptime(rest.replace("T", " "), "%Y-%m-%d %H:%M")
    except ValueError as error:
        raise _bad(f"“{rest}” is not a day and a time such as 2026-12-01 22:00.") from error
    return Schedule(
        f"once {moment:%Y-%m-%d %H:%M}", (), f"once, on {moment:%Y-%m-%d at %H:%M}", (moment,)
    )


def _cron(text: str) -> Schedule:
    if len(text.split()) != 5:
        raise _bad(f"“{text}” is not a timetable.")
    try:
        next(CronSim(text, datetime(2026, 1, 1)))
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
    """Return the IANA time zone of that name. Raises :class:`SettingError` for an unknown one."""
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
