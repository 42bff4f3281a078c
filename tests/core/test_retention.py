import pytest
from hypothesis import given
from hypothesis import strategies as st

from fasciculus.core import retention
from fasciculus.core.errors import SettingError
from fasciculus.core.retention import RetentionCopy, check, retiring

COPIES = st.lists(st.booleans(), max_size=40).map(
    lambda rows: [RetentionCopy(f"b{n:03d}", pinned) for n, pinned in enumerate(rows)]
)


@given(COPIES, st.integers(1, 20))
def test_the_last_made_stay_and_pinned_copies_always(copies, count):
    going = retiring(copies, count)
    staying = [c for c in copies if c not in going and not c.pinned]
    assert not any(c.pinned for c in going)
    assert len(staying) == min(count, sum(not c.pinned for c in copies))
    if going and staying:
        assert max(c.name for c in going) < min(c.name for c in staying)


@given(COPIES, st.integers(1, 20))
def test_what_was_retired_is_not_missed_the_next_time(copies, count):
    going = retiring(copies, count)
    assert retiring([c for c in copies if c not in going], count) == []


@pytest.mark.parametrize("count", [0, -1, 10_001])
def test_a_count_that_would_lose_all_is_refused(count):
    with pytest.raises(SettingError) as caught:
        retiring([], count)
    assert caught.value.field == "keep"
    assert caught.value.sentence() == (
        f"{count} copies cannot be kept. Give a number from 1 to 10,000."
    )


@pytest.mark.parametrize("count", [1, 10_000])
def test_the_numbers_that_may_be_kept(count):
    assert check(count) == count


def test_what_retiring_frees_goes_with_the_last_that_needs_it():
    needs = {"a": {"p1": 100}, "b": {"p1": 100, "p2": 20}, "c": {"p1": 100, "p3": 3}}
    assert retention.freed(["a", "b"], needs) == {"a": 0, "b": 20}
    assert retention.freed(["a", "b", "c"], needs) == {"a": 0, "b": 20, "c": 103}
    assert retention.freed([], needs) == {}


def test_a_copy_is_not_pinned_unless_it_is_said():
    copies = [RetentionCopy(name) for name in "cab"]
    assert [copy.name for copy in retiring(copies, 1)] == ["c", "a"], "as they were made"
    assert retiring(copies, 3) == []
    pinned = [RetentionCopy("z", True), *copies]
    assert [copy.name for copy in retiring(pinned, 2)] == ["c"]
