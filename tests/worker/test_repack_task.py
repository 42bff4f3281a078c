"""Repacking, without a service: what must be true before the old pieces go."""

from __future__ import annotations

import os
import threading
from collections.abc import Iterator
from typing import Any

import pytest
from nights import made, settled
from running import until

from fasciculus.contracts.events import Log, Progress
from fasciculus.contracts.orders import RepackOrder
from fasciculus.core.bundle.listing import read_listing
from fasciculus.core.bundle.reader import BundleReader
from fasciculus.core.errors import DamagedError, FasciculusError, StoreFullError, UnreachableError
from fasciculus.stores.folder import FolderStore

MIB = 1024 * 1024


@pytest.fixture
def dead(nights: Any) -> Any:
    """Two nights, the second of which left half of the first one's pieces unused data; the first
    bundle has retired since.
    """
    for number in range(24):
        (nights.tree / f"site-1/large-{number:02}.html").write_bytes(os.urandom(100_000))
    settled(nights)
    nights.night()
    for number in range(0, 24, 2):
        (nights.tree / f"site-1/large-{number:02}.html").write_bytes(os.urandom(5_000))
    settled(nights)
    nights.night()
    nights.night(keep=1)
    assert len(nights.known) == 1
    return nights


def pieces(nights: Any) -> Any:
    folder = nights.root / "attic/accounts/millpond/pieces"
    return {path.name: path.read_bytes() for path in folder.iterdir()}


def whole(nights: Any) -> None:
    """Check that the present bundles restore to the original bytes."""
    (name,) = nights.known
    assert nights.restored(name) == nights.images[name]


def test_unused_data_goes_and_the_bundle_stays_whole(dead: Any) -> None:
    before = pieces(dead)
    found = dead.repack()
    after = pieces(dead)
    assert found.outcome == "done" and "are free again" in found.summary
    freed = sum(map(len, before.values())) - sum(map(len, after.values()))
    assert freed == found.freed > MIB
    whole(dead)
    assert dead.verify(True) == ({}, [])


def test_only_to_say_changes_nothing(dead: Any) -> None:
    before = pieces(dead)
    found = dead.repack(dry_run=True)
    assert found.outcome == "done" and pieces(dead) == before


def test_nothing_that_is_worth_it(dead: Any) -> None:
    before = pieces(dead)
    dead.repack(over=1.0)
    assert pieces(dead) == before


def test_a_store_without_room_is_said_before_anything_is_written(
    dead: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    before = pieces(dead)
    monkeypatch.setattr(FolderStore, "free", lambda self: 1000)
    with pytest.raises(StoreFullError, match="before the old ones go") as caught:
        dead.repack()
    assert "(--subject)" in caught.value.hint
    assert pieces(dead) == before
    whole(dead)


def test_a_store_that_does_not_say_how_much_is_free_is_repacked(
    dead: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(FolderStore, "free", lambda self: None)
    assert dead.repack().freed > 0
    whole(dead)


def test_bytes_that_are_not_as_listed_stop_it_before_the_old_ones_go(
    dead: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Data is compared with the listing's digests before any bundle is switched."""
    before = pieces(dead)
    contents = BundleReader.contents

    def altered(self: Any, entry: Any, alone: Any = False) -> Iterator[Any]:
        for number, chunk in enumerate(contents(self, entry, alone)):
            yield bytes(len(chunk)) if number == 0 and entry.size > 2000 else chunk

    monkeypatch.setattr(BundleReader, "contents", altered)
    with pytest.raises(DamagedError, match="not what the listing says"):
        dead.repack()
    monkeypatch.undo()
    assert before.items() <= pieces(dead).items(), "every old piece is unchanged"
    whole(dead)
    dead.repack()
    whole(dead)


def test_a_damaged_piece_stops_it_and_what_is_there_stays(dead: Any) -> None:
    for name in pieces(dead):
        dead.flip(dead.piece(name), 0.3)
    before = pieces(dead)
    with pytest.raises(DamagedError):
        dead.repack()
    assert before.items() <= pieces(dead).items()


def test_a_store_that_cannot_replace_a_file_in_one_step(
    dead: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(FolderStore, "replaces_at_once", lambda self: False)
    before = pieces(dead)
    with pytest.raises(FasciculusError, match="cannot replace a file in one step"):
        dead.repack()
    assert pieces(dead) == before
    assert dead.repack(dry_run=True).outcome == "done", "to say is allowed"


def test_what_an_interrupted_work_left_is_cleared_first(dead: Any) -> None:
    stray = dead.piece("2026-01-01T000000Z-nightly.files-0001.tar.zst")
    stray.write_bytes(b"half of it")
    _, events = dead.repack_events()
    assert not stray.exists()
    log = [event.text for event in events if isinstance(event, Log)]
    assert any(line.startswith("cleared ") and stray.name in line for line in log)


def test_new_pieces_take_numbers_that_are_free(dead: Any) -> None:
    before = set(pieces(dead))
    dead.repack()
    new = set(pieces(dead)) - before
    assert new and not any(name in before for name in new)
    dead.repack()
    whole(dead)


def test_the_spool_is_left_empty(dead: Any) -> None:
    dead.repack()
    assert not (dead.root / "spool3").exists()
    order = made(
        RepackOrder,
        {
            "subject": {"kind": "account", "name": "millpond", "host": "", "root": ""},
            "store": dead.store_order("attic"),
            "bundles": [],
            "spool": "/x",
            "piece_size": 1,
            "spool_limit": 1,
            "listings": "/y",
        },
    )
    assert (order.over, order.dry_run) == (0.2, False)


def test_a_store_that_fails_while_pieces_are_brought_there_keeps_all_that_is_there(
    dead: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    before = pieces(dead)
    put = FolderStore.put

    def fails(self: Any, local: Any, path: Any, on_bytes: Any) -> Any:
        if "/pieces/" in path:
            raise UnreachableError("Store “attic” refused it.", "Check its rights.")
        return put(self, local, path, on_bytes)

    monkeypatch.setattr(FolderStore, "put", fails)
    threads = threading.active_count()
    with pytest.raises(FasciculusError, match="refused it") as caught:
        dead.repack()
    assert caught.value.hint == "Complete copies are untouched."
    monkeypatch.undo()
    assert pieces(dead) == before and dead.verify(True) == ({}, [])
    until(lambda: threading.active_count() <= threads)
    whole(dead)


def test_every_bundle_names_all_that_it_needs_and_nothing_else(dead: Any) -> None:
    """Two bundles, one of which shares new and old pieces with the other."""
    (dead.tree / "later.bin").write_bytes(os.urandom(50_000))
    settled(dead)
    dead.night()
    dead.repack()
    assert len(dead.known) == 2
    for name in dead.known:
        rows = dead.manifests[name]["pieces"]
        assert [(row["brought"], row["name"]) for row in rows] == sorted(
            (row["brought"], row["name"]) for row in rows
        )
        assert all(row["used"] > 0 for row in rows)
        listing = dead.root / f"{name}.zst"
        with listing.open("rb") as raw:
            used = {}
            for entry in read_listing(raw):
                for part in entry.parts if entry.link is None else ():
                    used[part.piece] = used.get(part.piece, 0) + part.size
        assert used == {row["name"]: row["used"] for row in rows}
        assert dead.restored(name) == dead.images[name]
    assert set(pieces(dead)) == {
        row["name"] for name in dead.known for row in dead.manifests[name]["pieces"]
    }


def test_how_far_it_is_is_told(dead: Any) -> None:
    _, events = dead.repack_events()
    told = [event for event in events if isinstance(event, Progress)]
    assert {"analysing", "packing"} <= {event.stage for event in told}
    last = [event for event in told if event.stage == "packing"][-1]
    assert 0 < last.bytes <= last.total and last.packed > 0
