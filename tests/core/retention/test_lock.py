"""The time until which a new copy is locked."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

import pytest

from fasciculus.core.retention import RetentionCopy, kept, locked_until, parse
from fasciculus.core.retention.lock import LONGEST

FIRST = datetime(2026, 3, 1, 3, tzinfo=UTC)
DAILY = [FIRST + timedelta(days=n) for n in range(900)]


def copies(moments: list[datetime]) -> list[RetentionCopy]:
    return [RetentionCopy(moment.isoformat(), moment) for moment in moments]


@pytest.mark.parametrize(
    "text", ["1", "7 newest", "10 days", "3 daily, 2 weekly", "2 monthly", "5 newest, at least 9"]
)
@pytest.mark.parametrize("number", [0, 12, 30])
def test_it_is_the_start_whose_copy_retires_this_one(text: str, number: int) -> None:
    rule, moment = parse(text), DAILY[number]
    until = locked_until(moment, copies(DAILY[:number]), rule, DAILY[number + 1 :])
    assert until is not None
    before = copies([row for row in DAILY if row < until])
    assert moment.isoformat() in kept(before, rule)
    assert moment.isoformat() not in kept(copies([row for row in DAILY if row <= until]), rule)


def test_it_ends_within_a_year_and_is_none_where_nothing_is_known() -> None:
    assert locked_until(FIRST, [], parse("forever"), DAILY[1:]) == FIRST + LONGEST
    assert locked_until(FIRST, [], parse("7 newest"), []) is None
    assert locked_until(FIRST, [], parse("30 days"), []) == FIRST + timedelta(days=30)
    assert locked_until(FIRST, [], parse("900 days"), []) == FIRST + LONGEST


def test_pinned_and_damaged_copies_take_no_place() -> None:
    idle = [
        RetentionCopy("pinned", FIRST - timedelta(days=2), pinned=True),
        RetentionCopy("damaged", FIRST - timedelta(days=1), good=False),
    ]
    rule = parse("2 newest")
    assert locked_until(FIRST, idle, rule, DAILY[1:]) == locked_until(FIRST, [], rule, DAILY[1:])
