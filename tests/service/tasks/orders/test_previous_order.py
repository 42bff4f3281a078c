"""The base of an incremental bundle, and the reasons for a full one."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from typing import Any

import pytest
from sample_records import MILLPOND, SampleRecords, bundle_of, piece

from fasciculus.models.jobs.jobs import JobInput
from fasciculus.records.db import stamp
from fasciculus.records.runs import maintenance
from fasciculus.service.tasks.orders.previous import compares_contents, previous_order


def days_ago(days: int) -> str:
    return stamp(datetime.now(UTC) - timedelta(days=days))


@pytest.fixture
def job(heronmere: SampleRecords) -> JobInput:
    return heronmere.job(mode="incremental", full_every=30, stores=["attic", "boathouse"])


BOTH = ("attic", "boathouse")


def previous(heronmere: SampleRecords, job: JobInput) -> tuple[Any, ...]:
    return previous_order(heronmere.sources, job, *MILLPOND, [])


def test_the_first_bundle_is_full_without_a_word(heronmere: SampleRecords, job: JobInput) -> None:
    assert previous(heronmere, job) == (None, "")


def test_other_keys_want_a_full_one(heronmere: SampleRecords, job: JobInput) -> None:
    heronmere.listing(heronmere.bundle(1, on=BOTH, base=days_ago(1)))
    found, why = previous_order(heronmere.sources, job, *MILLPOND, ["age1" + "q" * 58])
    assert found is None and why == "the previous bundle is sealed to other keys, or to none"


def test_a_job_of_full_bundles_builds_on_nothing(heronmere: SampleRecords) -> None:
    full = heronmere.job(name="full")
    heronmere.listing(heronmere.bundle(0, job="full", base=days_ago(1)))
    assert previous(heronmere, full) == (None, "")


def test_the_newest_that_any_store_has(heronmere: SampleRecords, job: JobInput) -> None:
    heronmere.bundle(0, on=BOTH, base=days_ago(1))
    name = heronmere.bundle(1, on=("attic",), base=days_ago(1), pieces=(piece("p"),))
    path = heronmere.listing(name)
    heronmere.bundle(2, on=BOTH, job="other", base=days_ago(1))
    found, why = previous(heronmere, job)
    assert why == "" and found.name == name and found.listing == str(path)
    assert [p.name for p in found.pieces] == ["p"] and found.listing_sha256 == "01" * 32
    assert found.states == str(heronmere.config.states(*MILLPOND, name))


def test_no_bundle_on_any_store(heronmere: SampleRecords, job: JobInput) -> None:
    heronmere.listing(heronmere.bundle(0, on=("boathouse",), base=days_ago(1)))
    elsewhere = job.model_copy(update={"stores": ["loft"]})
    assert previous(heronmere, elsewhere) == (None, "no previous bundle is on a store of the job")


def test_a_bundle_of_before_there_were_incremental_ones(
    heronmere: SampleRecords, job: JobInput
) -> None:
    heronmere.listing(heronmere.bundle(0, on=BOTH, base=""))
    assert previous(heronmere, job) == (None, "")


@pytest.mark.parametrize(("age", "full"), [(29, False), (30, True), (45, True)])
def test_a_full_one_after_so_many_days(
    heronmere: SampleRecords, job: JobInput, age: int, full: bool
) -> None:
    heronmere.listing(heronmere.bundle(0, on=BOTH, base=days_ago(age)))
    found, why = previous(heronmere, job)
    assert (found is None) is full
    assert why == (f"the last full one is {age} days old" if full else "")


@pytest.mark.parametrize(("share", "full"), [(0.5, False), (0.51, True)])
def test_a_full_one_when_half_is_unused_data(
    heronmere: SampleRecords, job: JobInput, share: float, full: bool
) -> None:
    heronmere.listing(heronmere.bundle(0, on=BOTH, base=days_ago(1), unused_share=share))
    found, why = previous(heronmere, job)
    assert (found is None) is full
    assert why == ("51% of the pieces is unused" if full else "")


def test_a_listing_that_is_not_at_hand(heronmere: SampleRecords, job: JobInput) -> None:
    name = heronmere.bundle(0, on=BOTH, base=days_ago(1))
    assert previous(heronmere, job) == (None, f"the listing of {name} is not at hand")


def repack(heronmere: SampleRecords, store: str, name: str, digest: str) -> bool:
    made = bundle_of(0, base=days_ago(1), listing_sha256=digest, pieces=(piece("new"),))
    with heronmere.records.write() as db:
        return maintenance.repacked(db, store, MILLPOND, name, made.manifest)


def test_one_store_of_two_was_repacked(heronmere: SampleRecords, job: JobInput) -> None:
    name = heronmere.bundle(0, on=BOTH, base=days_ago(1))
    heronmere.listing(name)
    assert not repack(heronmere, "boathouse", name, "99" * 32)
    found, why = previous(heronmere, job)
    assert found is None and why.startswith("the stores hold the previous bundle in different")


def test_both_were_repacked_alike(heronmere: SampleRecords, job: JobInput) -> None:
    name = heronmere.bundle(0, on=BOTH, base=days_ago(1))
    path = heronmere.listing(name)
    assert not repack(heronmere, "attic", name, "99" * 32)
    assert repack(heronmere, "boathouse", name, "99" * 32), "the bundle is of one manifest again"
    found, _ = previous(heronmere, job)
    assert [p.name for p in found.pieces] == ["new"] and found.listing == str(path)


def test_the_only_store_was_repacked(heronmere: SampleRecords) -> None:
    """The copy is not the bundle's last there: another store, not of this job, has it too."""
    alone = heronmere.job(mode="incremental", stores=["attic"])
    name = heronmere.bundle(0, on=BOTH, base=days_ago(1))
    heronmere.listing(name)
    own = heronmere.listing(f"{name}@attic")
    repack(heronmere, "attic", name, "99" * 32)
    found, _ = previous(heronmere, alone)
    assert found.listing == str(own) and found.listing_sha256 == "99" * 32


def test_its_turn_to_compare_contents(heronmere: SampleRecords) -> None:
    job = heronmere.job(mode="incremental", compare_every=3)
    base = stamp(datetime(2026, 11, 1, 2, 15, tzinfo=UTC))
    turns = []
    for night in range(7):
        heronmere.listing(heronmere.bundle(night, base=base))
        found, why = previous_order(
            heronmere.sources, job.model_copy(update={"full_every": 3000}), *MILLPOND, []
        )
        assert why == ""
        turns.append(compares_contents(heronmere.sources, job, *MILLPOND, found))
    assert turns == [False, False, True, False, False, True, False]
    assert not compares_contents(heronmere.sources, job, *MILLPOND, None)
    never = job.model_copy(update={"compare_every": 0})
    assert not compares_contents(heronmere.sources, never, *MILLPOND, found)
