"""Manifests, written and read."""

import pytest

from fasciculus.core.bundle.layout import is_listing, next_listing
from fasciculus.core.bundle.manifest import Manifest, PieceRecord, parse_manifest
from fasciculus.core.errors import DamagedError, TooNewError


def test_manifest():
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


def test_a_manifest_never_leads_out_of_its_folders():
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
        with pytest.raises(DamagedError, match="outside"):
            parse_manifest(bad.to_json())
