"""Buckets that keep old versions, that are locked, or that are not there."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest
from servers import Place, moto_place, s3_place

from fasciculus.stores import open_store
from fasciculus.stores.base import connected
from fasciculus.stores.s3 import S3Store
from fasciculus.stores.trying import try_store


@pytest.fixture
def place(tmp_path: Path) -> Iterator[Place]:
    with moto_place(tmp_path) as found:
        yield found


def opened(place: Place, **settings: Any) -> Any:
    spec = replace(place.spec, settings=place.spec.settings.model_copy(update=settings))
    return open_store(spec)


def said(store: S3Store) -> str:
    steps = try_store(store, make_root=True)
    assert all(step.ok for step in steps), steps[-1]
    return next(step.text for step in steps if step.name == "old versions")


def versions(store: S3Store) -> int:
    # With the store's own connection: stores count no versions.
    bucket = store._settings.bucket
    answer = store._client.list_object_versions(Bucket=bucket)
    return len(answer.get("Versions", [])) + len(answer.get("DeleteMarkers", []))


def keep_versions(place: Place) -> None:
    with connected(opened(place)) as store:
        # With the store's own connection: stores switch no versioning on.
        bucket = store._settings.bucket  # type: ignore[attr-defined]
        if not store._client.list_buckets()["Buckets"]:  # type: ignore[attr-defined]
            store.make_root()
        store._client.put_bucket_versioning(  # type: ignore[attr-defined]
            Bucket=bucket, VersioningConfiguration={"Status": "Enabled"}
        )


def test_what_a_bucket_keeps_of_what_was_removed_is_said_and_removed_if_wanted(
    place: Place,
) -> None:
    assert said(opened(place)) == "Removed files are deleted."
    keep_versions(place)
    with connected(opened(place)) as store:
        store.put_bytes(b"one", "a/piece")
        store.put_bytes(b"three", "a/piece")
        store.put_bytes(b"1234567", "a/piece-2")
        store.remove("a/piece")
        assert store.size("a/piece") is None and store.old_bytes() == 8  # type: ignore[attr-defined]
    assert "keeps what is removed or replaced as old versions" in said(opened(place))
    with connected(opened(place, remove_versions=True)) as store:
        before = store.old_bytes()  # type: ignore[attr-defined]
        store.put_bytes(b"again", "a/piece")
        store.remove("a/piece")
        store.remove("a/none")
        assert store.old_bytes() == before - 8, "with all that were there before"  # type: ignore[attr-defined]
        assert store.size("a/piece-2") == 7, "a name that begins alike stays"
        left = versions(store)
    assert "are removed with their files" in said(opened(place, remove_versions=True))
    with connected(opened(place)) as store:
        assert versions(store) == left, "a trial leaves no versions where they are removed"


def test_an_object_lock_is_named(place: Place) -> None:
    with connected(opened(place)) as store:
        # With the store's own connection: stores lock no objects.
        bucket = store._settings.bucket  # type: ignore[attr-defined]
        store._client.create_bucket(Bucket=bucket, ObjectLockEnabledForBucket=True)  # type: ignore[attr-defined]
        store._client.put_object_lock_configuration(  # type: ignore[attr-defined]
            Bucket=bucket,
            ObjectLockConfiguration={
                "ObjectLockEnabled": "Enabled",
                "Rule": {"DefaultRetention": {"Mode": "GOVERNANCE", "Days": 30}},
            },
        )
        store.put_bytes(b"locked", "a/piece")
        store.remove("a/piece")
        assert store.size("a/piece") is None and store.old_bytes() == 6  # type: ignore[attr-defined]
    # Trying it whole would fail by a fault of this storage alone: it wants digests of copies.
    with connected(opened(place, remove_versions=True)) as store:
        assert "It has an object lock (30 days, mode governance)" in store.describe_versions()  # type: ignore[attr-defined]
        assert "keeps what is removed or replaced as old versions, 6 B" in store.describe_versions()  # type: ignore[attr-defined]


@pytest.mark.parametrize("found", [moto_place, s3_place])
def test_a_bucket_with_a_wrong_name_is_made_only_when_that_is_wanted(
    found: Callable[..., Any], tmp_path: Path
) -> None:
    with found(tmp_path) as place:
        step = try_store(opened(place, create_bucket=False), make_root=True)[-1]
        assert (step.name, step.ok, step.field) == ("folder", False, "bucket")
        assert "There is no bucket" in step.text and "Create the bucket" in step.hint
        assert all(step.ok for step in try_store(opened(place), make_root=True))
        steps = try_store(opened(place, create_bucket=False), make_root=True)
        assert all(step.ok for step in steps)


def test_what_a_trial_leaves_behind_is_named(tmp_path: Path) -> None:
    with s3_place(tmp_path) as place:
        store = opened(place)
        remove = store.remove
        store.remove = lambda path: None if path.endswith("-renamed") else remove(path)
        step = try_store(store, make_root=True)[-1]
        assert (step.name, step.ok) == ("remove", False)
        assert "Remove what the trial left there: fasciculus-try-" in step.hint
