"""The entries affected by a damaged or missing piece."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import pytest

from fasciculus.core.bundle.damage_impact import DamageImpact
from fasciculus.core.bundle.entry import DIR, Entry, Extent
from fasciculus.core.errors import DamagedError, MissingError, UnreachableError


class Reader:
    """Reads what is good, and counts how often it was asked."""

    def __init__(self, bad: dict[Any, Any] | tuple[Any, ...] = ()) -> None:
        self.bad, self.asked = dict(bad), []

    def contents(self, entry: Entry) -> Iterator[bytes]:
        self.asked.append(entry.path)
        yield b"the beginning"
        if entry.path in self.bad:
            raise self.bad[entry.path]


def file(name: bytes, *parts: Any) -> Entry:
    return Entry(
        "files", name, parts=[Extent(piece, frame, 9, at, 5) for piece, frame, at in parts]
    )


FOLDER = Entry("files", b"", DIR)
EMPTY = Entry("files", b"empty")
WHOLE = file(b"whole", ("good", 0, 0))
FIRST = file(b"first", ("bad", 0, 0))
SECOND = file(b"second", ("bad", 0, 5))
WIDE = file(b"wide", ("good", 9, 0), ("bad", 9, 0), ("gone", 0, 0))
LOST = file(b"lost", ("gone", 0, 5))


def harmed(
    reader: Reader,
    damaged: set[str] | tuple[Any, ...] = (),
    missing: set[str] | tuple[Any, ...] = (),
) -> dict[Any, Any]:
    impact = DamageImpact(reader, damaged, missing)
    entries = [FOLDER, EMPTY, WHOLE, FIRST, SECOND, WIDE, LOST]
    return {entry.path: pieces for entry, pieces in impact.of(entries)}


def test_what_is_in_a_missing_piece_is_lost_without_looking() -> None:
    reader = Reader()
    assert harmed(reader, missing={"gone"}) == {b"wide": {"gone"}, b"lost": {"gone"}}
    assert reader.asked == []


@pytest.mark.parametrize("error", [DamagedError("bad"), MissingError("gone")])
def test_of_a_damaged_piece_only_what_cannot_be_read_is_harmed(
    error: DamagedError | MissingError,
) -> None:
    reader = Reader({b"second": error})
    assert harmed(reader, damaged={"bad"}) == {b"second": {"bad"}}
    assert reader.asked == [b"first", b"second", b"wide"]


def test_both_kinds_of_fault_are_named() -> None:
    reader = Reader({b"wide": DamagedError("bad")})
    found = harmed(reader, {"bad"}, {"gone"})
    assert found == {b"wide": {"bad", "gone"}, b"lost": {"gone"}}
    assert b"wide" not in reader.asked, "it is lost whatever the other piece says"


def test_a_stretch_that_many_bundles_need_is_read_once() -> None:
    reader = Reader({b"second": DamagedError("bad")})
    impact = DamageImpact(reader, {"bad"}, set())
    for _ in range(3):
        assert [entry.path for entry, _ in impact.of([FIRST, SECOND])] == [b"second"]
    assert reader.asked == [b"first", b"second"]


def test_stretches_of_one_frame_are_told_apart() -> None:
    reader = Reader({b"second": DamagedError("bad")})
    other = file(b"other", ("bad", 5, 0))
    impact = DamageImpact(reader, {"bad"}, set())
    assert [entry.path for entry, _ in impact.of([FIRST, SECOND, other])] == [b"second"]
    assert reader.asked == [b"first", b"second", b"other"]


def test_a_store_that_is_away_is_no_damage() -> None:
    with pytest.raises(UnreachableError):
        harmed(Reader({b"first": UnreachableError("away")}), damaged={"bad"})
