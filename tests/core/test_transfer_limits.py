"""Limits of a store by the hour, also past midnight."""

from __future__ import annotations

from datetime import time
from typing import Any

import pytest

from fasciculus.core.errors import SettingError
from fasciculus.core.transfer_limits import TransferLimit, limit_at, parse_limit

MIB = 1024 * 1024


@pytest.mark.parametrize(
    ("text", "wanted"),
    [
        ("10 MiB/s", TransferLimit(10 * MIB)),
        ("1.5KiB/s", TransferLimit(1536)),
        ("2 GiB/s 08:00-18:00", TransferLimit(2048 * MIB, time(8), time(18))),
        ("1024 B/s 22:30 – 5:15", TransferLimit(1024, time(22, 30), time(5, 15))),
    ],
)
def test_what_people_write(text: str, wanted: TransferLimit) -> None:
    assert parse_limit(text) == wanted


@pytest.mark.parametrize("text", ["", "fast", "10 MB/s", "1023 B/s", "1 MiB/s 24:00-08:00"])
def test_what_is_no_limit(text: str) -> None:
    with pytest.raises(SettingError) as caught:
        parse_limit(text)
    assert caught.value.field == "limits" and "2 MiB/s 08:00-18:00" in caught.value.hint


@pytest.mark.parametrize(
    ("limit", "inside", "outside"),
    [
        ("1 MiB/s", ["00:00", "12:00", "23:59"], []),
        ("1 MiB/s 00:00-00:00", ["00:00", "23:59"], []),
        ("1 MiB/s 08:00-18:00", ["08:00", "17:59"], ["07:59", "18:00", "00:00"]),
        ("1 MiB/s 22:00-05:00", ["22:00", "23:59", "00:00", "04:59"], ["05:00", "21:59"]),
        ("1 MiB/s 08:00-00:00", ["08:00", "23:59"], ["00:00", "07:59"]),
        ("1 MiB/s 00:00-06:00", ["00:00", "05:59"], ["06:00", "23:59"]),
    ],
)
def test_when_a_limit_holds(limit: str, inside: list[str], outside: list[Any]) -> None:
    found = parse_limit(limit)
    assert all(found.holds_at(time.fromisoformat(text)) for text in inside)
    assert not any(found.holds_at(time.fromisoformat(text)) for text in outside)


def test_the_least_of_all_counts() -> None:
    limits = [
        parse_limit(text) for text in ("8 MiB/s", "2 MiB/s 22:00-05:00", "4 MiB/s 20:00-23:00")
    ]
    assert [limit_at(limits, time(hour)) for hour in (12, 21, 22, 2)] == [
        8 * MIB,
        4 * MIB,
        2 * MIB,
        2 * MIB,
    ]
    assert limit_at([], time()) is None and limit_at(limits[1:], time(12)) is None
