from __future__ import annotations

import pytest

from fasciculus.core.watch.unusual import unusual_changes, unusual_size

MIB = 1024 * 1024


@pytest.mark.parametrize(
    ("size", "words"),
    [
        (49 * MIB, "much smaller than usual: 49.0 MiB, where 100 MiB is usual"),
        (50 * MIB, ""),
        (300 * MIB, ""),
        (301 * MIB, "much larger"),
    ],
)
def test_a_size_is_held_against_the_middle_of_those_before(size: int, words: str) -> None:
    found = unusual_size(size, [100 * MIB, 100 * MIB, 9000 * MIB], 50, 300)
    assert found.startswith(words) and bool(found) == bool(words)


def test_sizes_that_nobody_can_judge_are_not_unusual() -> None:
    assert not unusual_size(1, [100 * MIB] * 2, 50, 300), "too few before it"
    assert not unusual_size(100, [1000] * 5, 50, 300), "a trifle"
    assert not unusual_size(0, [100 * MIB] * 5, 0, 300) and unusual_size(0, [100 * MIB] * 5, 1, 0)
    assert not unusual_size(900 * MIB, [100 * MIB] * 5, 50, 0)


@pytest.mark.parametrize(
    ("changes", "before", "entries", "most", "is_unusual"),
    [
        (1000, [10, 20, 30], 5000, 1000, True),
        (200, [10, 20, 30], 1000, 1000, False),
        (201, [10, 20, 30], 1000, 1000, True),
        (201, [10, 20, 30], 2011, 1000, False),
        (201, [10, 20], 1000, 1000, False),
        (49, [0, 0, 0], 99, 1000, False),
        (49, [0, 0, 0], 50, 1000, True),
        # Files were encrypted where a tenth usually changes, and in a home of a few files.
        (600, [100, 100, 100], 1000, 1000, True),
        (490, [100, 100, 100], 1000, 1000, False),
        (600, [300, 310, 320], 1000, 1000, False),
        (5, [0, 1, 0], 10, 1000, True),
        (4, [0, 1, 0], 8, 1000, False),
        (2000, [10, 20, 30], 1000, 1000, True),
        (50, [0, 0, 0], 50, 1000, True),
        (1000, [10, 20, 30], 5000, 0, False),
    ],
)
def test_changes_far_beyond_the_usual(
    changes: int, before: list[int], entries: int, most: int, is_unusual: bool
) -> None:
    known = [(count, entries) for count in before]
    assert bool(unusual_changes(changes, entries, known, most)) is is_unusual
