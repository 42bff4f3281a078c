"""Our counts agree with the package for cron expressions."""

from __future__ import annotations

from datetime import datetime, timedelta
from itertools import islice
from typing import Any

import pytest
from cronsim import CronSim, CronSimError
from hypothesis import example, given
from hypothesis import strategies as st

from fasciculus.core.schedule import expressions
from fasciculus.core.schedule.expressions import local_times

PART = st.one_of(
    st.sampled_from("01234567"),
    st.builds("{}-{}".format, st.integers(0, 7), st.integers(0, 7)),
)
EXPRESSIONS = st.builds(
    "{} {} * * {}".format,
    st.integers(0, 59),
    st.one_of(st.just("*"), st.integers(0, 23)),
    st.one_of(st.just("*"), st.lists(PART, min_size=1, max_size=4).map(",".join)),
)
MOMENTS = st.datetimes(datetime(2024, 1, 1), datetime(2034, 1, 1))


@given(EXPRESSIONS, MOMENTS)
@example("30 2 * * 7", datetime(2026, 11, 29, 2, 30))
@example("30 2 * * 5-7", datetime(2026, 11, 29, 2, 29, 59, 999_999))
@example("0 * * * *", datetime(2026, 11, 29, 23, 0))
@example("59 23 * * *", datetime(2026, 12, 31, 23, 59))
def test_plain_expressions_name_the_same_times(expression: str, moment: datetime) -> None:
    try:
        wanted = CronSim(expression, moment)
    except CronSimError:
        return
    assert list(islice(local_times(expression, moment), 30)) == list(islice(wanted, 30))


@pytest.mark.parametrize(
    ("expression", "is_plain"),
    [
        ("20 * * * *", True),
        ("15 2 * * 1-5", True),
        ("15 2 * * 0,3", True),
        ("*/5 * * * *", False),
        ("15 2 1 * *", False),
        ("15 2 * 6 *", False),
        ("15 2 * * mon", False),
        ("15 2 * * 1#2", False),
        ("15 2,4 * * *", False),
    ],
)
def test_all_others_are_left_to_the_package(
    monkeypatch: pytest.MonkeyPatch, expression: str, is_plain: bool
) -> None:
    asked = []

    def package(text: str, after: datetime) -> Any:
        asked.append(text)
        return CronSim(text, after)

    monkeypatch.setattr(expressions, "CronSim", package)
    found = next(local_times(expression, datetime(2026, 11, 26)))
    assert found - datetime(2026, 11, 26) < timedelta(days=366)
    assert asked == ([] if is_plain else [expression])
