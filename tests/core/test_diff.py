"""Two listings side by side: what differs, whatever the trees."""

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


def lines(tree, kind="files", piece="p"):
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
def test_differences_are_those_of_the_trees(kind, before, after):
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
        ), "times alone are no change"
    assert not found
    size = {
        tree: sum(s[1] * 10 for s in (before, after)[tree].values() if s[0] == FILE)
        for tree in (0, 1)
    }
    counts = count(lines(before, kind), lines(after, kind, "q"))
    assert counts.grew == size[1] - size[0]


def test_who_owns_a_member_of_a_dump_does_not_matter():
    old, new = (
        Entry("databases", b"mariadb/shop/1", size=3, digest="a" * 64, uid=uid) for uid in (0, 33)
    )
    assert count([to_line(old).strip()], [to_line(new).strip()]) == DiffCounts()
    link = Entry("files", b"z", size=9, digest="b" * 64, link=b"a")
    assert list(differences([], [to_line(link).strip()])) == [
        Difference("files", b"z", FILE, "new")
    ], "no bytes of its own"
