"""The plan of all starts, with a clock that the test drives."""

from __future__ import annotations

import random
import time
from collections import Counter
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

import pytest

from fasciculus.core import schedule
from fasciculus.core.schedule import Restrictions, StartPlan, Timed

BEGIN = datetime(2026, 3, 25, tzinfo=UTC)


def timed(text: str, zone: str = "Europe/London", **more: Any) -> Timed:
    held = Restrictions(ZoneInfo(zone), **more) if more else None
    return Timed(schedule.parse(text), ZoneInfo(zone), held)


def plan_of(**rows: Any) -> StartPlan:
    plan = StartPlan()
    plan.renew({name: timed(text) for name, text in rows.items()}, BEGIN)
    return plan


@pytest.mark.usefixtures("untraced")
def test_a_week_of_2000_timetables_loses_and_doubles_nothing() -> None:
    pick = random.Random(11)
    rows = {
        number: timed(
            pick.choice(
                [
                    f"daily {pick.randrange(24):02d}:{pick.randrange(60):02d}",
                    f"hourly at :{pick.randrange(60):02d}",
                    f"weekdays {pick.randrange(24):02d}:15",
                    f"weekly sun,thu {pick.randrange(24):02d}:30",
                    f"every 12 hours from 00:{pick.randrange(60):02d}",
                ]
            ),
            pick.choice(["UTC", "Europe/London", "America/New_York", "Asia/Kolkata"]),
        )
        for number in range(2000)
    }
    plan = StartPlan()
    plan.renew(rows, BEGIN)
    begun = time.process_time()
    found, now, end, ticks = Counter(), BEGIN, BEGIN + timedelta(days=7), 0
    while now < end:
        # As the scheduler does: it wakes at the next start, and every 20 seconds to a minute.
        now = min(max(plan.soonest, now + timedelta(seconds=1)), end)  # type: ignore[assignment, type-var]
        for due in plan.due(now):
            assert not due.missed and not due.earlier
            found[due.what, due.moment] += 1
        ticks += 1
    spent = time.process_time() - begun
    assert set(found.values()) == {1} and len(found) > 60_000
    by_what = {}
    for what, moment in found:
        by_what.setdefault(what, set()).add(moment)
    for what in range(0, len(rows), 7):
        assert by_what[what] == set(_within(rows[what], end))
    assert spent / ticks < 0.1, "a tick takes no more than the 100 ms of the quality page"


def _within(row: Timed, end: datetime) -> Iterator[datetime]:
    for moment in schedule.starts(row.timetable, row.where, BEGIN):
        if moment > end:
            return
        yield moment


def test_what_went_by_meanwhile_is_one_start() -> None:
    plan = plan_of(nightly="daily 02:15", hourly="hourly at :30")
    found = {due.what: due for due in plan.due(BEGIN + timedelta(days=3, hours=1))}
    assert found["nightly"].missed and found["nightly"].earlier == 2
    assert found["hourly"].missed and found["hourly"].earlier == 72
    assert plan.due(BEGIN + timedelta(days=3, hours=1)) == []
    assert plan.soonest == BEGIN + timedelta(days=3, hours=1, minutes=30)


def test_one_that_comes_right_now_is_on_time_whatever_went_by_before() -> None:
    plan = plan_of(hourly="hourly at :30")
    (due,) = plan.due(BEGIN + timedelta(hours=5, minutes=31))
    assert not due.missed and due.earlier == 5
    assert due.moment == BEGIN + timedelta(hours=5, minutes=30)


def test_a_plan_that_is_renewed_keeps_what_is_due() -> None:
    plan = plan_of(nightly="daily 02:15", weekly="weekly sun 03:00")
    plan.renew({"nightly": timed("daily 02:15"), "weekly": timed("daily 00:05")}, BEGIN)
    assert [due.what for due in plan.due(BEGIN + timedelta(hours=3))] == ["weekly", "nightly"]
    plan.renew({}, BEGIN)
    assert plan.soonest is None and plan.due(BEGIN + timedelta(days=9)) == []


def test_a_paused_one_is_not_planned() -> None:
    plan = StartPlan()
    forever = datetime.max.replace(tzinfo=UTC)
    plan.renew({"held": timed("daily 02:15", paused_until=forever)}, BEGIN)
    assert plan.soonest is None
    plan.renew({"held": timed("daily 02:15")}, BEGIN)
    assert plan.soonest == BEGIN + timedelta(hours=2, minutes=15)
