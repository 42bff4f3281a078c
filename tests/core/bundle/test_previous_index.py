"""The previous bundle, found by path and by digest."""

from __future__ import annotations

import io
import os
import random
from collections.abc import Iterator
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import pytest

from fasciculus.core.bundle.entry import CHAR, DIR, FIFO, SYMLINK, Entry, Extent, order
from fasciculus.core.bundle.listing import ListingWriter
from fasciculus.core.bundle.states.previous_index import PreviousIndex, unchanged, unchanged_by_sftp
from fasciculus.hosts.ssh import find as ssh_find


def test_the_key_of_a_record_is_scan_order() -> None:
    rng = random.Random(4)
    paths = [
        b"/".join(
            rng.choice([b"a", b"a-b", b"a.b", b"b", b"\xff"]) for _ in range(rng.randint(1, 4))
        )
        for _ in range(200)
    ]
    assert sorted(paths, key=lambda p: ssh_find.key([p])) == sorted(paths, key=order)


def listed(tmp_path: Path, entries: list[Any]) -> Path:
    raw = io.BytesIO()
    writer = ListingWriter(raw)
    for entry in entries:
        writer.add(entry)
    writer.close()
    path = tmp_path / "before.zst"
    path.write_bytes(raw.getvalue())
    return path


def file(path: bytes, digest: str, *parts: Extent, kind: str = "files", **more: Any) -> Entry:
    size = sum(part.size for part in parts)
    fields = {"mtime_ns": 5, "ctime_ns": 6, "inode": 7, "device": 8, **more}
    return Entry(kind, path, size=size, digest=digest * 32, parts=list(parts), **fields)


def test_the_bundle_before_is_found_by_path_and_by_digest(tmp_path: Path) -> None:
    spread = [Extent("p1", 0, 10, 0, 2_000_000), Extent("p2", 0, 10, 0, 1_000_000)]
    entries = [
        file(b"a", "aa", Extent("p1", 100, 50, 7, 300)),
        file(b"caf\xe9", "bb", Extent("p1", 150, 50, 0, 200)),
        file(b"film", "cc", *spread),
        file(b"shop/00000-schema.sql", "dd", Extent("p3", 0, 9, 0, 40), kind="databases"),
        file(b"m/passwd", "ee", Extent("p4", 0, 9, 0, 40), kind="mail"),
    ]
    path = listed(tmp_path, entries)
    previous = PreviousIndex(path, unchanged, tmp_path)
    asked = [file(e.path, "00", *e.parts, kind=e.kind) for e in entries]
    assert previous.same(asked[0]).digest == "aa" * 32
    assert previous.same(file(b"b", "00", Extent("x", 0, 0, 0, 1))) is None, "a new path"
    assert previous.same(asked[1]).parts == entries[1].parts, "also a name that is not UTF-8"
    touched = file(b"film", "00", *spread, mtime_ns=99)
    assert previous.same(touched) is None and previous.may_hold("files", 3_000_000)
    assert previous.holding("files", "cc" * 32, 3_000_000) == spread
    assert previous.holding("files", "aa" * 32, 300) == [Extent("p1", 100, 50, 7, 300)]
    assert (
        previous.holding("files", "aa" * 32, 299) is None
        and previous.holding("files", "99" * 32, 300) is None
    )
    # A kind that is not looked at is passed over.
    assert previous.same(asked[4]).digest == "ee" * 32
    previous.close()
    damaged = PreviousIndex(path, unchanged, tmp_path, frozenset({"p1"}))
    assert damaged.same(asked[0]) is None and damaged.holding("files", "aa" * 32, 300) is None
    assert damaged.holding("files", "dd" * 32, 40) is None, "files and all else are apart"
    assert damaged.holding("files", "cc" * 32, 3_000_000) is None and damaged.holding(
        "databases", "dd" * 32, 40
    )
    damaged.close()


def test_over_ssh_size_and_time_are_trusted(tmp_path: Path) -> None:
    entry = file(b"a", "aa", Extent("p1", 0, 50, 0, 300))
    path = listed(tmp_path, [entry])
    elsewhere = file(b"a", "00", Extent("x", 0, 0, 0, 300), ctime_ns=1, inode=2, device=3)
    for same, found in ((unchanged, False), (unchanged_by_sftp, True)):
        previous = PreviousIndex(path, same, tmp_path)
        assert (previous.same(elsewhere) is not None) is found
        previous.close()


def test_many_digests_are_found_again(tmp_path: Path) -> None:
    rng = random.Random(7)
    entries = []
    for number in range(3000):
        digest = rng.randbytes(32).hex()
        entries.append(
            Entry(
                "files",
                b"%06d" % number,
                size=10,
                digest=digest,
                parts=[Extent(f"p{number % 5}", number, 1, number, 10)],
            )
        )
    previous = PreviousIndex(listed(tmp_path, entries), unchanged, tmp_path)
    for entry in rng.sample(entries, 300):
        assert previous.holding("files", entry.digest, 10) == entry.parts
    previous.close()
    assert os.listdir(tmp_path) == ["before.zst"], "its index leaves nothing behind"


STATE = {"mode": 0o640, "uid": 1, "gid": 2, "user": "u", "group": "g"}


def one(path: bytes = b"a", **more: Any) -> Entry:
    return file(path, "aa", Extent("p1", 0, 50, 0, 300), **{**STATE, **more})


@pytest.fixture
def previous(tmp_path: Path) -> Iterator[PreviousIndex]:
    found = PreviousIndex(listed(tmp_path, [one()]), unchanged, tmp_path)
    yield found
    found.close()


@pytest.mark.parametrize(
    "change", [{"mtime_ns": 9}, {"ctime_ns": 9}, {"inode": 9}, {"size": 9}], ids=str
)
def test_a_file_whose_state_differs_is_read_again(
    previous: PreviousIndex, change: dict[Any, Any]
) -> None:
    entry = one()
    for name, value in change.items():
        setattr(entry, name, value)
    assert previous.same(entry) is None


@pytest.mark.parametrize(
    "change",
    [
        {"mode": 0o600},
        {"uid": 9},
        {"gid": 9},
        {"user": "x"},
        {"group": "x"},
        {"mtime_ns": 9},
        {"ctime_ns": 9},
        {"inode": 9},
        {"device": 9},
        {"xattrs": {"user.a": b""}},
        {"link": b"b"},
        {"origin": b"b"},
    ],
    ids=str,
)
def test_a_line_stands_for_an_entry_only_when_it_says_all_of_it(
    previous: PreviousIndex, change: dict[Any, Any]
) -> None:
    found = previous.find(one())
    assert found.describes(one())
    altered = one()
    for name, value in change.items():
        setattr(altered, name, value)
    assert not found.describes(altered)


def test_what_the_line_has_beyond_the_entry_counts_too(tmp_path: Path) -> None:
    for more in ({"xattrs": {"user.a": b""}}, {"link": b"b"}, {"origin": b"b"}):
        index = PreviousIndex(listed(tmp_path, [one(**more)]), unchanged, tmp_path)
        assert not index.find(one()).describes(one()), more
        index.close()


def state(entry: Entry, **more: Any) -> Any:
    """The entry as ``lstat`` would tell it."""
    fields = {
        "st_size": entry.size,
        "st_mtime_ns": entry.mtime_ns,
        "st_ctime_ns": entry.ctime_ns,
        "st_ino": entry.inode,
        "st_dev": entry.device,
        "st_uid": entry.uid,
        "st_gid": entry.gid,
        "st_mode": 0o100000 | entry.mode,
        **more,
    }
    return SimpleNamespace(**fields)


def test_the_short_way_takes_only_what_is_in_every_respect_as_it_was(
    previous: PreviousIndex,
) -> None:
    assert previous.same_state("files", b"a", state(one())).digest == "aa" * 32
    for name in ("size", "mtime_ns", "ctime_ns", "ino", "dev", "uid", "gid"):
        assert previous.same_state("files", b"a", state(one(), **{f"st_{name}": 99})) is None, name
    assert previous.same_state("files", b"a", state(one(), st_mode=0o100600)) is None
    assert previous.same_state("files", b"b", state(one())) is None
    assert previous.same_state("files", b"a", state(one())) is None, "it has gone by"


def test_the_short_way_leaves_links_odd_names_and_damage_to_the_longer_one(tmp_path: Path) -> None:
    entries = [one(b"a", link=b"x"), one(b"caf\xe9"), one(b"d", origin=b"o"), one(b"e")]
    index = PreviousIndex(listed(tmp_path, entries), unchanged, tmp_path, frozenset({"p1"}))
    for entry in entries:
        assert index.same_state("files", entry.path, state(entry)) is None
    index.close()


def test_links_and_devices_are_the_same_when_they_lead_to_the_same(tmp_path: Path) -> None:
    kinds = [
        Entry("files", b"a", SYMLINK, target=b"there", **STATE),
        Entry("files", b"b", SYMLINK, target=b"caf\xe9", **STATE),
        Entry("files", b"c", CHAR, rdev=(1, 2), **STATE),
        Entry("files", b"d", DIR, **STATE),
    ]
    path = listed(tmp_path, kinds)

    def same(entry: Entry) -> bool:
        index = PreviousIndex(path, unchanged, tmp_path)
        found = index.same(entry)
        index.close()
        return found is not None

    assert [same(entry) for entry in kinds] == [True, False, True, True]
    assert not same(Entry("files", b"a", SYMLINK, target=b"elsewhere", **STATE))
    assert not same(Entry("files", b"c", CHAR, rdev=(1, 3), **STATE))
    assert not same(Entry("files", b"d", DIR, **{**STATE, "mode": 0o700}))
    assert not same(Entry("files", b"d", FIFO, **STATE)), "another type of the same name"


def test_an_empty_file_is_held_by_nothing(previous: PreviousIndex) -> None:
    assert previous.holding("files", "aa" * 32, 0) is None
    assert not previous.may_hold("files", 300), "only large files are worth reading twice"


def test_a_path_that_was_not_there_is_not_taken_for_the_next_one(tmp_path: Path) -> None:
    """The requested entry is before the listing's position."""
    path = listed(tmp_path, [one(b"m")])
    for ask in ("find", "same", "state"):
        index = PreviousIndex(path, unchanged, tmp_path)
        for name in (b"a", b"m/x", b"l"):
            entry = one(name)
            if ask == "state":
                assert index.same_state("files", name, state(entry)) is None
            elif name != b"m/x":
                assert getattr(index, ask)(entry) is None
        index.close()
    index = PreviousIndex(path, unchanged, tmp_path)
    assert index.find(one(b"a")) is None and index.find(one(b"m")) is not None
    index.close()


def test_a_kind_of_its_own_does_not_answer_for_another(tmp_path: Path) -> None:
    index = PreviousIndex(listed(tmp_path, [one(b"a", kind="mail")]), unchanged, tmp_path)
    assert index.find(one(b"a")) is None
    index.close()


@pytest.mark.parametrize("change", [{"mtime_ns": 9}, {"size": 9}], ids=str)
def test_over_ssh_both_size_and_time_must_be_as_they_were(
    tmp_path: Path, change: dict[Any, Any]
) -> None:
    index = PreviousIndex(listed(tmp_path, [one()]), unchanged_by_sftp, tmp_path)
    entry = one()
    for name, value in change.items():
        setattr(entry, name, value)
    assert index.same(entry) is None
    index.close()


def test_damage_elsewhere_costs_nothing(tmp_path: Path) -> None:
    path = listed(tmp_path, [one()])
    index = PreviousIndex(path, unchanged, tmp_path, frozenset({"other"}))
    assert index.same_state("files", b"a", state(one())) is not None
    assert index.holding("files", "aa" * 32, 300)
    index.close()


@pytest.mark.parametrize(("size", "worth"), [(1024 * 1024, False), (1024 * 1024 + 1, True)])
def test_large_files_are_known_by_their_size(tmp_path: Path, size: int, worth: bool) -> None:
    entry = file(b"film", "aa", Extent("p1", 0, 50, 0, size))
    index = PreviousIndex(listed(tmp_path, [entry]), unchanged, tmp_path)
    assert index.may_hold("files", size) is worth
    assert not index.may_hold("files", size + 1) and not index.may_hold("mail", size)
    index.close()
