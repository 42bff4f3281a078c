"""A store that lies: each thing that is read from it is checked before it is believed."""

from __future__ import annotations

import json
import tarfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from copies import unrecorded

from fasciculus.bundles.files import fetch_listing, is_listing_of
from fasciculus.core.errors import DamagedError, FasciculusError, MissingError, TooNewError
from fasciculus.core.subject import Subject
from fasciculus.stores import open_store, store_spec
from fasciculus.stores.base import connected
from fasciculus.stores.folder import FolderStore
from fasciculus.stores.identity import (
    StoreOwner,
    check_identity,
    check_ours,
    claim,
    read_identity,
    read_owner,
    write_identity,
)

HOME = Path(__file__).parents[1] / "fixtures/home-of-0.1.0.tar.gz"
SUBJECT = Subject("account", "millpond")
BUNDLE = "2026-11-25T164847Z-nightly"


@pytest.fixture
def root(tmp_path: Path) -> Path:
    with tarfile.open(HOME) as archive:
        archive.extractall(tmp_path, filter="tar")
    return tmp_path / "store"


@pytest.fixture
def store(root: Path) -> Iterator[Any]:
    found = open_store(store_spec("attic", {"kind": "folder", "folder": str(root)}))
    with connected(found) as opened:
        yield opened


@pytest.fixture
def bundle(root: Path) -> Path:
    return root / SUBJECT.bundle(BUNDLE)


def test_an_honest_store_is_believed(store: FolderStore, tmp_path: Path) -> None:
    manifest = unrecorded(SUBJECT).manifest(store, BUNDLE)
    path = fetch_listing(store, SUBJECT, manifest, tmp_path / "listing")
    assert is_listing_of(path, manifest) and manifest.name == BUNDLE


@pytest.mark.parametrize(
    "change",
    [
        {"format": "something-else"},
        {"version": "one"},
        {"pieces": None},
        {"pieces": [{"name": "../../../etc/passwd", "bytes": 1, "sha256": "0" * 64}]},
        {"pieces": [{"name": "p", "bytes": -1, "sha256": "0" * 64}]},
        {"pieces": [{"name": "p", "bytes": 1, "sha256": "short"}]},
        {"listing": {"name": "../../../etc/passwd", "bytes": 1, "sha256": "0" * 64}},
        {"contents": "files"},
    ],
)
def test_a_manifest_is_not_believed_unchecked(
    store: FolderStore, bundle: Path, change: dict[Any, Any]
) -> None:
    document = json.loads((bundle / "bundle.json").read_text())
    (bundle / "bundle.json").write_text(json.dumps({**document, **change}))
    with pytest.raises(DamagedError):
        unrecorded(SUBJECT).manifest(store, BUNDLE)


@pytest.mark.parametrize("text", ["", "{", "[]", "null", '"text"', "\ufeff{}"])
def test_a_manifest_that_is_none(store: FolderStore, bundle: Path, text: str) -> None:
    (bundle / "bundle.json").write_text(text)
    with pytest.raises(DamagedError):
        unrecorded(SUBJECT).manifest(store, BUNDLE)


def test_a_later_version_is_refused_and_a_missing_one_named(
    store: FolderStore, bundle: Path
) -> None:
    document = json.loads((bundle / "bundle.json").read_text())
    (bundle / "bundle.json").write_text(json.dumps({**document, "version": 99}))
    with pytest.raises(TooNewError):
        unrecorded(SUBJECT).manifest(store, BUNDLE)
    (bundle / "bundle.json").unlink()
    with pytest.raises(MissingError, match="no complete bundle"):
        unrecorded(SUBJECT).manifest(store, BUNDLE)


@pytest.mark.parametrize("kind", ["short", "long", "altered", "missing"])
def test_a_listing_of_another_digest_is_refused_and_nothing_is_left(
    store: FolderStore, bundle: Path, tmp_path: Path, kind: str
) -> None:
    manifest = unrecorded(SUBJECT).manifest(store, BUNDLE)
    path = bundle / manifest.listing
    data = path.read_bytes()
    changed = {
        "short": data[:-1],
        "long": data + b"x",
        "altered": data[:-1] + bytes([data[-1] ^ 1]),
    }
    path.unlink()
    if kind in changed:
        path.write_bytes(changed[kind])
    target = tmp_path / "kept/listing"
    target.parent.mkdir()
    target.write_bytes(b"the old one")
    with pytest.raises(MissingError if kind == "missing" else DamagedError):
        fetch_listing(store, SUBJECT, manifest, target)
    assert target.read_bytes() == b"the old one"
    assert [p.name for p in target.parent.iterdir()] == ["listing"]


@pytest.mark.parametrize(
    ("text", "error"),
    [
        (None, MissingError),
        ("", DamagedError),
        ("[]", DamagedError),
        ('{"format": "other", "version": 1, "id": "x"}', DamagedError),
        ('{"format": "fasciculus-store", "version": 1}', DamagedError),
        *(
            (f'{{"format": "fasciculus-store", "version": 1, "id": {found}}}', DamagedError)
            for found in (
                '"/etc/passwd"',
                '"../../keys/secrets.key"',
                '""',
                "7",
                "null",
                '["a"]',
                '"%s"' % ("A" * 32),
                '"%s\\n"' % ("a" * 32),
                '"%s"' % ("a" * 33),
            )
        ),
        ('{"format": "fasciculus-store", "version": "1", "id": "x"}', DamagedError),
        ('{"format": "fasciculus-store", "version": 2, "id": "x"}', TooNewError),
    ],
)
def test_the_mark_of_a_store(
    store: FolderStore, root: Path, text: str | None, error: type[Any]
) -> None:
    mark = root / "fasciculus-store.json"
    mark.unlink()
    if text is not None:
        mark.write_text(text)
    with pytest.raises(error) as caught:
        read_identity(store)
    assert isinstance(caught.value, FasciculusError) and "attic" in caught.value.message
    assert caught.value.hint


def test_a_mark_that_is_there_is_never_written_over(store: FolderStore, root: Path) -> None:
    before = (root / "fasciculus-store.json").read_bytes()
    known = read_identity(store)
    write_identity(store, "another")
    assert (root / "fasciculus-store.json").read_bytes() == before and read_identity(store) == known


def test_only_the_store_that_is_meant_is_read_and_only_its_owner_writes(
    store: FolderStore, root: Path
) -> None:
    known = read_identity(store)
    ours, theirs = StoreOwner("1" * 32, "reed-1", ""), StoreOwner("2" * 32, "reed-2", "")
    check_identity(store, known)
    check_ours(store, known, ours.id)
    for check in (check_identity, lambda s, i: check_ours(s, i, ours.id)):
        with pytest.raises(DamagedError, match="belongs to another store"):
            check(store, "3" * 32)
    since = json.loads((root / "fasciculus-store.json").read_text())["since"]
    claim(store, theirs)
    assert read_owner(store).id == theirs.id and read_identity(store) == known
    assert json.loads((root / "fasciculus-store.json").read_text())["since"] == since
    check_identity(store, known)
    with pytest.raises(DamagedError, match="is used by the Fasciculus on reed-2") as caught:
        check_ours(store, known, ours.id)
    assert "stores claim attic" in caught.value.hint
    check_ours(store, known, theirs.id)
    check_ours(store, known, "")
    claim(store, ours)
    check_ours(store, known, ours.id)
