from datetime import UTC, datetime, timedelta
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


def local(text, where, after, count):
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
        ("By hand", "only when somebody starts it", []),
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
        ("once 2026-12-01 22:00", "once, on 2026-12-01 at 22:00", ["Tue 01 22:00"]),
        (
            "daily 02:15;  weekly tue 12:00 ;",
            "every day at 02:15, and every Tuesday at 12:00",
            ["Tue 24 12:00", "Wed 25 02:15"],
        ),
    ],
)
def test_forms(text, words, starts):
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
def test_what_cannot_be_read_says_what_can(text):
    with pytest.raises(SettingError) as caught:
        schedule.parse(text)
    assert "daily 02:15" in caught.value.way_out and caught.value.field == "timetable"


def test_both_changes_of_summer_time():
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
def test_starts_are_later_ordered_and_distinct(after, times, zone):
    text = "daily " + ", ".join(f"{h:02d}:{m:02d}" for h, m in times)
    found = schedule.next_starts(schedule.parse(text), schedule.zone(zone), after, 12)
    assert len(found) == 12 and found[0] > after
    assert found == sorted(set(found))
    # As many a day as there are times, but for a day that summer time changes.
    assert found[-1] - after < timedelta(days=12 / len(set(times)) + 2)


def test_an_unknown_zone():
    with pytest.raises(SettingError, match="Mars"):
        schedule.zone("Mars/Olympus")
