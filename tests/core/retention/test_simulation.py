from __future__ import annotations

import time
from datetime import UTC, date, datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from keep_rules import RULES

from fasciculus.core import schedule
from fasciculus.core.retention import RetentionCopy, kept, parse, retiring
from fasciculus.core.retention.rule import KeepRule
from fasciculus.core.retention.simulation import GrowingCopies, Sizes, simulate

LONDON = ZoneInfo("Europe/London")
FIRST = date(2026, 11, 26)
NOW = datetime(2026, 11, 26, tzinfo=UTC)


def year(
    rule: str,
    timetable: str = "daily 02:15",
    sizes: Sizes = Sizes(100),
    copies: list[Any] | tuple[Any, ...] = (),
    days: int = 365,
) -> list[Any]:
    starts = schedule.starts(schedule.parse(timetable), LONDON, NOW)
    return list(simulate(copies, starts, parse(rule), sizes, LONDON, FIRST, days))


def test_a_year_of_nights() -> None:
    days = year("7 newest, 4 weekly, 12 monthly, yearly for ever")
    assert [day.day for day in (days[0], days[-1])] == [FIRST, FIRST + timedelta(days=364)]
    assert len(days[0].copies) == 1 and len(days[6].copies) == 7
    last = [moment.astimezone(LONDON).date() for moment in days[-1].copies]
    assert last[-7:] == [FIRST + timedelta(days=358 + n) for n in range(7)]
    assert date(2026, 12, 31) in last and date(2027, 4, 30) in last, "ends of months stay"
    assert days[-1].bytes == 100 * len(last)


def test_it_says_the_same_as_applying_the_rule_night_after_night() -> None:
    rule = parse("3 newest, 30 days, 5 monthly, at least 4")
    days = year(rule.text, "weekly sun 03:00; daily 12:00")
    copies, starts = (
        [],
        schedule.starts(schedule.parse("weekly sun 03:00; daily 12:00"), LONDON, NOW),
    )
    moment = next(starts)
    for day in days:
        while moment.astimezone(LONDON).date() <= day.day:
            copies.append(RetentionCopy(str(moment), moment))
            copies = [c for c in copies if c not in retiring(copies, rule, LONDON)]
            moment = next(starts)
        assert day.copies == tuple(copy.moment for copy in copies)


def test_what_incremental_bundles_take() -> None:
    days = year("2 newest", sizes=Sizes(1000, 10, 30), days=40)
    assert days[0].bytes == 1000 and days[9].bytes == 1090
    assert days[30].bytes == 1000 + 29 * 10 + 1000, "the old row stays with its last copy"
    assert days[31].bytes == 1010


def test_copies_that_are_there_stay_as_the_rule_says() -> None:
    old = [RetentionCopy("old", NOW - timedelta(days=100), pinned=True)]
    old += [RetentionCopy(f"n{n}", NOW - timedelta(days=3 - n)) for n in range(3)]
    days = year("2 newest", copies=old, days=2)
    assert days[0].copies[0] == old[0].moment and len(days[0].copies) == 3
    assert old[3].moment in days[0].copies and old[3].moment not in days[1].copies


@settings(deadline=None)
@given(st.lists(st.sampled_from([0.3, 1, 12, 24, 24 * 8, 24 * 200]), max_size=80), RULES)
def test_copies_that_grow_are_those_of_the_rule_for_all_of_them(
    gaps: list[Any], rule: KeepRule
) -> None:
    growing, copies, moment = GrowingCopies(rule, LONDON), [], NOW
    for number, gap in enumerate(gaps):
        moment += timedelta(hours=gap)
        copies.append(RetentionCopy(str(number), moment))
        growing.add(moment)
        staying = kept(copies, rule, LONDON)
        assert growing.moments == tuple(c.moment for c in copies if c.name in staying)


@pytest.mark.usefixtures("untraced")
def test_months_of_quarters_of_hours_take_no_time() -> None:
    begun = time.process_time()
    assert len(year("30 days", "every 15 minutes", days=120)[-1].copies) == 30 * 96 + 2
    assert time.process_time() - begun < 20
