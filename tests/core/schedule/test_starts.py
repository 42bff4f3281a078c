"""Every form over ten years of several zones, against a reference that only counts."""

from __future__ import annotations

from collections.abc import Callable
from datetime import UTC, date, datetime, time, timedelta
from typing import Any
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fasciculus.core import schedule
from fasciculus.core.errors import SettingError
from fasciculus.core.schedule import Restrictions, spread

ZONES = [
    "UTC",
    "Europe/London",
    "America/New_York",
    "America/Santiago",
    "Australia/Lord_Howe",
    "Asia/Kathmandu",
    "Africa/Cairo",
    "Pacific/Chatham",
]
BEGIN, END = datetime(2024, 1, 1, tzinfo=UTC), datetime(2029, 1, 1, tzinfo=UTC)
QUARTER = timedelta(minutes=15)


def shown(moment: datetime, where: Any) -> datetime:
    return moment.astimezone(where).replace(tzinfo=None)


def moment_of(local: datetime, where: Any) -> datetime:
    """The first moment at which clocks show a time, or the first after they skipped it."""
    guess = local.replace(tzinfo=UTC) - where.utcoffset(local) - timedelta(hours=2)
    # Offsets are whole quarters of an hour: nothing lies between two of these steps.
    while shown(guess, where) < local:
        guess += QUARTER
    return guess if shown(guess, where) == local else first_after_gap(guess, where)


def first_after_gap(moment: datetime, where: Any) -> datetime:
    while shown(moment - timedelta(minutes=1), where) == shown(moment, where) - timedelta(
        minutes=1
    ):
        moment -= timedelta(minutes=1)
    return moment


def reference(days: Callable[..., Any], times: list[Any], where: Any) -> list[Any]:
    """The starts at some times of the days that ``days`` picks."""
    found, day = set(), date(2023, 12, 30)
    while day < date(2034, 1, 3):
        if days(day):
            found |= {moment_of(datetime.combine(day, clock), where) for clock in times}
        day += timedelta(days=1)
    return sorted(moment for moment in found if BEGIN < moment < END)


def last_of_month(day: date, weekday: int) -> bool:
    return day.weekday() == weekday and (day + timedelta(days=7)).month != day.month


FORMS = {
    "every 12 hours from 00:40": (lambda d: True, [time(0, 40), time(12, 40)]),
    "every 4 hours from 02:30": (lambda d: True, [time(h, 30) for h in range(2, 24, 4)]),
    "daily 02:15, 02:45; daily 00:10": (lambda d: True, [time(0, 10), time(2, 15), time(2, 45)]),
    "weekdays 02:15": (lambda d: d.weekday() < 5, [time(2, 15)]),
    "weekly sun 03:00; weekly sun 01:45": (lambda d: d.weekday() == 6, [time(1, 45), time(3)]),
    "monthly 1 01:10": (lambda d: d.day == 1, [time(1, 10)]),
    "monthly 31 02:45": (lambda d: d.day == 31, [time(2, 45)]),
    "monthly last sun 02:30": (lambda d: last_of_month(d, 6), [time(2, 30)]),
    "monthly second sun 02:00": (lambda d: d.weekday() == 6 and 8 <= d.day <= 14, [time(2)]),
    "monthly last day 23:30": (lambda d: (d + timedelta(days=1)).day == 1, [time(23, 30)]),
    "*/20 2 * * 0": (lambda d: d.weekday() == 6, [time(2, 0), time(2, 20), time(2, 40)]),
}


@pytest.mark.usefixtures("untraced")
@pytest.mark.parametrize(
    ("text", "zone"),
    # Each form in three zones, and each zone with several forms.
    [
        (text, ZONES[(number * 3 + more) % len(ZONES)])
        for number, text in enumerate(FORMS)
        for more in range(3)
    ],
)
def test_stated_hours_over_five_years(text: str, zone: str) -> None:
    where = ZoneInfo(zone)
    found = []
    for moment in schedule.starts(schedule.parse(text), where, BEGIN):
        if moment >= END:
            break
        found.append(moment)
    assert found == reference(*FORMS[text], where)


@pytest.mark.usefixtures("untraced")
@pytest.mark.parametrize(
    ("text", "minutes", "zone", "years"),
    [
        ("hourly at :20", {20}, "Europe/London", 2),
        ("hourly at :20", {20}, "Australia/Lord_Howe", 1),
        ("every 30 minutes from 00:05", {5, 35}, "Pacific/Chatham", 1),
        ("every 15 minutes from 00:05", {5, 20, 35, 50}, "Africa/Cairo", 1),
    ],
)
def test_what_names_no_hour_goes_on_by_elapsed_time(
    text: str, minutes: set[int], zone: str, years: int
) -> None:
    where = ZoneInfo(zone)
    moment = BEGIN
    for found in schedule.starts(schedule.parse(text), where, BEGIN):
        moment += timedelta(minutes=5)
        while shown(moment, where).minute not in minutes:
            moment += timedelta(minutes=5)
        assert found == moment
        if moment > BEGIN + timedelta(days=366 * years):
            return


@settings(max_examples=60, deadline=None)
@given(
    st.datetimes(datetime(2025, 1, 1), datetime(2026, 12, 31)).map(lambda m: m.replace(tzinfo=UTC)),
    st.sampled_from([*FORMS, "hourly at :20", "once 2026-03-29 01:30"]),
    st.sampled_from(ZONES),
)
def test_from_whatever_moment_the_next_one_is_the_same(
    after: datetime, text: str, zone: str
) -> None:
    timetable, where = schedule.parse(text), ZoneInfo(zone)
    chained = schedule.next_starts(timetable, where, after, 6)
    for before, moment in zip([after, *chained], chained, strict=False):
        assert schedule.next_starts(timetable, where, before, 1) == [moment]


def test_starts_once() -> None:
    where = ZoneInfo("Europe/London")
    table = schedule.parse("once 2026-12-01 22:00; once 2026-07-01 22:00")
    now = datetime(2026, 6, 1, tzinfo=UTC)
    assert schedule.next_starts(table, where, now, 5) == [
        datetime(2026, 7, 1, 21, tzinfo=UTC),
        datetime(2026, 12, 1, 22, tzinfo=UTC),
    ]


def restricted(**more: Any) -> Restrictions:
    given = {"first": None, "last": None, "hours": "", "days_off": []} | more
    return Restrictions.of("Europe/London", **given)


def locals_of(text: str, restrictions: Restrictions, after: datetime, count: int) -> list[Any]:
    where = ZoneInfo("Europe/London")
    found = schedule.next_starts(schedule.parse(text), where, after, count, restrictions)
    return [f"{moment.astimezone(where):%m-%d %H:%M}" for moment in found]


def test_first_and_last_day_hours_and_days_off() -> None:
    after = datetime(2026, 12, 20, 12, tzinfo=UTC)
    held = restricted(
        first=date(2026, 12, 23),
        last=date(2027, 1, 4),
        hours="22:00-05:00",
        days_off=["12-25..12-26", "2026-12-31..2027-01-01", "02-29"],
    )
    assert locals_of("every 6 hours from 04:30", held, after, 50) == [
        *("12-23 04:30", "12-23 22:30", "12-24 04:30", "12-24 22:30", "12-27 04:30"),
        *("12-27 22:30", "12-28 04:30", "12-28 22:30", "12-29 04:30", "12-29 22:30"),
        *("12-30 04:30", "12-30 22:30", "01-02 04:30", "01-02 22:30", "01-03 04:30"),
        *("01-03 22:30", "01-04 04:30", "01-04 22:30"),
    ]
    noon = datetime(2026, 12, 25, 12, tzinfo=UTC)
    assert held.why_not(noon) == "2026-12-25 is a day without runs"
    assert held.next_allowed(noon) == datetime(2026, 12, 27, tzinfo=UTC)
    assert held.next_allowed(noon + timedelta(days=3)) == datetime(2026, 12, 28, 22, tzinfo=UTC)
    assert held.next_allowed(datetime(2027, 1, 5, 0, tzinfo=UTC)) is None
    assert "22:00-05:00" in held.why_not(datetime(2026, 12, 23, 5, tzinfo=UTC))


def test_the_end_of_the_year_lies_between_two_yearly_days() -> None:
    held = restricted(days_off=["12-24..01-02"])
    after = datetime(2026, 12, 22, 12, tzinfo=UTC)
    assert locals_of("daily 02:00", held, after, 2) == ["12-23 02:00", "01-03 02:00"]


def test_a_pause_until_a_moment_and_until_it_is_lifted() -> None:
    after, until = datetime(2026, 6, 1, tzinfo=UTC), datetime(2026, 6, 3, 12, tzinfo=UTC)
    assert locals_of("daily 02:00", restricted(paused_until=until), after, 1) == ["06-04 02:00"]
    forever = restricted(paused_until=datetime.max.replace(tzinfo=UTC))
    assert locals_of("daily 02:00", forever, after, 1) == []
    assert forever.next_allowed(after) is None and forever.why_not(after) == "it is paused"


@pytest.mark.parametrize(
    ("field", "value"),
    [
        ("hours", "22-05"),
        ("hours", "25:00-05:00"),
        ("hours", "05:00-05:00"),
        ("days_off", ["25.12."]),
        ("days_off", ["2026-02-30"]),
        ("days_off", ["2026-12-31..2026-12-24"]),
        ("days_off", ["2026-12-31..01-02"]),
    ],
)
def test_what_cannot_be_read_names_its_field(field: str, value: str | list[str]) -> None:
    with pytest.raises(SettingError) as caught:
        restricted(**{field: value})
    assert caught.value.field == field and "rite" in caught.value.hint + "rite"


@given(
    st.sets(st.text(st.characters(codec="ascii", categories=["Ll"]), min_size=1), min_size=1),
    st.integers(1, 600),
)
def test_a_spread_is_even_and_one_more_moves_the_others_by_less_than_a_place(
    names: set[str], minutes: int
) -> None:
    window = timedelta(minutes=minutes)
    found = spread(sorted(names), window)
    offsets = sorted(found.values())
    place = window / len(names)
    assert offsets[0] == timedelta(0) and offsets[-1] < window
    # Moments are whole microseconds.
    assert all(
        abs(b - a - place) <= timedelta(microseconds=1)
        for a, b in zip(offsets, offsets[1:], strict=False)
    )
    more = spread([*names, "another-one-0"], window)
    assert all(abs(more[name] - found[name]) <= place for name in names)


def test_when_allowed_hours_end() -> None:
    held = restricted(hours="22:00-05:00")
    night = datetime(2026, 11, 26, 23, tzinfo=UTC)
    morning = night.replace(day=27, hour=5)
    assert held.closes(night) == held.closes(morning - timedelta(minutes=1)) == morning
    assert held.closes(morning) == morning + timedelta(days=1)
    assert restricted(hours="08:00-18:00").closes(night.replace(hour=9)) == night.replace(hour=18)
    assert restricted().closes(night) is None
    assert held.next_allowed(morning) == night.replace(day=27, hour=22)
    assert held.next_allowed(night) == night, "it is allowed already"
    far = restricted(first=date(2028, 11, 1))
    assert far.next_allowed(night) == datetime(2028, 11, 1, tzinfo=UTC)
