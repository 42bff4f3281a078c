"""Sizes, durations and lists in words."""

from __future__ import annotations

import pytest

from fasciculus.core.formatting import format_count, format_duration, format_list, format_size


def test_words() -> None:
    assert [format_size(n) for n in (0, 1023, 1024, 1536, 10 * 1024**2, 5 * 1024**4)] == [
        "0 B",
        "1023 B",
        "1.00 KiB",
        "1.50 KiB",
        "10.0 MiB",
        "5.00 TiB",
    ]
    assert [format_duration(s) for s in (0.25, 59.9, 185, 7800)] == [
        "0.2 s",
        "59.9 s",
        "3 min 05 s",
        "2 h 10 min",
    ]
    assert [format_list(x) for x in ([], ["a"], ["a", "b", "c"])] == ["", "a", "a, b and c"]


@pytest.mark.parametrize(
    ("count", "text"),
    [
        (1024 * 10 - 1, "10.00 KiB"),
        (1024 * 10, "10.0 KiB"),
        (1024 * 100, "100 KiB"),
        (1024**2 - 1, "1.00 MiB"),
        (1023 * 1024, "1023 KiB"),
        (1024**2, "1.00 MiB"),
        (1024**6, "1024 PiB"),
        (-2048, "-2.00 KiB"),
        (-5, "-5 B"),
    ],
)
def test_sizes_at_their_bounds(count: int, text: str) -> None:
    assert format_size(count) == text


@pytest.mark.parametrize(
    ("seconds", "text"),
    [
        (0, "0.0 s"),
        (60, "1 min 00 s"),
        (119.6, "2 min 00 s"),
        (3599, "59 min 59 s"),
        (3600, "1 h 00 min"),
        (90_000, "25 h 00 min"),
    ],
)
def test_durations_at_their_bounds(seconds: float | int, text: str) -> None:
    assert format_duration(seconds) == text


def test_counts_agree() -> None:
    assert [format_count(n, "copy", "copies") for n in (0, 1, 2, 12_345)] == [
        "0 copies",
        "1 copy",
        "2 copies",
        "12,345 copies",
    ]
    assert format_count(1, "bundle") == "1 bundle" and format_count(3, "bundle") == "3 bundles"


def test_lists_with_another_joint() -> None:
    assert format_list(["a", "b"]) == "a and b"
    assert format_list(["a", "b", "c"], "or") == "a, b or c"
