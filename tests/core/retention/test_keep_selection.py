"""Keep rules over random histories, against a reference that only counts."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st
from keep_rules import RULES

from fasciculus.core import retention
from fasciculus.core.errors import SettingError
from fasciculus.core.retention import RetentionCopy, kept, parse, retiring
from fasciculus.core.retention.rule import KeepRule

LONDON = ZoneInfo("Europe/London")
BEGIN = datetime(2025, 11, 20, tzinfo=UTC)
#: Hours between copies: of the same hour, night after night, and with long gaps.
GAPS = st.sampled_from([0.2, 1, 6, 12, 24, 24, 24, 24 * 7, 24 * 40, 24 * 400])
COPIES = st.lists(st.tuples(GAPS, st.booleans(), st.booleans()), max_size=60).map(
    lambda rows: [
        RetentionCopy(f"b{n:03d}", BEGIN + timedelta(hours=sum(r[0] for r in rows[: n + 1])), p, g)
        for n, (_, p, g) in enumerate(rows)
    ]
)


def key_of(span: str, moment: datetime) -> Any:
    local = moment.astimezone(LONDON)
    return {
        "hourly": (local.date(), local.hour, local.utcoffset()),
        "daily": local.date(),
        "weekly": local.isocalendar()[:2],
        "monthly": (local.year, local.month),
        "yearly": local.year,
    }[span]


def reference(copies: list[Any], rule: KeepRule) -> set[Any] | set[str]:
    """The kept copies, by checking each copy against each part."""
    good = [copy for copy in copies if copy.good and not copy.pinned]
    staying = {copy.name for copy in copies if copy.pinned}
    for place, copy in enumerate(good):
        later = good[place + 1 :]
        wanted = len(later) < max(rule.newest, rule.least)
        wanted |= bool(rule.days) and copy.moment >= min(c.moment for c in good[-2:]) - timedelta(
            days=rule.days
        )
        for span, count in rule.spans.items():
            keys = {key_of(span, other.moment) for other in later}
            wanted |= key_of(span, copy.moment) not in keys and len(keys) < count
        if wanted:
            staying.add(copy.name)
    return staying


@given(COPIES, RULES)
def test_what_stays_is_what_the_reference_says(copies: list[Any], rule: KeepRule) -> None:
    staying = kept(copies, rule, LONDON)
    sound = {copy.name for copy in copies if copy.good or copy.pinned}
    assert set(staying) & sound == reference(copies, rule) & sound
    good = [copy for copy in copies if copy.good and not copy.pinned]
    if good:
        assert good[-1].name in staying, "the last good copy always stays"
    assert all(staying.values()), "each has its reason"


@given(COPIES, RULES)
def test_what_was_retired_is_not_missed_the_next_time(copies: list[Any], rule: KeepRule) -> None:
    going = retiring(copies, rule, LONDON)
    assert not any(copy.pinned for copy in going)
    assert retiring([c for c in copies if c not in going], rule, LONDON) == []


@given(COPIES, RULES, st.data())
def test_a_damaged_copy_never_takes_the_place_of_a_good_one(
    copies: list[Any], rule: KeepRule, data: Any
) -> None:
    good = [copy for copy in copies if copy.good]
    assert set(kept(good, rule, LONDON)) <= set(kept(copies, rule, LONDON))


def test_a_damaged_copy_goes_when_a_good_one_would() -> None:
    copies = [
        RetentionCopy(str(n), BEGIN + timedelta(days=n), good=n not in (1, 4)) for n in range(6)
    ]
    assert [copy.name for copy in retiring(copies, parse("2 newest"))] == ["0", "1", "2"]
    bad = [RetentionCopy(str(n), BEGIN, good=False) for n in range(3)]
    assert retiring(bad, parse("1 newest")) == [], "nothing else is left"


def test_days_count_from_the_newest_copy_and_for_what_is_gone_from_now() -> None:
    copies = [RetentionCopy(str(n), BEGIN + timedelta(days=n)) for n in range(10)]
    rule = parse("3 days, at least 2")
    assert [copy.name for copy in retiring(copies, rule)] == list("01234")
    forward = [*copies, RetentionCopy("x", BEGIN + timedelta(days=4000))]
    assert [copy.name for copy in retiring(forward, rule)] == list("012345"), "by one day alone"
    much_later = BEGIN + timedelta(days=400)
    assert [copy.name for copy in retiring(copies, rule, now=much_later)] == list("01234567")


def test_reasons_are_said() -> None:
    copies = [RetentionCopy(str(n), BEGIN + timedelta(days=n)) for n in range(3)]
    found = kept(copies, parse("1 newest, 2 daily"), LONDON)
    assert found == {
        "2": ["one of the newest", "the last of day 2025-11-22"],
        "1": ["the last of day 2025-11-21"],
    }


def test_what_retiring_frees_goes_with_the_last_that_needs_it() -> None:
    needs = {"a": {"p1": 100}, "b": {"p1": 100, "p2": 20}, "c": {"p1": 100, "p3": 3}}
    assert retention.freed(["a", "b"], needs) == {"a": 0, "b": 20}
    assert retention.freed(["a", "b", "c"], needs) == {"a": 0, "b": 20, "c": 103}
    assert retention.freed([], needs) == {}


@pytest.mark.parametrize(
    ("text", "shown", "words"),
    [
        ("7", "7 newest", "the newest 7 copies"),
        ("1 newest", "1 newest", "the newest 1 copy"),
        (
            "14 daily,7 newest,  8 weekly, at least 3",
            "7 newest, 14 daily, 8 weekly, at least 3",
            "the newest 7 copies, and 14 daily and 8 weekly ones, never fewer than 3",
        ),
        ("all of 30 days", "30 days", "all copies of the last 30 days"),
        ("yearly forever, 12 monthly", "12 monthly, yearly forever", None),
        ("For Ever", "forever", "every copy forever"),
        # Of two parts of one kind the larger one counts, in whichever order.
        ("for ever, 2 newest", "forever", None),
        ("2 newest, forever", "forever", None),
        ("9 newest, 2 newest", "9 newest", None),
        ("30 days, 2 days", "30 days", None),
        ("daily forever, 3 daily", "daily forever", None),
        ("3 daily, at least 5, 14 daily, at least 2", "14 daily, at least 5", None),
    ],
)
def test_how_a_rule_is_written(text: str, shown: str, words: str | None) -> None:
    rule = parse(text)
    assert rule.text == shown and parse(rule.text) == rule
    assert words is None or rule.words == words


@given(RULES.filter(lambda rule: rule.newest or rule.days or rule.spans))
def test_every_rule_reads_back_as_it_was_written(rule: KeepRule) -> None:
    assert parse(rule.text) == rule


@pytest.mark.parametrize(
    "text", ["", "0 newest", "10001 newest", "some", "7 fortnightly", "at least 3", "-1", "7,"]
)
def test_a_rule_that_would_lose_all_or_means_nothing_is_refused(text: str) -> None:
    with pytest.raises(SettingError) as caught:
        parse(text)
    assert caught.value.field == "keep" and "7 newest" in caught.value.hint


@pytest.mark.parametrize(
    ("text", "bound", "plain"),
    [("7", 7, True), ("7 newest, 14 daily, at least 3", 21, False), ("2 daily, at least 5", 5, 0)],
)
def test_how_many_it_keeps_at_most(text: str, bound: int, plain: int) -> None:
    assert parse(text).bound == bound and parse(text).plain == bool(plain)
    assert parse("30 days").bound == parse("for ever").bound > 10_000
