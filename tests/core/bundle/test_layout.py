"""Names inside a store."""

from __future__ import annotations

from datetime import UTC, datetime

import pytest

from fasciculus.core.bundle import layout
from fasciculus.core.bundle.layout import bundle_of
from fasciculus.core.contents import Contents
from fasciculus.core.errors import SettingError
from fasciculus.core.subject import Subject

BUNDLE = "2026-11-24T021500Z-nightly"


def test_the_bundle_of_a_piece() -> None:
    assert (
        bundle_of("2026-11-24T021500Z-nightly.files-0001.tar.zst") == "2026-11-24T021500Z-nightly"
    )
    assert (
        bundle_of("2026-11-24T021500Z-a.files-x.2.notes-12345.tar")
        == "2026-11-24T021500Z-a.files-x.2"
    )


def test_names_are_safe_and_sort_by_time() -> None:

    moment = datetime(2026, 11, 24, 2, 15, tzinfo=UTC)
    first = layout.bundle_name(moment, "nightly")
    assert first == BUNDLE and layout.bundle_name(moment, "nightly", {first}) == BUNDLE + ".2"
    assert (
        layout.moment_of(BUNDLE)
        == moment
        < layout.moment_of(BUNDLE + ".2")
        < layout.moment_of(BUNDLE + ".10")
    )
    later = layout.bundle_name(
        moment, "nightly", {BUNDLE + ".2", BUNDLE + ".9", BUNDLE + "-two.99"}
    )
    assert later == BUNDLE + ".10", "never one that is free again, since it would count as older"
    for bad in ("", "../x", "A", "a/b", "-a", "a b", "x" * 65, "a..b"):
        with pytest.raises(SettingError):
            layout.check_name(bad)


SUBJECT = Subject("site", "mill.example")


def test_the_folders_of_a_subject() -> None:
    assert SUBJECT.folder == "sites/mill.example"
    assert SUBJECT.bundle("b") == "sites/mill.example/bundles/b"
    assert SUBJECT.piece("p") == "sites/mill.example/pieces/p"
    assert {Subject(k, "x").folder for k in ("account", "site", "host")} == {
        "accounts/x",
        "sites/x",
        "hosts/x",
    }


@pytest.mark.parametrize("good", ["a", "7", "a.b", "a-b_c", "x" * 64, "mill.example"])
def test_a_name_that_can_be_a_folder_anywhere(good: str) -> None:
    assert layout.check_name(good) == good


@pytest.mark.parametrize("bad", ["", ".", "..", "a/b", "A", "a.", "-a", "a..b", "x" * 65, "a\n"])
def test_a_name_that_cannot(bad: str) -> None:
    with pytest.raises(SettingError) as caught:
        layout.check_name(bad, "host")
    assert caught.value.field == "host" and "1 to 64" in caught.value.hint


def test_bundles_of_one_second_are_numbered_beyond_all_that_were() -> None:
    moment = layout.moment_of(BUNDLE)
    assert layout.bundle_name(moment, "nightly") == BUNDLE
    assert layout.bundle_name(moment, "nightly", [BUNDLE]) == f"{BUNDLE}.2"
    assert layout.bundle_name(moment, "nightly", [f"{BUNDLE}.7"]) == f"{BUNDLE}.8"
    others = [f"{BUNDLE}.x", f"{BUNDLE}-2", "2026-11-24T021501Z-nightly.9", f"{BUNDLE}2"]
    assert layout.bundle_name(moment, "nightly", others) == BUNDLE


def test_the_moment_of_a_name() -> None:
    first = layout.moment_of(BUNDLE)
    assert first.isoformat() == "2026-11-24T02:15:00+00:00"
    apart = layout.moment_of(f"{BUNDLE}.3") - first
    assert apart.microseconds == 2 and apart.days == 0
    far = layout.moment_of(f"{BUNDLE}.99999999999")
    assert (far - first).total_seconds() < 1, "never beyond the next second"
    for odd in ("nightly", "2026-11-24-nightly", BUNDLE.upper(), f"../{BUNDLE}", ""):
        assert layout.moment_of(odd) is None


@pytest.mark.parametrize("kind", layout.KINDS)
@pytest.mark.parametrize("suffix", [".tar.zst", ".tar.gz", ".tar"])
def test_a_piece_tells_its_bundle_kind_and_number(kind: Contents, suffix: str) -> None:
    piece = layout.piece_name(f"{BUNDLE}.2", kind, 12, suffix)
    assert piece == f"{BUNDLE}.2.{kind}-0012{suffix}"
    assert layout.bundle_of(piece) == f"{BUNDLE}.2"
    assert layout.kind_and_number(piece) == (kind, 12)


def test_what_is_no_piece() -> None:
    for odd in ("x", "fasciculus-store.json", f"{BUNDLE}.pictures-0001.tar", f"{BUNDLE}.files-1"):
        with pytest.raises(ValueError, match="not a piece's name"):
            layout.kind_and_number(odd)
        assert layout.bundle_of(odd) == odd


def test_listings_are_numbered() -> None:
    assert layout.next_listing("listing.jsonl.zst") == "listing-2.jsonl.zst"
    assert layout.next_listing("listing-9.jsonl.zst") == "listing-10.jsonl.zst"
    assert layout.next_listing("something") == "listing-2.jsonl.zst"
    assert layout.is_listing("listing-3.jsonl.zst") and layout.is_listing(layout.LISTING)
    for odd in (
        "listing-.jsonl.zst",
        "listing.jsonl",
        "x/listing.jsonl.zst",
        "listing.jsonl.zst\n",
    ):
        assert not layout.is_listing(odd)
