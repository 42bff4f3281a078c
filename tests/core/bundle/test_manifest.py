"""Manifests, written and read."""

from __future__ import annotations

import json
from typing import Any

import pytest

from fasciculus.core.bundle.layout import is_listing, next_listing
from fasciculus.core.bundle.manifest import (
    ContentsCount,
    DatabaseRecord,
    DiffCounts,
    ExcludedCount,
    Manifest,
    ManifestSummary,
    PieceRecord,
    parse_manifest,
    sums,
)
from fasciculus.core.errors import DamagedError, TooNewError


def test_manifest() -> None:
    manifest = Manifest(
        "n",
        "account",
        "millpond",
        "nightly",
        "4",
        "reed-1",
        "2026-11-24T02:15:00+00:00",
        pieces=[PieceRecord("p", 3, "ab" * 32)],
        listing_sha256="cd" * 32,
    )
    assert parse_manifest(manifest.to_json()) == manifest
    with pytest.raises(TooNewError, match="version 9"):
        parse_manifest(manifest.to_json().replace(b'"version": 1', b'"version": 9'))
    for bad in (b"", b"{}", b'{"format": "other"}', manifest.to_json()[:-20]):
        with pytest.raises(DamagedError):
            parse_manifest(bad)


def test_a_manifest_never_leads_out_of_its_folders() -> None:
    good = Manifest(
        "n",
        "account",
        "millpond",
        "j",
        "1",
        "h",
        "2026-11-24T02:15:00+00:00",
        pieces=[PieceRecord("p", 1, "ab" * 32)],
        listing_sha256="cd" * 32,
        listing=next_listing("listing.jsonl.zst"),
    )
    assert parse_manifest(good.to_json()).listing == "listing-2.jsonl.zst"
    assert next_listing("listing-9.jsonl.zst") == "listing-10.jsonl.zst" and not is_listing(
        "../listing.jsonl.zst"
    )
    for field, value in (
        ("listing", "../../x.zst"),
        ("pieces", [PieceRecord("../../../x", 1, "ab" * 32)]),
    ):
        bad = Manifest(
            **{**{name: getattr(good, name) for name in good.__struct_fields__}, field: value}
        )
        with pytest.raises(DamagedError, match="cannot be read"):
            parse_manifest(bad.to_json())


def whole(**changes: Any) -> Manifest:
    """A manifest with something in each field."""
    fields = {
        "name": "2026-11-24T021500Z-nightly",
        "subject_kind": "account",
        "subject": "millpond",
        "job": "nightly",
        "run": "4",
        "host": "reed-1",
        "started": "2026-11-24T02:15:00+00:00",
        "ended": "2026-11-24T02:16:00+00:00",
        "writer": "fasciculus 0.2.0",
        "brings": "changes",
        "base": "2026-11-20T02:15:00+00:00",
        "contents": {
            "files": ContentsCount(10, 1000, ["secret"]),
            "databases": ContentsCount(2, 50),
        },
        "databases": [DatabaseRecord("mariadb", "shop", tables={"orders": 4})],
        "pieces": [
            PieceRecord("new", 30, "ab" * 32, holds=100, used=100),
            PieceRecord("old", 500, "cd" * 32, brought=False, holds=900, used=400),
        ],
        "listing_bytes": 7,
        "listing_sha256": "ef" * 32,
        "warnings": ["a: changed"],
        "left_out": {"*.bak": ExcludedCount(1, 9)},
    }
    return Manifest(**{**fields, **changes})


def test_what_a_manifest_adds_up_to() -> None:
    found = whole()
    assert (found.entries, found.bytes) == (12, 1050)
    assert found.packed == 30, "only what this bundle brought"
    assert found.new_bytes == 100
    assert found.unused_share == 0.5
    assert whole(pieces=[]).unused_share == 0.0
    more = [PieceRecord("p", 1, "ab" * 32, holds=10, used=11)]
    assert whole(pieces=more).unused_share == 0.0, "never below nothing"


def test_every_field_comes_back() -> None:
    assert parse_manifest(whole().to_json()) == whole()
    kept = whole().summary()
    assert (kept.unused_share, kept.new_bytes, kept.brings) == (0.5, 100, "changes")
    assert (kept.started, kept.base) == (whole().started, whole().base)
    assert kept.pieces == whole().pieces and kept.listing_sha256 == "ef" * 32


def test_a_manifest_of_the_first_releases_has_no_base_and_nothing_left_out() -> None:
    row = json.loads(whole().to_json())
    del row["base"], row["left_out"]
    found = parse_manifest(json.dumps(row).encode())
    assert found.base == found.started and found.left_out == {}


def altered(*path: Any, value: Any) -> bytes:
    """The manifest as JSON with one value in the place of another."""
    row = json.loads(whole().to_json())
    place = row
    for key in path[:-1]:
        place = place[key]
    place[path[-1]] = value
    return json.dumps(row).encode()


@pytest.mark.parametrize(
    ("path", "value"),
    [
        (("pieces", 0, "bytes"), -1),
        (("pieces", 0, "holds"), -1),
        (("pieces", 1, "used"), -1),
        (("pieces", 0, "bytes"), "30"),
        (("pieces", 0, "bytes"), 1.5),
        (("pieces", 0, "brought"), "yes"),
        (("pieces", 0, "sha256"), "ab" * 31),
        (("pieces", 0, "sha256"), "AB" * 32),
        (("pieces", 0, "name"), "../p"),
        (("pieces", 0, "name"), None),
        (("pieces", 0), {"name": "p"}),
        (("pieces",), {}),
        (("contents", "files", "entries"), -1),
        (("contents", "files", "bytes"), -1),
        (("contents", "files", "unreadable"), "secret"),
        (("left_out", "*.bak", "bytes"), -1),
        (("left_out", "*.bak", "entries"), -1),
        (("listing", "bytes"), -1),
        (("listing", "sha256"), ""),
        (("listing", "name"), "../listing.jsonl.zst"),
        (("listing",), "listing.jsonl.zst"),
        (("subject", "name"), 7),
        (("subject",), None),
        (("job",), ["nightly"]),
        (("warnings",), "a: changed"),
        (("databases", 0, "tables"), {"orders": "many"}),
        (("version",), None),
        (("format",), 1),
    ],
)
def test_no_field_is_believed_unchecked(path: tuple[Any, ...], value: Any) -> None:
    with pytest.raises(DamagedError):
        parse_manifest(altered(*path, value=value))


def test_zero_is_a_size() -> None:
    good = altered("listing", "bytes", value=0)
    assert parse_manifest(good).listing_bytes == 0
    assert parse_manifest(altered("pieces", 0, "bytes", value=0)).pieces[0].bytes == 0


def test_the_file_of_sums_is_what_sha256sum_reads() -> None:
    text = sums("ef" * 32, whole().pieces, "listing-2.jsonl.zst").decode()
    assert text == (
        f"{'ef' * 32}  listing-2.jsonl.zst\n"
        f"{'ab' * 32}  ../../pieces/new\n"
        f"{'cd' * 32}  ../../pieces/old\n"
    )


def test_what_is_not_given_counts_nothing() -> None:
    piece = PieceRecord("p", 1, "ab" * 32)
    assert (piece.holds, piece.used, piece.brought) == (0, 0, True)
    assert (ContentsCount(), ExcludedCount()) == (ContentsCount(0, 0, []), ExcludedCount(0, 0))
    assert (DiffCounts().new, DiffCounts().changed, DiffCounts().gone, DiffCounts().grew) == (
        0,
        0,
        0,
        0,
    )
    bare = Manifest("n", "account", "a", "j", "1", "h", "2026-11-24T02:15:00+00:00")
    assert (bare.listing_bytes, bare.brings, bare.compression) == (0, "full", "zstd")
    kept = ManifestSummary("2026-11-24T02:15:00+00:00")
    assert (kept.unused_share, kept.new_bytes, kept.brings) == (0.0, 0, "full")
