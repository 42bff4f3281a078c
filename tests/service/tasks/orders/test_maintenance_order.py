"""Orders of maintenance."""

from __future__ import annotations

from typing import Any

from sample_records import MILLPOND, SampleRecords, bundle_of, piece

from fasciculus.contracts.events import DamageFound
from fasciculus.contracts.orders import RepackOrder, RepairOrder, VerifyOrder
from fasciculus.records.bundles import damage
from fasciculus.records.runs import maintenance
from fasciculus.records.runs.maintenance import MaintenanceOptions
from fasciculus.service.tasks.orders.maintenance import maintenance_order

MIB = 1024 * 1024


def order(
    heronmere: SampleRecords,
    kind: str = "verify",
    store: str = "attic",
    bundle: str = "",
    **options: Any,
) -> Any:
    with heronmere.records.write() as db:
        asked = MaintenanceOptions(**options)
        number = maintenance.add(db, kind, store, MILLPOND, asked, "test", bundle)
        task = maintenance.task(db, number)
    return maintenance_order(heronmere.sources, task), number


def damaged(heronmere: SampleRecords, store: str, *files: Any) -> None:
    with heronmere.records.write() as db:
        for file in files:
            found = DamageFound(file=file, reason="is missing", bundles=["b"], files=[], harmed=0)
            damage.found(db, store, MILLPOND, found)


def test_verifying_knows_every_copy_and_what_was_suspect(heronmere: SampleRecords) -> None:
    names = [heronmere.bundle(night, on=("attic", "boathouse")) for night in range(3)]
    heronmere.bundle(4, on=("boathouse",))
    heronmere.bundle(5, subject=("account", "ferryline"))
    damaged(heronmere, "attic", "pieces/p")
    damaged(heronmere, "boathouse", "pieces/q")
    found, number = order(heronmere, deep=True)
    assert isinstance(found, VerifyOrder) and found.deep
    assert [copy.name for copy in found.bundles] == names
    assert [copy.listing_sha256 for copy in found.bundles] == ["00" * 32, "01" * 32, "02" * 32]
    assert found.suspects == ["pieces/p"], "of this store alone"
    assert found.subject.ref().folder == "accounts/millpond"
    assert found.spool == str(heronmere.config.spool / f"maintenance-{number}")
    assert not order(heronmere)[0].deep


def test_one_bundle_alone(heronmere: SampleRecords) -> None:
    names = [heronmere.bundle(night) for night in range(3)]
    found, _ = order(heronmere, bundle=names[1])
    assert [copy.name for copy in found.bundles] == [names[1]]


def test_a_copy_that_was_repacked_has_a_listing_of_its_own(heronmere: SampleRecords) -> None:
    name = heronmere.bundle(0, on=("attic", "boathouse"))
    with heronmere.records.write() as db:
        made = bundle_of(0, listing_sha256="99" * 32).manifest
        maintenance.repacked(db, "attic", MILLPOND, name, made)
    for store, listing, digest in (
        ("attic", f"{name}@attic", "99" * 32),
        ("boathouse", name, "00" * 32),
    ):
        (copy,) = order(heronmere, store=store)[0].bundles
        assert copy.listing == str(heronmere.config.listing(*MILLPOND, listing))
        assert copy.listing_sha256 == digest


def test_repairing_takes_from_all_other_stores_of_the_subject(heronmere: SampleRecords) -> None:
    heronmere.store("cellar")
    heronmere.store("shed")
    heronmere.bundle(0, on=("attic", "boathouse"))
    heronmere.bundle(1, on=("attic", "cellar"))
    heronmere.bundle(2, on=("shed",), subject=("account", "ferryline"))
    damaged(heronmere, "attic", "pieces/p", "bundles/x/listing.jsonl.zst")
    found, _ = order(heronmere, "repair")
    assert isinstance(found, RepairOrder)
    assert found.files == ["bundles/x/listing.jsonl.zst", "pieces/p"]
    assert [store.name for store in found.sources] == ["boathouse", "cellar"]


def test_what_a_damaged_piece_should_be_the_records_say(heronmere: SampleRecords) -> None:
    heronmere.bundle(0, on=("attic", "boathouse"), pieces=(piece("p", 5), piece("q", 7)))
    heronmere.bundle(1, on=("attic",), pieces=(piece("p", 5),))
    damaged(heronmere, "attic", "pieces/p", "pieces/gone")
    assert order(heronmere, "repair")[0].pieces == [piece("p", 5)]


def test_repacking_makes_no_piece_smaller_than_those_that_are_there(
    heronmere: SampleRecords,
) -> None:
    heronmere.bundle(0, pieces=(piece("small", 5), piece("large", 300 * MIB)))
    found, number = order(heronmere, "repack", over=35, dry_run=True)
    assert isinstance(found, RepackOrder)
    assert (found.over, found.dry_run, found.piece_size) == (0.35, True, 300 * MIB)
    assert found.listings == str(heronmere.config.under_way / f"maintenance-{number}")
    assert found.spool_limit == heronmere.config.spool_limit


def test_repacking_makes_no_piece_smaller_than_it_is_worth(heronmere: SampleRecords) -> None:
    heronmere.bundle(0, pieces=(piece("small", 5),))
    found, _ = order(heronmere, "repack")
    assert (found.over, found.dry_run, found.piece_size) == (0.2, False, 64 * MIB)
