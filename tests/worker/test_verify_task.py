"""Verifying, without a service: reading, trust and reports."""

from __future__ import annotations

import os
import shutil
from typing import Any

import pytest
from nights import KEY, SUBJECT

from fasciculus.contracts.events import (
    CopyRepacked,
    CopyVerified,
    DamageCleared,
    DamageFound,
    Log,
    Progress,
)
from fasciculus.contracts.orders import VerifyOrder
from fasciculus.core.bundle.entry import Extent
from fasciculus.core.errors import FasciculusError, MissingError
from fasciculus.stores.folder import FolderStore
from fasciculus.worker.maintenance.verify import VerifyTask

MIB = 1024 * 1024


@pytest.fixture
def kept(nights: Any) -> Any:
    """Two bundles, the second of which needs pieces of the first."""
    nights.night()
    (nights.tree / "new.bin").write_bytes(os.urandom(MIB))
    nights.night()
    return nights


def verify(nights: Any, deep: Any = False, **more: Any) -> Any:
    """Verify, and return the result and the events by type."""
    result, events = nights.maintenance(VerifyOrder, VerifyTask, deep=deep, **more)
    return result, {
        kind: [event for event in events if isinstance(event, kind)]
        for kind in (CopyRepacked, CopyVerified, DamageCleared, DamageFound, Log, Progress)
    }


def damage(events: Any) -> Any:
    return {event.file: (event.reason, event.bundles) for event in events[DamageFound]}


def pieces(nights: Any, number: Any) -> Any:
    """The pieces that a night brought."""
    manifest = nights.manifests[nights.known[number]]
    return [row["name"] for row in manifest["pieces"] if row["brought"]]


def bundle(nights: Any, number: Any, name: Any) -> Any:
    return nights.root / "attic" / SUBJECT.bundle(nights.known[number]) / name


def replace(path: Any, data: Any) -> None:
    """Another file under the same name: the listing next to the records must not change with it."""
    path.unlink()
    path.write_bytes(data)


@pytest.mark.parametrize("deep", [False, True])
def test_intact_copies_are_said_to_be(kept: Any, deep: Any) -> None:
    result, events = verify(kept, deep)
    assert result.outcome == "done" and result.summary.endswith(
        ": intact." if deep else ": sizes agree; contents not read."
    )
    assert result.entries == len(pieces(kept, 0)) + len(pieces(kept, 1))
    whole = sum(path.stat().st_size for path in kept.piece("x").parent.iterdir())
    assert result.bytes == (whole if deep else 0)
    assert [(e.bundle, e.deep, e.intact) for e in events[CopyVerified]] == [
        (name, deep, True) for name in kept.known
    ]
    assert damage(events) == {} and not (kept.root / "spool3").exists()
    if deep:
        last = events[Progress][-1]
        assert last.total == whole and last.entries == result.entries


def test_a_missing_piece_harms_every_bundle_that_needs_it(kept: Any) -> None:
    needed = {row["name"] for row in kept.manifests[kept.known[1]]["pieces"]}
    first = sorted(needed.intersection(pieces(kept, 0)))[0]
    kept.piece(first).unlink()
    result, events = verify(kept)
    assert damage(events) == {f"pieces/{first}": ("missing", kept.known)}
    assert result.outcome == "warned"
    assert "1 file missing or altered, which harms 2 bundles." in result.summary
    assert [event.intact for event in events[CopyVerified]] == [False, False]
    (found,) = events[DamageFound]
    assert found.harmed > 0 and all(name.startswith("files/") for name in found.files)


def test_a_short_piece_is_seen_without_reading_and_an_altered_one_only_by_reading(
    kept: Any,
) -> None:
    (last, *_) = pieces(kept, 1)
    data = kept.piece(last).read_bytes()
    replace(kept.piece(last), data[:-1])
    reason = f"is {len(data) - 1:,} bytes instead of {len(data):,}"
    assert damage(verify(kept)[1]) == {f"pieces/{last}": (reason, kept.known[1:])}
    replace(kept.piece(last), data[:-1] + bytes([data[-1] ^ 1]))
    assert damage(verify(kept)[1]) == {}
    assert damage(verify(kept, True)[1]) == {f"pieces/{last}": ("altered", kept.known[1:])}


def test_a_store_that_digests_itself_is_asked_to(
    kept: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    (last, *_) = pieces(kept, 1)
    data = kept.piece(last).read_bytes()
    replace(kept.piece(last), data[:-1] + bytes([data[-1] ^ 1]))
    monkeypatch.setattr(FolderStore, "digests_itself", True)
    result, events = verify(kept)
    assert damage(events) == {f"pieces/{last}": ("altered", kept.known[1:])}
    assert result.bytes == 0, "nothing was brought here"


@pytest.mark.parametrize("name", ["bundle.json", "listing.jsonl.zst", "SHA256SUMS"])
@pytest.mark.parametrize("change", ["missing", "altered"])
def test_a_bundles_own_files(kept: Any, name: Any, change: Any) -> None:
    path = bundle(kept, 1, name)
    if change == "missing":
        path.unlink()
    else:
        replace(path, b"x" + path.read_bytes())
    result, events = verify(kept)
    file = f"bundles/{kept.known[1]}/{name}"
    assert damage(events) == {file: (change, kept.known[1:])}
    verdicts = {event.bundle: event.intact for event in events[CopyVerified]}
    assert verdicts == {kept.known[0]: True, kept.known[1]: False}
    assert any(f"{file}: {change}; harms 1 bundle" in log.text for log in events[Log])
    assert result.outcome == "warned"


@pytest.mark.parametrize("beside", [True, False])
@pytest.mark.parametrize("change", ["missing", "altered"])
def test_pieces_are_read_whatever_became_of_the_manifest(
    kept: Any, beside: Any, change: Any
) -> None:
    """Repairing it relies on them; where nobody knows them, the copy does not count as read."""
    (last, *_) = pieces(kept, 1)
    kept.flip(kept.piece(last))
    path = bundle(kept, 1, "bundle.json")
    if change == "missing":
        path.unlink()
    else:
        replace(path, b"x" + path.read_bytes())
    if not beside:
        (kept.root / f"{kept.known[1]}.json").unlink()
    _, events = verify(kept, True)
    read = {event.bundle: event.deep for event in events[CopyVerified]}
    assert read == {kept.known[0]: True, kept.known[1]: beside}
    found = {f"bundles/{kept.known[1]}/bundle.json": (change, kept.known[1:])}
    if beside:
        found[f"pieces/{last}"] = ("altered", kept.known[1:])
    assert damage(events) == found


def suspects(kept: Any) -> Any:
    (first, *_) = pieces(kept, 0)
    return [
        f"pieces/{first}",
        f"bundles/{kept.known[1]}/bundle.json",
        f"bundles/{kept.known[1]}/listing.jsonl.zst",
        f"bundles/{kept.known[1]}/SHA256SUMS",
        "pieces/of-a-bundle-that-retired",
    ]


def test_what_was_suspect_and_is_intact_is_told(kept: Any) -> None:
    asked = suspects(kept)
    _, events = verify(kept, True, suspects=asked)
    assert [event.file for event in events[DamageCleared]] == asked[:4]


def test_a_size_alone_clears_nobody_of_suspicion(kept: Any) -> None:
    """Looking quickly compares no bytes of pieces."""
    asked = suspects(kept)
    _, events = verify(kept, False, suspects=asked)
    assert [event.file for event in events[DamageCleared]] == asked[1:4]


def test_what_is_still_damaged_stays_suspect(kept: Any) -> None:
    (first, *_) = pieces(kept, 0)
    kept.flip(kept.piece(first))
    _, events = verify(kept, True, suspects=[f"pieces/{first}"])
    assert events[DamageCleared] == [] and f"pieces/{first}" in damage(events)


def test_what_retires_meanwhile_is_no_damage(kept: Any, monkeypatch: pytest.MonkeyPatch) -> None:
    """A concurrent run removes the last bundle, and its pieces, during the check."""
    items = FolderStore.items

    def retired(self: Any, folder: Any) -> Any:
        if folder == SUBJECT.pieces and bundle(kept, 1, "bundle.json").exists():
            shutil.rmtree(bundle(kept, 1, "x").parent)
            for name in pieces(kept, 1):
                kept.piece(name).unlink()
        return items(self, folder)

    monkeypatch.setattr(FolderStore, "items", retired)
    result, events = verify(kept)
    assert damage(events) == {} and result.outcome == "done"


def test_many_harmed_entries_are_counted_and_the_first_named(kept: Any) -> None:
    folder = kept.tree / "many"
    folder.mkdir()
    for number in range(250):
        (folder / f"{number:03}").write_bytes(os.urandom(2000))
    kept.night()
    (last, *_) = pieces(kept, 2)
    kept.piece(last).unlink()
    _, events = verify(kept)
    (found,) = events[DamageFound]
    assert found.harmed == 250 and len(found.files) == 200
    assert found.files[0] == "files/many/000"


def test_a_listing_that_is_not_at_hand_is_read_from_the_store(kept: Any) -> None:
    (last, *_) = pieces(kept, 1)
    kept.piece(last).unlink()
    for name in kept.known:
        (kept.root / f"{name}.zst").unlink()
    _, events = verify(kept)
    (found,) = events[DamageFound]
    assert found.harmed > 0 and found.files == ["files/new.bin"]


def test_a_store_that_cannot_be_read_at_all_damages_nothing(kept: Any) -> None:
    (kept.root / "attic").rename(kept.root / "away")
    with pytest.raises((MissingError, FasciculusError)):
        verify(kept)
    assert not (kept.root / "spool3").exists()


# A store that lies consistently -----------------------------------------------------


def without_new(entries: Any) -> Any:
    return [entry for entry in entries if entry.path != b"new.bin"]


def of_another_mode(entries: Any) -> Any:
    for entry in entries:
        entry.mode |= 0o4000
    return entries


def forged(kept: Any) -> Any:
    """All that was altered for another listing: a bundle's own files."""
    own = ("bundle.json", "listing.jsonl.zst", "SHA256SUMS")
    return {f"bundles/{kept.known[1]}/{name}": ("altered", kept.known[1:]) for name in own}


@pytest.mark.parametrize("change", [without_new, of_another_mode])
@pytest.mark.parametrize("deep", [False, True])
def test_altered_contents_that_agree_with_each_other_are_found(
    kept: Any, change: Any, deep: Any
) -> None:
    kept.forge(kept.known[1], change)
    result, events = verify(kept, deep)
    assert damage(events) == forged(kept) and result.outcome == "warned"
    assert events[CopyRepacked] == [], "it is never taken over"
    kept.repack()
    assert verify(kept, deep)[0].outcome == "done", "written again from beside the records"


def test_what_repacking_did_unheard_is_taken_over(kept: Any) -> None:
    """The listing says other places, and the manifest has the service's own tag."""

    def elsewhere(entries: Any) -> Any:
        for entry in entries:
            entry.parts = [
                Extent(p.piece, p.frame, p.length + 1, p.offset, p.size) for p in entry.parts
            ]
        return entries

    kept.forge(kept.known[1], elsewhere, bytes.fromhex(KEY))
    result, events = verify(kept)
    assert [event.bundle for event in events[CopyRepacked]] == [kept.known[1]]
    assert result.outcome == "done"


def test_a_changed_manifest_that_nobody_can_tell_from_a_forged_one_is_damage(kept: Any) -> None:
    """The recorded listing is not at hand."""
    kept.forge(kept.known[1], lambda entries: entries[:-1])
    (kept.root / f"{kept.known[1]}.zst").unlink()
    _, events = verify(kept)
    assert damage(events) == forged(kept)
