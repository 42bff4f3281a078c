"""A listing that begins like the previous one: the same lines, then others."""

from __future__ import annotations

import io
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fasciculus.core.bundle.entry import DIR, Entry, Extent
from fasciculus.core.bundle.listing import (
    ListingPrefix,
    ListingWriter,
    linked_to,
    read_lines,
    read_listing,
    to_line,
)
from fasciculus.core.bundle.stat_block import StatBlock
from fasciculus.core.bundle.states.stat_cache import (
    StatCacheWriter,
    length_of_listing,
    place_of_first,
)
from fasciculus.core.errors import DamagedError


def files(count: int, folder: bytes = b"") -> list[Any]:
    return [
        Entry(
            "files",
            folder + b"f%05d" % number,
            size=number,
            mtime_ns=number,
            ctime_ns=5,
            inode=number + 1,
            device=7,
            digest=f"{number:064x}",
            parts=[Extent("p", 0, 9, number, number)],
        )
        for number in range(count)
    ]


def write(path: Path, entries: list[Any], more: tuple[Any, ...] = ()) -> ListingPrefix:
    """Write a listing and its states like a full bundle, and return the inputs of the next one."""
    with path.open("wb") as raw, path.with_suffix(".states").open("w+b") as noted:
        noting = StatCacheWriter(noted, "about")
        listing = ListingWriter(raw, noting)
        for entry in entries:
            listing.add(entry)
        digest = listing.close()
        noting.close(digest, listing.length)
    assert length_of_listing(path.with_suffix(".states"), digest, "about") == listing.length
    assert not length_of_listing(path.with_suffix(".states"), digest, "other rules")
    return ListingPrefix(path, digest, listing.length)


def runs_of(path: Path) -> list[Any]:
    """The runs of a file of states, each with where its lines begin."""
    data, start, found = path.read_bytes(), 0, []
    at = place_of_first(data)
    while at < len(data):
        length = int.from_bytes(data[at : at + 4], "little")
        run = StatBlock(data[at + 4 : at + 4 + length], lambda: b"", start)
        found.append(run)
        start += run.length
        at += 4 + length
    return found


@given(
    folders=st.integers(1, 6),
    each=st.integers(1, 40),
    taken=st.integers(0, 12),
    more=st.integers(0, 3),
)
@settings(max_examples=60, deadline=None)
def test_what_is_taken_over_and_what_follows(
    tmp_path_factory: Any, folders: int, each: int, taken: int, more: int
) -> None:
    folder = tmp_path_factory.mktemp("listing")
    entries = [
        entry
        for n in range(folders)
        for entry in (
            Entry("files", b"d%d" % n, DIR, inode=n + 1, ctime_ns=3),
            *files(each, b"d%d/" % n),
        )
    ]
    before = write(folder / "before.zst", entries)
    runs = runs_of(folder / "before.states")
    assert len(runs) == 2 * folders and sum(run.length for run in runs) == before.length
    taken = min(taken, len(runs))
    added = [Entry("files", b"z%d" % n, size=0, ctime_ns=4, inode=99) for n in range(more)]
    with (folder / "after.zst").open("wb") as raw, (folder / "after.states").open("w+b") as noted:
        noting = StatCacheWriter(noted, "about", folder / "before.states")
        listing = ListingWriter(raw, noting, before)
        for run in runs[:taken]:
            listing.same(run.length, run.size)
        for entry in added:
            listing.add(entry)
        digest = listing.close()
        noting.close(digest, listing.length)
    wanted = entries[: sum(run.entries for run in runs[:taken])] + added
    with (folder / "after.zst").open("rb") as raw:
        lines = list(read_lines(raw))
    assert lines == [to_line(entry)[:-1] for entry in wanted]
    assert (
        listing.length == sum(len(line) + 1 for line in lines)
        and listing.bytes == (folder / "after.zst").stat().st_size
    )
    if taken == len(runs) and not added:
        assert (
            digest == before.sha256
            and (folder / "after.states").read_bytes() == (folder / "before.states").read_bytes()
        )
    assert [(run.folder, run.names, run.start) for run in runs_of(folder / "after.states")][
        :taken
    ] == [(run.folder, run.names, run.start) for run in runs[:taken]]
    assert length_of_listing(folder / "after.states", digest, "about") == listing.length


def test_a_listing_that_is_altered_meanwhile_is_never_taken_over(tmp_path: Path) -> None:
    before = write(tmp_path / "before.zst", files(300))
    whole = before.path.read_bytes()
    for spoiled in (whole[:-20], whole[:40] + bytes([whole[40] ^ 1]) + whole[41:]):
        before.path.write_bytes(spoiled)
        for added in ([], files(1)):
            listing = ListingWriter(io.BytesIO(), before=before)
            listing.same(before.length, 0)
            with pytest.raises(DamagedError):
                for entry in added:
                    listing.add(entry)
                listing.close()


def test_some_kinds_alone_and_what_links_lead_to() -> None:
    raw = io.BytesIO()
    writer = ListingWriter(raw)
    for entry in (
        Entry("files", b"one"),
        Entry("files", b"two", link=b"one"),
        Entry("files", b"t\xff", link=b"o\xff"),
        Entry("databases", b"shop.sql"),
        Entry("mail", b"x.example/passwd"),
    ):
        writer.add(entry)
    writer.close()

    def read(*kinds: Any) -> list[bytes]:
        return [entry.path for entry in read_listing(io.BytesIO(raw.getvalue()), kinds)]

    assert (
        len(read()) == 5
        and read("databases") == [b"shop.sql"]
        and read("mail", "databases") == [b"shop.sql", b"x.example/passwd"]
    )
    assert linked_to(io.BytesIO(raw.getvalue())) == {("files", b"one"), ("files", b"o\xff")}
