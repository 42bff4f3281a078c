"""Sizes, durations and lists in words."""

from fasciculus.core.formatting import format_duration, format_list, format_size


def test_words():
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
