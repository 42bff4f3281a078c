"""Two listings side by side: what differs, whatever the trees."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fasciculus.core.bundle.diff import (
    DiffCounts,
    Difference,
    count,
    differences,
)
from fasciculus.core.bundle.entry import (
    DIR,
    FILE,
    SYMLINK,
    Entry,
    Extent,
    order,
)
from fasciculus.core.bundle.listing import to_line

PATHS = st.sampled_from([b"a", b"a.b", b"b", b"b/c", b"b/c/d", b"b-c", b"b/\xff", b"e", b"e/f"])
STATES = st.tuples(
    st.sampled_from([FILE, DIR, SYMLINK]),
    st.integers(0, 2),
    st.sampled_from([0o600, 0o644]),
    st.integers(0, 3),
)
TREES = st.dictionaries(PATHS, STATES, max_size=9)


def lines(tree: dict[Any, Any], kind: str = "files", piece: str = "p") -> list[Any]:
    found = []
    for number, path in enumerate(sorted(tree, key=order)):
        type_, contents, mode, time = tree[path]
        entry = Entry(kind, path, type_, mode=mode, mtime_ns=time, inode=number)
        if type_ == FILE:
            entry.size, entry.digest = contents * 10, f"{contents:064x}"
            entry.parts = [Extent(piece, number, 1, 0, entry.size)] if contents else []
        elif type_ == SYMLINK:
            entry.target = b"to-%d" % contents
        found.append(to_line(entry).rstrip(b"\n"))
    return found


@pytest.mark.parametrize("kind", ["files", "notes"])
@given(before=TREES, after=TREES)
def test_differences_are_those_of_the_trees(
    kind: str, before: dict[Any, Any], after: dict[Any, Any]
) -> None:
    found = {row.path: row for row in differences(lines(before, kind), lines(after, kind, "q"))}
    for path in before.keys() | after.keys():
        old, new = before.get(path), after.get(path)
        row = found.pop(path, None)
        if old is None or new is None:
            assert row is not None and row.state == ("new" if old is None else "gone")
            continue
        contents = old[0] != new[0] or (new[0] != DIR and old[1] != new[1])
        rights = old[2] != new[2]
        assert (row.what if row else "") == " and ".join(
            word for word, is_so in (("contents", contents), ("rights", rights)) if is_so
        ), "times do not count as changes"
    assert not found
    size = {
        tree: sum(s[1] * 10 for s in (before, after)[tree].values() if s[0] == FILE)
        for tree in (0, 1)
    }
    counts = count(lines(before, kind), lines(after, kind, "q"))
    assert counts.grew == size[1] - size[0]


def test_who_owns_a_member_of_a_dump_does_not_matter() -> None:
    old, new = (
        Entry("databases", b"mariadb/shop/1", size=3, digest="a" * 64, uid=uid) for uid in (0, 33)
    )
    assert count([to_line(old).strip()], [to_line(new).strip()]) == DiffCounts()
    link = Entry("files", b"z", size=9, digest="b" * 64, link=b"a")
    assert list(differences([], [to_line(link).strip()])) == [
        Difference("files", b"z", FILE, "new", digest="b" * 64)
    ], "no additional bytes"


def line(path: bytes, kind: str = "files", **more: Any) -> bytes:
    """A line of a listing, with what is not given as it usually is."""
    return to_line(Entry(kind, path, **more)).rstrip(b"\n")


def differs(old: list[Any], new: list[Any]) -> list[Any]:
    return [(d.state, d.path, d.what, d.size, d.before) for d in differences(old, new)]


@pytest.mark.parametrize(
    ("old", "new", "what"),
    [
        ({"digest": "aa"}, {"digest": "bb"}, "contents"),
        ({"mode": 0o600}, {"mode": 0o644}, "rights"),
        ({"uid": 1}, {"uid": 2}, "rights"),
        ({"gid": 1}, {"gid": 2}, "rights"),
        ({"user": "a"}, {"user": "b"}, "rights"),
        ({"group": "a"}, {"group": "b"}, "rights"),
        ({}, {"xattrs": {"user.a": b"1"}}, "rights"),
        ({"type": "symlink", "target": b"a"}, {"type": "symlink", "target": b"b"}, "contents"),
        (
            {"type": "symlink", "target": b"caf\xe9"},
            {"type": "symlink", "target": b"caf\xe8"},
            "contents",
        ),
        ({"type": "char", "rdev": (1, 1)}, {"type": "char", "rdev": (1, 2)}, "contents"),
        ({"type": "dir"}, {"type": "file"}, "contents"),
        ({"digest": "aa", "mode": 1}, {"digest": "bb", "mode": 2}, "contents and rights"),
    ],
)
def test_what_changed_of_an_entry(old: dict[Any, Any], new: dict[Any, Any], what: str) -> None:
    assert differs([line(b"x", **old)], [line(b"x", **new)]) == [("changed", b"x", what, 0, 0)]


@pytest.mark.parametrize(
    "more",
    [
        {"mtime_ns": 9},
        {"ctime_ns": 9, "inode": 3, "device": 4},
        {"parts": [Extent("elsewhere", 1, 2, 3, 4)]},
    ],
)
def test_times_and_places_are_no_difference(more: dict[Any, Any]) -> None:
    assert differs([line(b"x")], [line(b"x", **more)]) == []


def test_sizes_are_said_but_not_of_folders_and_further_names() -> None:
    assert differs([], [line(b"x", size=7, digest="aa")]) == [("new", b"x", "", 7, 0)]
    assert differs([line(b"x", size=7)], []) == [("gone", b"x", "", 0, 7)]
    found = differs([line(b"x", size=7, digest="a")], [line(b"x", size=9, digest="b")])
    assert found == [("changed", b"x", "contents", 9, 7)]
    for link in (b"first", b"caf\xe9"):
        assert differs([], [line(b"x", size=7, link=link)]) == [("new", b"x", "", 0, 0)]
    became = differs([line(b"x", type="dir")], [line(b"x", size=4)])
    assert became == [("changed", b"x", "contents", 4, 0)]


def test_what_is_counted() -> None:
    old = [line(b"a", size=1), line(b"b", size=10, digest="a"), line(b"d", kind="mail", size=2)]
    new = [line(b"b", size=30, digest="b"), line(b"c", size=5), line(b"d", kind="mail", size=2)]
    assert count(old, new) == DiffCounts(new=1, changed=1, gone=1, grew=24)
    assert count(new, new) == DiffCounts()
    assert count([], new) == DiffCounts(new=3, grew=37)


def test_kinds_are_told_apart_wherever_they_stand() -> None:
    old = [line(b"x"), line(b"x", kind="mail", size=1)]
    new = [line(b"x", kind="databases"), line(b"x"), line(b"y", kind="mail", size=1)]
    found = {(d.kind, d.state, d.path) for d in differences(old, new)}
    assert found == {
        ("mail", "gone", b"x"),
        ("databases", "new", b"x"),
        ("mail", "new", b"y"),
    }
