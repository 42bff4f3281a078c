"""Advice on stores, and forecasts."""

from __future__ import annotations

from datetime import date, timedelta
from typing import Any

import pytest

from fasciculus.core import forecast, store_advice
from fasciculus.core.forecast import DayCount
from fasciculus.core.store_advice import StoreFacts

TODAY = date(2026, 11, 26)


@pytest.mark.parametrize(
    ("facts", "words"),
    [
        ({"published": "millpond.example"}, "inside the document root of millpond.example"),
        ({"unprotected": "password and files"}, "password and files can be read and changed"),
        ({"on_this_machine": True}, "is on this machine"),
        ({"on_this_machine": True, "same_disk": True}, "on the disk of the accounts"),
        ({"untried": True}, "never tried"),
    ],
)
def test_each_mistake_of_a_store_has_its_sentence(facts: dict[Any, Any], words: str) -> None:
    (said,) = store_advice.of_store(StoreFacts("attic", **facts))
    assert words in said and said.endswith(".") and not store_advice.of_store(StoreFacts("attic"))


def test_of_several_stores_one_elsewhere_is_enough() -> None:
    here, away = StoreFacts("attic", on_this_machine=True), StoreFacts("boathouse")
    said = " ".join(store_advice.of_stores([here, here], 0, 7))
    assert said.startswith("All copies stay on this machine (attic and attic)")
    assert store_advice.of_stores([here, away], 0, 7) == []


def test_copies_times_size_beyond_the_room_is_said() -> None:
    store = StoreFacts("boathouse", room=7_000)
    assert store_advice.of_stores([store], 1_000, 7) == []
    (said,) = store_advice.of_stores([store], 1_001, 7)
    assert "7 full copies" in said and "6.84 KiB" in said


def days(*stored: Any) -> list[Any]:
    first = TODAY - timedelta(days=len(stored) - 1)
    return [DayCount(first + timedelta(days=n), 10, 5, held) for n, held in enumerate(stored)]


def test_the_day_on_which_it_is_full() -> None:
    steady = days(100, 200, 300, 400)
    assert forecast.growth_per_day(steady) == pytest.approx(100)
    assert forecast.growth_per_day(days(100, None, 300)) == pytest.approx(100)
    assert forecast.growth_per_day(days(100, 200)) is None and forecast.growth_per_day([]) is None
    assert forecast.full_on(1_000, 0, 100, TODAY) == TODAY + timedelta(days=10)
    assert forecast.full_on(1_000, 400, 100, TODAY) == TODAY + timedelta(days=6)
    assert forecast.full_on(400, 400, 0, TODAY) == TODAY
    assert forecast.full_on(0, 0, None, TODAY) == TODAY
    for free, per_day in ((None, 100), (1_000, None), (1_000, 0), (1_000, -5), (10**9, 1)):
        assert forecast.full_on(free, 0, per_day, TODAY) is None


def test_what_a_month_costs() -> None:
    moved = [DayCount(TODAY - timedelta(days=n), 10**9, 10**9) for n in range(40)]
    kept, price = forecast.price_of_month(5 * 10**9, moved, 0.02, 0.01, TODAY)
    assert (kept, price) == (pytest.approx(0.1), pytest.approx(0.6))
