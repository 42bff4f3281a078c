"""A bundle's entries beside those of a live tree."""

from __future__ import annotations

from typing import Any

import pytest

from fasciculus.core.bundle.entry import Entry
from fasciculus.core.restore.likeness import Likeness, can_change_in_place
from fasciculus.core.restore.merging import merged


def entry(path: bytes = b"a", type: Any = "file", **more: Any) -> Entry:
    return Entry(
        **{"kind": "files", "path": path, "type": type, "mode": 0o644, "uid": 1, "gid": 1, **more}
    )


def test_each_path_comes_once_with_both_sides() -> None:
    left = [entry(path) for path in (b"a", b"a/x", b"c")]
    right = [entry(path) for path in (b"a", b"b", b"c", b"d")]
    found = [(one and one.path, two and two.path) for one, two in merged(left, right)]
    assert found == [
        (b"a", b"a"),
        (b"a/x", None),
        (None, b"b"),
        (b"c", b"c"),
        (None, b"d"),
    ]
    assert [one for one, _ in merged(left, [])] == left and not list(merged([], []))


@pytest.mark.parametrize(
    ("wanted", "live", "differs"),
    [
        ({}, {"type": "dir"}, "a dir is there"),
        ({"type": "symlink", "target": b"x"}, {"type": "symlink", "target": b"y"}, "its target"),
        ({"type": "char", "rdev": (1, 3)}, {"type": "char", "rdev": (1, 5)}, "its device"),
        ({"type": "dir", "mtime_ns": 5}, {"type": "dir"}, ""),
        ({"size": 1}, {"size": 2}, "its size"),
        ({"mtime_ns": 5}, {"mtime_ns": 6}, "its time"),
        ({"mtime_ns": 5}, {"mtime_ns": 5}, ""),
    ],
)
def test_type_and_contents_are_compared(wanted: Any, live: Any, differs: str) -> None:
    assert Likeness(None, None, True).contents_differ(entry(**wanted), entry(**live)) == differs


def test_contents_count_instead_of_the_time_on_demand() -> None:
    by_contents = Likeness(None, lambda live: "of the live file", True)
    one = entry(size=3, mtime_ns=5, digest="of the bundle")
    assert by_contents.contents_differ(one, entry(size=3, mtime_ns=5)) == "its contents"
    same = entry(size=3, mtime_ns=9, digest="of the live file")
    assert by_contents.contents_differ(same, entry(size=3)) == ""


def test_attributes_are_named() -> None:
    wanted = entry(mode=0o600, mtime_ns=5, xattrs={"user.a": b"1", "security.b": b"2"})
    live = entry(xattrs={"user.a": b"1"})
    whole = Likeness(lambda _: (7, 7), None, True).attributes_differ(wanted, live)
    assert whole == "owner, mode, time, attributes"
    assert Likeness(None, None, False).attributes_differ(wanted, live) == "mode, time"
    assert can_change_in_place(entry(type="dir")) and can_change_in_place(entry(links=1))
    assert not can_change_in_place(entry(links=2)) and not can_change_in_place(entry(type="fifo"))
