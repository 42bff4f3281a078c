from __future__ import annotations

from datetime import UTC, datetime, time, timedelta
from typing import Any

from hypothesis import given
from hypothesis import strategies as st

from fasciculus.core.schedule.collisions import ExpectedRun, collisions, expected_duration

NIGHT = datetime(2026, 11, 26, 2, tzinfo=UTC)


def run(job: str, start: int, minutes: int, *places: Any, day: int = 0) -> ExpectedRun:
    begin = NIGHT + timedelta(days=day, minutes=start)
    return ExpectedRun(job, begin, begin + timedelta(minutes=minutes), frozenset(places))


def week(job: str, start: int, minutes: int, *places: Any) -> list[Any]:
    return [run(job, start, minutes, *places, day=day) for day in range(7)]


def test_jobs_that_meet_on_a_store_and_where_one_of_them_would_not() -> None:
    runs = week("nightly", 0, 40, "reed-1", "attic") + week("shops", 20, 10, "reed-2", "attic")
    (row,) = collisions(runs)
    assert (row.first, row.second, row.places) == ("nightly", "shops", {"attic"})
    assert row.moments == [NIGHT + timedelta(days=day, minutes=20) for day in range(7)]
    assert row.by == timedelta(minutes=20)


def test_a_proposal_meets_no_third_one_and_may_be_earlier() -> None:
    runs = week("nightly", 0, 40, "attic") + week("shops", 20, 10, "attic")
    runs += week("weekly", 40, 200, "attic")
    (row,) = collisions(runs)
    assert row.by == timedelta(minutes=-30)


def test_what_shares_nothing_or_comes_one_after_the_other_does_not_collide() -> None:
    assert collisions(week("a", 0, 40, "x") + week("b", 0, 40, "y")) == []
    assert collisions(week("a", 0, 40, "x") + week("b", 40, 40, "x")) == []
    assert collisions(week("a", 0, 40, "x") + week("a", 20, 40, "x")) == [], "never itself"


def test_two_that_start_in_the_same_minute_collide_however_short_they_are() -> None:
    (row,) = collisions([run("a", 0, 0, "x"), run("b", 0, 0, "x")])
    assert abs(row.by) == timedelta(minutes=5)


def test_where_there_is_no_better_time_near_none_is_proposed() -> None:
    (row,) = collisions([run("a", -700, 1400, "x"), run("b", 0, 10, "x")])
    assert row.by is None


def test_no_time_is_proposed_at_which_the_job_may_not_start() -> None:
    runs = week("nightly", 0, 40, "attic") + week("shops", 20, 10, "attic")

    def early(job: str, moment: datetime) -> bool:
        return job != "shops" or moment.time() <= time(2, 20)

    (row,) = collisions(runs, early)
    assert row.by == timedelta(minutes=-30)
    (row,) = collisions(runs, lambda job, moment: moment.time() == time(2, 20))
    assert row.by is None


def test_a_duration_is_the_middle_of_the_last_ten() -> None:
    assert expected_duration([]) is None
    assert expected_duration([9999] * 5 + [60] * 9 + [5000]) == timedelta(seconds=60)


RUNS = st.lists(
    st.builds(
        run, st.sampled_from("abcd"), st.integers(0, 300), st.integers(0, 90), st.sampled_from("xy")
    ),
    max_size=25,
)


@given(RUNS)
def test_every_pair_that_meets_is_found_and_no_proposal_meets_anything(runs: list[Any]) -> None:
    found = collisions(runs)
    pairs = {frozenset((a.job, b.job)) for a in runs for b in runs if a.meets(b)}
    assert {frozenset((row.first, row.second)) for row in found} == pairs
    assert len(found) == len(pairs)
    for row in found:
        if row.by is not None:
            own = [r.moved(row.by) for r in runs if r.job == row.second]
            assert not any(a.meets(b) for a in own for b in runs if b.job != row.second)
