from __future__ import annotations

from datetime import UTC, datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

from hypothesis import given
from hypothesis import strategies as st

from fasciculus.core.schedule import parse_hours
from fasciculus.core.watch import Finding, OpenAlert, reconcile

NOW = datetime(2026, 11, 26, 12, tzinfo=UTC)
HOUR = timedelta(hours=1)


def finding(key: str, text: str = "bad", **more: Any) -> Finding:
    return Finding(key, "run", "broken", key, text, "/", **more)


def opened(
    key: str, told: datetime | None = NOW - HOUR, text: str = "bad", **more: Any
) -> OpenAlert:
    return OpenAlert(key, NOW - HOUR, told, text=text, **more)


def test_what_is_new_opens_and_is_told_and_what_is_over_closes() -> None:
    found = reconcile([finding("a"), finding("b")], [opened("b"), opened("c")], {}, NOW)
    assert [f.key for f in found.opened] == ["a"] and found.told == ["a"]
    assert found.closed == ["c"] and not found.reminded and not found.changed


def test_a_finding_must_last_before_it_is_an_alert() -> None:
    slow = finding("a", after=2 * HOUR)
    assert not reconcile([slow], [], {"a": NOW - HOUR}, NOW).opened
    assert reconcile([slow], [], {"a": NOW - 2 * HOUR}, NOW).opened == [slow]


def test_quiet_hours_open_in_silence_and_tell_afterwards() -> None:
    quiet, zone = parse_hours("22:00-06:00"), ZoneInfo("Europe/London")
    night = NOW.replace(hour=23)
    found = reconcile([finding("a")], [], {}, night, quiet=quiet, zone=zone)
    assert [f.key for f in found.opened] == ["a"] and not found.told
    untold = [opened("a", told=None)]
    assert not reconcile([finding("a")], untold, {}, night, quiet=quiet, zone=zone).told
    morning = NOW.replace(hour=6)
    assert reconcile([finding("a")], untold, {}, morning, quiet=quiet, zone=zone).told == ["a"]


def test_of_what_is_silent_nobody_is_told() -> None:
    found = reconcile([finding("a", silent=True)], [], {}, NOW, remind=HOUR)
    assert [f.key for f in found.opened] == ["a"] and not found.told
    known = [opened("a", told=None), opened("b", told=None)]
    rows = [finding("a", "worse", silent=True)]
    found = reconcile(rows, known, {}, NOW + HOUR, remind=HOUR)
    assert not found.told and not found.reminded
    assert [f.key for f in found.changed] == ["a"] and found.closed == ["b"]


def test_reminders_are_for_what_nobody_has_acknowledged() -> None:
    known = [opened("a"), opened("b", acknowledged=True), opened("c", told=NOW)]
    rows = [finding(key) for key in "abc"]
    assert reconcile(rows, known, {}, NOW, remind=HOUR).reminded == ["a"]
    assert not reconcile(rows, known, {}, NOW).reminded


def test_a_text_that_changes_is_no_new_alert() -> None:
    found = reconcile([finding("a", "worse")], [opened("a")], {}, NOW)
    assert [f.text for f in found.changed] == ["worse"] and not found.opened and not found.told


@given(
    st.sets(st.sampled_from("abcdef")),
    st.dictionaries(st.sampled_from("abcdef"), st.booleans()),
    st.booleans(),
)
def test_each_alert_opens_once_and_closes_once(
    now_found: set[Any] | set[str], known: dict[Any, Any], is_quiet: bool
) -> None:
    alerts = [opened(key, told=NOW if told else None) for key, told in known.items()]
    quiet = parse_hours("11:00-13:00") if is_quiet else None
    rows = [finding(k) for k in sorted(now_found)]
    done = reconcile(rows, alerts, {}, NOW, quiet=quiet, zone=UTC)
    assert {f.key for f in done.opened} == now_found - set(known)
    assert set(done.closed) == set(known) - now_found
    untold = {key for key, told in known.items() if not told} & now_found
    assert set(done.told) == (set() if is_quiet else untold | (now_found - set(known)))
