"""Bundles brought from other stores when some of them are damaged, or the target is full."""

from __future__ import annotations

import os
from pathlib import Path
from typing import Any

import msgspec
import pytest
from msgspec.structs import replace
from nights import SUBJECT, Nights

from fasciculus.bundles.retiring import complete
from fasciculus.contracts.events import CopyMade, CopyRetired
from fasciculus.contracts.orders import TransferOrder
from fasciculus.core.bundle.manifest import PieceRecord
from fasciculus.core.bundle.seal.sealing import make_identity
from fasciculus.core.errors import StoreFullError
from fasciculus.stores import open_store, store_spec
from fasciculus.stores.folder import FolderStore
from fasciculus.worker.maintenance.transfer import TransferTask


@pytest.fixture
def stores(tmp_path: Path) -> Any:
    """Three full bundles on “attic” and “cellar”, the first damaged on “attic”; “loft” is empty."""
    nights = Nights(tmp_path, "cellar")
    for _ in range(3):
        (nights.tree / "page.bin").write_bytes(os.urandom(300_000))
        nights.night(incremental=False)
    nights.flip(nights.piece(nights.manifests[nights.known[0]]["pieces"][0]["name"]))
    (tmp_path / "loft").mkdir()
    nights.add_store(store_spec("loft", {"kind": "folder", "folder": str(tmp_path / "loft")}))
    return nights


def transfer(nights: Any, *sources: Any, **more: Any) -> Any:
    orders = [nights.store_order(name) for name in sources]
    return nights.maintenance(TransferOrder, TransferTask, "loft", sources=orders, **more)


def on(nights: Any, name: Any) -> Any:
    return complete(open_store(nights.specs[name]), SUBJECT)


def test_moving_leaves_a_damaged_bundle_where_it_is_and_says_so(stores: Any) -> None:
    damaged, *good = stores.known
    result, _ = transfer(stores, "attic", move=True)
    assert result.outcome == "warned" and "1 bundle could not be" in result.summary
    assert on(stores, "loft") == good and on(stores, "attic") == [damaged]
    hurt, _ = stores.verify(True, "attic", names=[damaged])
    assert len(hurt) == 1, "the rest of it is still there"
    for name in good:
        assert stores.restored(name, "loft") == stores.images[name]


def test_what_one_store_has_damaged_comes_from_another(stores: Any) -> None:
    result, events = transfer(stores, "attic", "cellar", move=True)
    assert (result.outcome, result.entries) == ("done", 3)
    came = [event.source for event in events if isinstance(event, CopyMade)]
    assert came == ["cellar", "attic", "attic"]
    assert on(stores, "attic") == on(stores, "cellar") == []
    for name in stores.known:
        assert stores.restored(name, "loft") == stores.images[name]


def test_a_full_store_ends_it_and_nothing_leaves_the_other(
    stores: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    put = FolderStore.put

    def full(store: Any, local: Any, path: Any, *more: Any) -> None:
        if stores.known[2] in path:
            raise StoreFullError("loft")
        put(store, local, path, *more)

    monkeypatch.setattr(FolderStore, "put", full)
    with pytest.raises(StoreFullError):
        transfer(stores, "cellar", move=True)
    monkeypatch.undo()
    assert on(stores, "loft") == stores.known[:2] and on(stores, "cellar") == stores.known
    # Room was made: what is there already is not sent again.
    result, _ = transfer(stores, "cellar", move=True, names=stores.known[2:])
    assert (result.outcome, result.entries) == ("done", 1)
    assert on(stores, "cellar") == stores.known[:2]


def test_a_move_that_was_killed_before_removing_is_finished(stores: Any) -> None:
    """The bundles are on both stores: nothing is sent again, and what is whole leaves the old."""
    transfer(stores, "cellar", names=stores.known)
    assert on(stores, "loft") == on(stores, "cellar") == stores.known
    stores.flip(stores.piece(stores.manifests[stores.known[1]]["pieces"][0]["name"], "loft"))
    result, events = transfer(stores, "cellar", move=True, names=[], brought=stores.known)
    assert not [event for event in events if isinstance(event, CopyMade)]
    assert result.outcome == "warned" and result.bytes == 0
    assert on(stores, "cellar") == [stores.known[1]], "what the target does not hold stays"
    assert on(stores, "loft") == stores.known


def files(nights: Any, store: Any) -> Any:
    root = nights.root / store / "accounts"
    return {path.relative_to(root): path.read_bytes() for path in root.rglob("*") if path.is_file()}


def test_what_is_sealed_arrives_sealed_byte_for_byte(stores: Any) -> None:
    """The listing next to the records is a plain one: it must not replace the sealed one."""
    (_, recipient), known = make_identity(), list(stores.known)
    stores.night(incremental=False, seal_to=[recipient])
    (sealed,) = [name for name in stores.known if name not in known]
    result, _ = transfer(stores, "cellar", names=[sealed])
    assert result.outcome == "done"
    arrived = files(stores, "loft")
    assert arrived and all(b"page.bin" not in data for data in arrived.values())
    assert arrived.items() <= files(stores, "cellar").items()
    assert any(path.name == "listing.jsonl.zst.age" for path in arrived)


def test_another_piece_of_the_same_name_is_not_taken_for_it(
    stores: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    name = stores.known[1]
    piece = msgspec.convert(stores.manifests[name]["pieces"][0], PieceRecord)

    def look(task: Any, store: Any) -> None:
        # What the task believes to be on the store.
        task._there[piece.name] = replace(piece, sha256="0" * 64)

    monkeypatch.setattr(TransferTask, "_look", look)
    before = files(stores, "cellar")
    result, events = transfer(stores, "cellar", move=True, names=[name])
    assert result.outcome == "warned" and files(stores, "cellar") == before
    assert not [event for event in events if isinstance(event, CopyMade | CopyRetired)]


def test_a_move_removes_only_what_a_store_is_known_to_have(stores: Any) -> None:
    name = stores.known[2]
    orders = [stores.store_order("cellar"), {**stores.store_order("attic"), "recorded": []}]
    before = files(stores, "attic")
    _, events = stores.maintenance(
        TransferOrder, TransferTask, "loft", sources=orders, names=[name], move=True
    )
    retired = [(event.store, event.bundle) for event in events if isinstance(event, CopyRetired)]
    assert retired == [("cellar", name)] and files(stores, "attic") == before
