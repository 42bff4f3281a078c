from __future__ import annotations

from datetime import UTC, date, datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fasciculus.core import schedule
from fasciculus.core.errors import SettingError

LONDON = ZoneInfo("Europe/London")
MOMENTS = st.datetimes(datetime(2025, 1, 1), datetime(2028, 1, 1)).map(
    lambda m: m.replace(tzinfo=UTC)
)


def local(text: str, where: Any, after: datetime, count: int) -> list[Any]:
    found = schedule.next_starts(schedule.parse(text), where, after, count)
    return [f"{m.astimezone(where):%a %d %H:%M}" for m in found]


@pytest.mark.parametrize(
    ("text", "words", "starts"),
    [
        ("daily 2:15", "every day at 02:15", ["Wed 25 02:15", "Thu 26 02:15"]),
        ("daily 14:15, 02:15", "every day at 02:15 and 14:15", ["Tue 24 14:15", "Wed 25 02:15"]),
        ("hourly :05", "every hour at 5 minutes past", ["Tue 24 04:05", "Tue 24 05:05"]),
        ("weekdays 06:00", "Monday to Friday at 06:00", ["Tue 24 06:00", "Wed 25 06:00"]),
        (
            "weekly Sunday,wed 03:00",
            "every Sunday and Wednesday at 03:00",
            ["Wed 25 03:00", "Sun 29 03:00"],
        ),
        (
            "monthly 1,15 04:00",
            "on the 1st and 15th of every month at 04:00",
            ["Tue 01 04:00", "Tue 15 04:00"],
        ),
        (
            "monthly 20,21,22,23,11 23:59",
            "on the 11th, 20th, 21st, 22nd and 23rd of every month at 23:59",
            ["Fri 11 23:59", "Sun 20 23:59"],
        ),
        ("30 1 * * 6", "by the cron expression “30 1 * * 6”", ["Sat 28 01:30", "Sat 05 01:30"]),
        ("By hand", "only when started by hand", []),
        ("hourly at :20", "every hour at 20 minutes past", ["Tue 24 04:20", "Tue 24 05:20"]),
        (
            "every 12 hours from 00:40",
            "every 12 hours, at 00:40 and 12:40",
            ["Tue 24 12:40", "Wed 25 00:40"],
        ),
        ("every 1 hour from 00:40", "every hour at 40 minutes past", ["Tue 24 03:40"]),
        ("every 20 minutes from 00:50", None, ["Tue 24 03:50", "Tue 24 04:10"]),
        (
            "monthly last sun 03:00",
            "on the last Sunday of every month at 03:00",
            ["Sun 29 03:00", "Sun 27 03:00"],
        ),
        ("monthly first mon,tue 03:00", None, ["Tue 01 03:00", "Mon 07 03:00"]),
        (
            "monthly last day 23:30",
            "on the last day of every month at 23:30",
            ["Mon 30 23:30", "Thu 31 23:30"],
        ),
        (
            "Every 2 days 02:15 from 2026-11-23",
            "every 2 days at 02:15, from 2026-11-23 on",
            ["Wed 25 02:15", "Fri 27 02:15", "Sun 29 02:15"],
        ),
        ("every 3 days 02:15,04:00 from 2026-11-24", None, ["Tue 24 04:00", "Fri 27 02:15"]),
        ("every 2 days 02:15 from 2026-12-24", None, ["Thu 24 02:15", "Sat 26 02:15"]),
        (
            "every 2 weeks sun,wed 03:00 from 2026-11-24",
            "every 2 weeks on Sunday and Wednesday at 03:00, from 2026-11-24 on",
            ["Wed 25 03:00", "Sun 29 03:00", "Wed 09 03:00", "Sun 13 03:00"],
        ),
        (
            "every 2 weeks mon,fri 03:00 from 2026-11-25",
            None,
            ["Fri 27 03:00", "Mon 07 03:00", "Fri 11 03:00"],
        ),
        ("every 4 weeks 03:00 from 2026-10-01", None, ["Thu 26 03:00", "Thu 24 03:00"]),
        ("@daily", "every day at 00:00", ["Wed 25 00:00"]),
        ("@Midnight", "every day at 00:00", ["Wed 25 00:00"]),
        ("@hourly", "every hour on the hour", ["Tue 24 04:00"]),
        ("@weekly", "every Sunday at 00:00", ["Sun 29 00:00"]),
        ("@monthly", "on the 1st of every month at 00:00", ["Tue 01 00:00"]),
        ("@yearly; @annually", None, ["Fri 01 00:00"]),
        ("weekly thurs 03:00", "every Thursday at 03:00", ["Thu 26 03:00"]),
        ("once 2026-12-01 22:00", "once, on 2026-12-01 at 22:00", ["Tue 01 22:00"]),
        (
            "daily 02:15;  weekly tue 12:00 ;",
            "every day at 02:15, and every Tuesday at 12:00",
            ["Tue 24 12:00", "Wed 25 02:15"],
        ),
    ],
)
def test_forms(text: str, words: str | None, starts: list[Any]) -> None:
    found = schedule.parse(text)
    assert words is None or found.words == words
    assert schedule.parse(found.text) == found, "the text that is kept reads back the same"
    after = datetime(2026, 11, 24, 3, 30, tzinfo=UTC)
    assert local(text, ZoneInfo("UTC"), after, max(1, len(starts))) == starts


@pytest.mark.parametrize(
    "text",
    [
        "",
        "daily",
        "daily 25:00",
        "daily 2",
        "daily 12:60",
        "daily 12:00 13:00",
        "weekly 03:00",
        "weekly frog 03:00",
        "weekly sunshine 03:00",
        "weekly su 03:00",
        "every 2 weeks sun 03:00",
        "every 2 weeks sun from 2026-12-06",
        "every 2 weeks sun 03:00 from soon",
        "every 2 days sun 03:00 from 2026-12-06",
        "every 0 days 03:00 from 2026-12-06",
        "@reboot",
        "@always",
        "monthly 32 01:00",
        "hourly :61",
        "61 * * * *",
        "* * * *",
        "0 0 31 2 *",
        "sometimes",
        ";",
        "every 5 hours from 00:40",
        "every 7 minutes",
        "every 12 hours from 24:40",
        "every 20 minutes from 01:00",
        "every now and then",
        "monthly last 03:00",
        "monthly last frog 03:00",
        "monthly 5",
        "once 2026-13-01 22:00",
        "by hand; daily 02:15",
        "; ".join(f"daily 00:{minute:02d}" for minute in range(21)),
    ],
)
def test_what_cannot_be_read_says_what_can(text: str) -> None:
    with pytest.raises(SettingError) as caught:
        schedule.parse(text)
    assert "daily 02:15" in caught.value.hint and caught.value.field == "timetable"


def test_what_does_not_divide_is_said_as_it_is() -> None:
    for text, words in (
        ("every 45 minutes", "45 minutes do not divide an hour evenly"),
        ("every 5 hours", "do not divide a day evenly; 1, 2, 3, 4, 6, 8 or 12 hours do"),
        ("every 0 minutes", "1, 2, 3, 4, 5, 6, 10, 12, 15, 20 or 30 minutes do"),
    ):
        with pytest.raises(SettingError, match=words):
            schedule.parse(text)


@given(
    moment=MOMENTS,
    count=st.integers(1, 9),
    days=st.sets(st.integers(0, 6), min_size=1),
    first=st.dates(datetime(2025, 1, 1).date(), datetime(2027, 1, 1).date()),
)
def test_counted_weeks_are_those_that_the_calendar_has(
    moment: datetime, count: int, days: set[int], first: date
) -> None:
    names = ",".join(("sun", "mon", "tue", "wed", "thu", "fri", "sat")[day] for day in days)
    text = f"every {count} weeks {names} 03:00 from {first}"
    found = schedule.next_starts(schedule.parse(text), ZoneInfo("UTC"), moment, 6)
    assert found == sorted(found) and found[0] > moment
    monday = first - timedelta(days=first.weekday())
    day, wanted = max(first, moment.date()) - timedelta(days=1), []
    while len(wanted) < 6:
        day += timedelta(days=1)
        start = datetime(day.year, day.month, day.day, 3, tzinfo=UTC)
        is_week = (day - monday).days // 7 % count == 0
        if start > moment and day >= first and is_week and day.isoweekday() % 7 in days:
            wanted.append(start)
    assert found == wanted


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("once 2026-11-20 22:00", "It starts nothing any more."),
        ("once 2026-11-20 22:00; daily 02:00", "Its start on 2026-11-20 at 22:00 is over."),
        ("* * * * *", "more often than every five minutes"),
        ("monthly 31 04:00", "Months without a 31st are left out."),
        ("monthly 1,30 04:00", "Months without a 30th are left out."),
        ("0 4 13 * fri", "takes either, not only days that are both"),
        ("every 15 minutes; monthly 28 04:00; monthly last sun 03:00", ""),
        ("by hand", ""),
    ],
)
def test_what_is_unwise_is_said_with_the_way_out(text: str, words: str) -> None:
    now = datetime(2026, 11, 24, 3, 30, tzinfo=UTC)
    found = schedule.parse(text)
    starts = schedule.next_starts(found, LONDON, now, 5)
    said = " ".join(schedule.advice(found, starts, now))
    assert words in said and bool(said) == bool(words)


def test_cron_with_stars_follows_debians_cron_through_the_changes() -> None:
    """cron(8): with “*” in the hour or minute it runs by the new time at once."""
    spring, autumn = datetime(2026, 3, 29, tzinfo=UTC), datetime(2026, 10, 24, 22, tzinfo=UTC)
    assert local("0 */1 * * *", LONDON, spring, 3) == [
        "Sun 29 02:00",
        "Sun 29 03:00",
        "Sun 29 04:00",
    ]
    assert local("30 1-23/2 * * *", LONDON, spring, 1) == ["Sun 29 02:00"], "a stated hour"
    assert local("*/30 1 * * *", LONDON, spring, 1) == ["Mon 30 01:00"], "not at all that day"
    assert local("30 */1 * * *", LONDON, autumn, 4) == [
        "Sat 24 23:30",
        "Sun 25 00:30",
        "Sun 25 01:30",
        "Sun 25 01:30",
    ], "the hour that comes twice"
    assert local("*/30 1 * * *", LONDON, autumn, 4) == ["Sun 25 01:00", "Sun 25 01:30"] * 2


def test_both_changes_of_summer_time() -> None:
    spring = datetime(2026, 3, 28, 12, tzinfo=UTC)
    assert local("daily 01:30", LONDON, spring, 2) == ["Sun 29 02:00", "Mon 30 01:30"], (
        "a start in the skipped hour happens right after it"
    )
    autumn = datetime(2026, 10, 24, 12, tzinfo=UTC)
    assert local("daily 01:30", LONDON, autumn, 2) == ["Sun 25 01:30", "Mon 26 01:30"], (
        "a start in the hour that comes twice happens once"
    )
    hourly = schedule.next_starts(
        schedule.parse("hourly :10"), LONDON, datetime(2026, 10, 24, 23, tzinfo=UTC), 4
    )
    assert all(b - a == timedelta(hours=1) for a, b in zip(hourly, hourly[1:], strict=False))


@given(
    MOMENTS,
    st.lists(st.tuples(st.integers(0, 23), st.integers(0, 59)), min_size=1, max_size=4),
    st.sampled_from(
        ["UTC", "Europe/London", "America/New_York", "Australia/Lord_Howe", "Asia/Kolkata"]
    ),
)
def test_starts_are_later_ordered_and_distinct(
    after: datetime, times: list[Any], zone: str
) -> None:
    text = "daily " + ", ".join(f"{h:02d}:{m:02d}" for h, m in times)
    found = schedule.next_starts(schedule.parse(text), schedule.zone(zone), after, 12)
    assert len(found) == 12 and found[0] > after
    assert found == sorted(set(found))
    # As many a day as there are times, but for a day that summer time changes.
    assert found[-1] - after < timedelta(days=12 / len(set(times)) + 2)


def test_an_unknown_zone() -> None:
    with pytest.raises(SettingError, match="Mars"):
        schedule.zone("Mars/Olympus")
