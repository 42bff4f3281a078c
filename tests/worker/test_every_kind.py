"""Bundles on every kind of store, with servers that misbehave: what counts is whole."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest
from nights import MIB, SUBJECT, Nights
from servers import STAND_INS, Place

from fasciculus.bundles.retiring import complete
from fasciculus.contracts.events import CopyMade, StoreSeen
from fasciculus.contracts.orders import TransferOrder
from fasciculus.core.errors import FasciculusError
from fasciculus.stores import open_store
from fasciculus.stores import retrying as retrying_module
from fasciculus.stores.base import connected
from fasciculus.stores.trying import try_store
from fasciculus.worker.maintenance.transfer import TransferTask

#: What is done wrong, how often a bundle fails by it, and what verifying reads as damaged.
WRONGS = {
    "cut": {"cut_after": 700_000, "cut_each": 600_000, "cuts": 2},
    "full": {"full": True},
    "refuse": {"refuse": True},
    "flip": {"flip": 1},
    "forget": {"forget": True},
    "slow": {"bytes_per_second": 20 * MIB},
}


@pytest.fixture(params=STAND_INS)
def place(
    request: pytest.FixtureRequest, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> Iterator[Place]:
    monkeypatch.setattr(retrying_module, "_FIRST_WAIT", 0.001)
    with STAND_INS[request.param](tmp_path) as found:
        store = open_store(found.spec)
        assert all(step.ok for step in try_store(store, make_root=True))
        store.close()
        yield found


def test_what_counts_as_a_copy_is_whole_after_every_misbehaviour(
    place: Place, nights: Nights
) -> None:
    nights.add_store(place.spec)
    for number, (wrong, values) in enumerate(WRONGS.items()):
        (nights.tree / "page.bin").write_bytes(bytes([number]) * 900_000)
        before = whole(place)
        for key, value in values.items():  # type: ignore[attr-defined]
            setattr(place.misbehaviour, key, value)
        try:
            nights.night(incremental=False)
        except FasciculusError:
            pytest.fail(f"{wrong}: the other store's copy is good all the same")
        good = not any(e.get("error") for e in nights.events if e["event"] == "copy")
        for key in values:  # type: ignore[attr-defined]
            setattr(place.misbehaviour, key, type(place.misbehaviour)().__dict__[key])  # type: ignore[misc]
        if wrong in ("full", "refuse", "forget"):
            assert not good, wrong
            assert whole(place) == before, f"{wrong}: what was whole is, and nothing half counts"
        if wrong in ("cut", "slow"):
            assert good, wrong
    # All that count read back whole, but for what a storage altered after it had proved it.
    with connected(open_store(place.spec)) as store:
        found = complete(store, SUBJECT)
    assert found
    hurt, _ = nights.verify(True, place.spec.name, names=found)
    assert len(hurt) <= (1 if place.spec.settings.kind == "s3" else 0), hurt


def whole(place: Place) -> list[str]:
    with connected(open_store(place.spec)) as store:
        return complete(store, SUBJECT)


def test_a_store_catches_up_byte_for_byte_and_moving_empties_the_other(
    place: Place, nights: Nights
) -> None:
    for number in range(3):
        (nights.tree / "page.bin").write_bytes(bytes([number]) * 300_000)
        nights.night()
    nights.add_store(place.spec)
    # A line that breaks, and cancelling, leave nothing half.
    place.misbehaviour.cut_after, place.misbehaviour.cuts = 200_000, 1
    names = list(nights.known)

    result, events = nights.maintenance(
        TransferOrder,
        TransferTask,
        place.spec.name,
        sources=[nights.store_order("attic")],
        move=True,
    )
    assert (result.outcome, result.entries) == ("done", 3), result
    assert [e.bundle for e in events if isinstance(e, CopyMade)] == names
    (seen,) = [e for e in events if isinstance(e, StoreSeen) and e.store == place.spec.name]
    assert seen.sent >= result.bytes > 3 * MIB
    with connected(open_store(place.spec)) as store:
        assert complete(store, SUBJECT) == names
    attic = nights.root / "attic" / SUBJECT.folder
    assert not [p for p in attic.rglob("*") if p.is_file()], "nothing is left of what was moved"
    for name in names:
        assert nights.restored(name, place.spec.name) == nights.images[name]


def test_altered_contents_that_agree_with_each_other_are_found_out(
    place: Place, nights: Nights
) -> None:
    nights.add_store(place.spec)
    name = next(iter(nights.night(incremental=False) and nights.known))

    def change(entries: list[Any]) -> list[Any]:
        for entry in entries:
            entry.mode = 0o4777
        return entries

    nights.forge(name, change, root=place.root)
    hurt, _ = nights.verify(False, place.spec.name)
    assert f"bundles/{name}/bundle.json" in hurt
    with pytest.raises(FasciculusError, match="is not what was stored there"):
        nights.restored(name, place.spec.name)
    assert nights.restored(name) == nights.images[name], "the other copy is as good as before"


def test_a_store_that_stands_still_is_given_up(place: Place, nights: Nights) -> None:
    nights.add_store(replace(place.spec, stall_timeout=0.3))
    place.misbehaviour.bytes_per_second = 20_000
    nights.night(incremental=False)
    (error,) = [e["error"] for e in nights.events if e["event"] == "copy" and e.get("error")]
    assert place.spec.name in error
    place.misbehaviour.bytes_per_second = None
    assert whole(place) == []
