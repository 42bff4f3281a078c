"""Maintenance tasks in the records: queued, reported, ended."""

from __future__ import annotations

from typing import Any

import pytest
from sample_records import MILLPOND, SampleRecords, bundle_of, piece

from fasciculus.contracts.events import (
    CopyRepacked,
    CopyVerified,
    DamageCleared,
    DamageFound,
    Log,
    Progress,
)
from fasciculus.contracts.results import Failure, RepackResult, RepairResult, VerifyResult
from fasciculus.core.errors import MissingError, SettingError
from fasciculus.core.scope import EVERYTHING
from fasciculus.records.bundles import bundles, damage
from fasciculus.records.paging import PageRequest
from fasciculus.records.runs import maintenance
from fasciculus.records.runs.maintenance import MaintenanceOptions
from fasciculus.service.tasks.maintenance import MaintenanceHandler
from fasciculus.service.tasks.progress import TaskProgress
from fasciculus.worker.pool import WorkerPool

FERRYLINE = ("account", "ferryline")


class Reports:
    """Receives news of damage; records the numbers."""

    def __init__(self) -> None:
        self.told = []

    def maintenance(self, db: Any, number: Any) -> None:
        self.told.append((number, maintenance.task(db, number).state))

    def restore(self, db: Any, row: Any) -> None:
        raise AssertionError("maintenance reports no restore")


@pytest.fixture
def handler(heronmere: SampleRecords) -> Any:
    found = MaintenanceHandler(
        heronmere.config, heronmere.records, heronmere.cipher, heronmere.events
    )
    found.reports, found.reported, found.queued_more = Reports(), [], []  # type: ignore[attr-defined]
    found.collect = WorkerPool().collect
    found.on_reported = lambda: found.reported.append(True)  # type: ignore[attr-defined]
    found.enqueue = found.queued_more.extend  # type: ignore[attr-defined]
    return found


def asked(
    handler: MaintenanceHandler, kind: str = "verify", store: str = "attic", **more: Any
) -> Any:
    numbers, tasks = handler.queue(kind, store, "test", **more)
    return numbers, tasks


def begun(handler: MaintenanceHandler, kind: str = "verify", **more: Any) -> Any:
    (task,) = asked(handler, kind, **more)[1]
    order = handler.begin(task)
    assert order.store.name == task.store and order.subject.name == task.subject[1]
    assert task.shown.state == "running"
    return task


def end(handler: Any, task: Any, result: Any) -> None:
    for write in handler.endings(task, result):
        write()


def found_damage(file: str = "pieces/p", bundle: str | None = None) -> DamageFound:
    names = [bundle or bundle_of(0).bundle]
    return DamageFound(file=file, reason="is missing", bundles=names, files=["a"], harmed=1)


def damaged(heronmere: Any) -> Any:
    return [
        (row.store, row.file) for row in damage.rows(heronmere.db, EVERYTHING, PageRequest()).items
    ]


def test_each_subject_with_copies_there_is_a_task(
    heronmere: SampleRecords, handler: MaintenanceHandler
) -> None:
    heronmere.bundle(0)
    heronmere.bundle(0, subject=FERRYLINE)
    heronmere.bundle(0, subject=("account", "elsewhere"), on=("boathouse",))
    numbers, tasks = asked(handler)
    assert [task.subject for task in tasks] == [FERRYLINE, MILLPOND]
    assert numbers == [task.number for task in tasks]
    assert all((t.lane, t.exclusive, t.store) == ("maintenance", False, "attic") for t in tasks)
    assert all(task.exclusive for task in asked(handler, "repack")[1])


def test_it_counts_on_the_stores_that_it_uses(
    heronmere: SampleRecords, handler: MaintenanceHandler
) -> None:
    heronmere.bundle(0)
    with heronmere.records.write() as db:
        db.execute(
            "UPDATE store SET document=json_set(document, '$.max_concurrent', 2) WHERE name='attic'"
        )
    assert [task.store_limits for task in asked(handler)[1]] == [{"attic": 2}]
    options = MaintenanceOptions(source="attic")
    (task,) = asked(handler, "transfer", "boathouse", options=options)[1]
    assert (task.lane, task.store_limits) == ("transfer", {"boathouse": 0, "attic": 2})
    with heronmere.records.write() as db:
        db.execute("UPDATE maintenance SET store='gone' WHERE store='attic'")
    found = {task.store: task.store_limits for task in handler.unfinished()}
    assert found["gone"] == {"gone": 0}, "a task for a removed store blocks nothing"


def test_asked_for_twice_it_is_done_once(
    heronmere: SampleRecords, handler: MaintenanceHandler
) -> None:
    heronmere.bundle(0)
    first, tasks = asked(handler)
    assert asked(handler) == (first, [])
    deep, more = asked(handler, options=MaintenanceOptions(deep=True))
    assert len(more) == 1 and deep != first, "another question is another task"
    handler.begin(tasks[0])
    assert asked(handler) == (first, []), "also while it runs"
    end(handler, tasks[0], result("done"))
    assert asked(handler)[0] != first


def test_a_named_bundle_must_be_on_the_store(
    heronmere: SampleRecords, handler: MaintenanceHandler
) -> None:
    heronmere.bundle(0, on=("boathouse",))
    (row,) = bundles.bundles(heronmere.db, EVERYTHING, PageRequest()).items
    _, (task,) = asked(handler, store="boathouse", bundle=row.id)
    assert maintenance.task(heronmere.db, task.number).bundle == row.name
    with pytest.raises(SettingError, match="no copy of") as caught:
        asked(handler, store="attic", bundle=row.id)
    assert caught.value.field == "bundle"
    with pytest.raises(MissingError):
        asked(handler, bundle=99)


def test_what_cannot_be_done_is_said_with_the_way_out(
    heronmere: SampleRecords, handler: MaintenanceHandler
) -> None:
    with pytest.raises(SettingError, match="no copies on store “attic”"):
        asked(handler)
    heronmere.bundle(0)
    with pytest.raises(SettingError, match="no copies of “ferryline”") as caught:
        asked(handler, subject="ferryline")
    assert caught.value.field == "subject"
    with pytest.raises(SettingError, match="known to be damaged"):
        asked(handler, "repair")
    with pytest.raises(MissingError):
        asked(handler, store="cellar")


def test_what_a_worker_tells_is_written(
    heronmere: SampleRecords, handler: MaintenanceHandler
) -> None:
    name = heronmere.bundle(0)
    task = begun(handler)
    handler.take(task, found_damage())
    handler.take(task, CopyVerified(bundle=name, deep=True, intact=False))
    handler.take(task, Log("info", "read all"))
    assert damaged(heronmere) == [("attic", "pieces/p")]
    (copy,) = bundles.bundles(heronmere.db, EVERYTHING, PageRequest()).items[0].copies
    assert copy.verified_deep and copy.verified and not copy.sound
    handler.take(task, DamageCleared(file="pieces/p"))
    assert damaged(heronmere) == []


def test_damage_of_what_retired_meanwhile_is_none(
    heronmere: SampleRecords, handler: MaintenanceHandler
) -> None:
    """A concurrent run retired the bundle whose piece was found missing."""
    name = heronmere.bundle(0)
    kept = heronmere.bundle(1)
    task = begun(handler)
    with heronmere.records.write() as db:
        bundles.retire(db, *MILLPOND, name, "attic")
    handler.take(task, found_damage(bundle=name))
    assert damaged(heronmere) == []
    handler.take(task, found_damage(bundle=kept))
    assert damaged(heronmere) == [("attic", "pieces/p")]


def test_old_damage_of_what_retired_makes_no_new_damage_harmless(
    heronmere: SampleRecords, handler: MaintenanceHandler
) -> None:
    old, kept = heronmere.bundle(0), heronmere.bundle(1)
    with heronmere.records.write() as db:
        bundles.retire(db, *MILLPOND, old, "attic")
        damage.found(db, "attic", MILLPOND, found_damage("pieces/old", bundle=old))
    again = begun(handler, options=MaintenanceOptions(deep=True))
    handler.take(again, found_damage(bundle=kept))
    assert damaged(heronmere) == [("attic", "pieces/p")]
    end(handler, again, result("warned"))
    assert maintenance.task(heronmere.db, again.number).outcome == "warned"


def test_damage_of_one_store_is_none_of_another(
    heronmere: SampleRecords, handler: MaintenanceHandler
) -> None:
    name = heronmere.bundle(0, on=("attic", "boathouse"))
    task = begun(handler)
    handler.take(task, found_damage())
    with heronmere.records.write() as db:
        bundles.retire(db, *MILLPOND, name, "attic")
    assert damaged(heronmere) == [], "it went with its last copy there"


def result(outcome: Any, kind: Any = VerifyResult) -> Any:
    return kind(outcome=outcome, summary="1 file is missing.", entries=3, bytes=9)


def test_an_ended_task_says_what_it_came_to_and_somebody_is_told(
    heronmere: SampleRecords, handler: Any
) -> None:
    heronmere.bundle(0)
    task = begun(handler)
    end(handler, task, result("done"))
    shown = maintenance.task(heronmere.db, task.number)
    assert (shown.state, shown.outcome, shown.sentence) == ("ended", "done", "1 file is missing.")
    assert (shown.entries, shown.bytes) == (3, 9)
    assert handler.reports.told == [(task.number, "ended")] and handler.reported == [True]
    assert handler.queued_more == []


def test_a_failure_says_why(heronmere: SampleRecords, handler: MaintenanceHandler) -> None:
    heronmere.bundle(0)
    task = begun(handler)
    end(handler, task, Failure(outcome="failed", error="Nothing answers."))
    shown = maintenance.task(heronmere.db, task.number)
    assert (shown.outcome, shown.sentence) == ("failed", "Nothing answers.")


@pytest.mark.parametrize(
    ("outcome", "repaired"), [("warned", True), ("interrupted", True), ("done", False)]
)
def test_damage_is_repaired_at_once_where_another_store_is_whole(
    heronmere: SampleRecords, handler: Any, outcome: str, repaired: bool
) -> None:
    heronmere.bundle(0, on=("attic", "boathouse"), pieces=(piece("p"),))
    task = begun(handler)
    handler.take(task, found_damage())
    end(handler, task, result(outcome))
    found = [(row.kind, row.store, row.subject) for row in handler.queued_more]
    assert found == ([("repair", "attic", MILLPOND)] if repaired else [])


def test_without_a_second_copy_nothing_is_begun(heronmere: SampleRecords, handler: Any) -> None:
    heronmere.bundle(0, pieces=(piece("p"),))
    heronmere.bundle(1, on=("boathouse",), pieces=(piece("q"),))
    task = begun(handler)
    handler.take(task, found_damage())
    end(handler, task, result("warned"))
    assert handler.queued_more == [], "the other store has no such piece"


def test_damage_on_both_stores_repairs_nothing(heronmere: SampleRecords, handler: Any) -> None:
    heronmere.bundle(0, on=("attic", "boathouse"), pieces=(piece("p"),))
    with heronmere.records.write() as db:
        damage.found(db, "boathouse", MILLPOND, found_damage())
    task = begun(handler)
    handler.take(task, found_damage())
    end(handler, task, result("warned"))
    assert handler.queued_more == []


def test_repairing_is_not_followed_by_repairing(heronmere: SampleRecords, handler: Any) -> None:
    heronmere.bundle(0, on=("attic", "boathouse"), pieces=(piece("p"),))
    with heronmere.records.write() as db:
        damage.found(db, "attic", MILLPOND, found_damage())
    task = begun(handler, "repair")
    end(handler, task, result("warned", RepairResult))
    assert handler.queued_more == []


# Repacking ------------------------------------------------------------------------


def repacked(handler: Any, task: Any, name: Any, text: Any = "new listing") -> None:
    # Where the handler looks for what a worker has written.
    folder = handler._folder(task)
    folder.mkdir(parents=True, exist_ok=True)
    (folder / f"{name}.zst").write_text(text)
    manifest = bundle_of(0, listing_sha256="99" * 32, pieces=(piece("anew", 7),)).manifest
    handler.take(task, CopyRepacked(bundle=name, manifest=manifest))


def test_one_repacked_copy_has_a_listing_of_its_own(
    heronmere: SampleRecords, handler: MaintenanceHandler
) -> None:
    name = heronmere.bundle(0, on=("attic", "boathouse"))
    whole = heronmere.listing(name, text="old listing")
    task = begun(handler, "repack")
    repacked(handler, task, name)
    own = heronmere.config.listing(*MILLPOND, f"{name}@attic")
    assert (own.read_text(), whole.read_text()) == ("new listing", "old listing")
    (copy,) = maintenance.copies_on(heronmere.db, "attic", MILLPOND)
    assert copy.own and [p.name for p in copy.manifest.pieces] == ["anew"]
    (other,) = maintenance.copies_on(heronmere.db, "boathouse", MILLPOND)
    assert not other.own


def test_when_all_copies_are_alike_there_is_one_listing_again(
    heronmere: SampleRecords, handler: MaintenanceHandler
) -> None:
    name = heronmere.bundle(0, on=("attic", "boathouse"))
    whole = heronmere.listing(name, text="old listing")
    for store in ("attic", "boathouse"):
        task = begun(handler, "repack", store=store)
        repacked(handler, task, name, f"listing of {store}")
        end(handler, task, Failure(outcome="done"))
    assert whole.read_text() == "listing of boathouse"
    assert [path.name for path in whole.parent.iterdir()] == [whole.name]
    assert not any(c.own for c in maintenance.copies_on(heronmere.db, "attic", MILLPOND))


def test_a_listing_that_was_not_left_is_fetched_when_it_is_asked_for(
    heronmere: SampleRecords, handler: MaintenanceHandler
) -> None:
    name = heronmere.bundle(0)
    whole = heronmere.listing(name, text="old listing")
    task = begun(handler, "repack")
    manifest = bundle_of(0, listing_sha256="99" * 32).manifest
    handler.take(task, CopyRepacked(bundle=name, manifest=manifest))
    assert not whole.exists(), "the old one says where bytes are that are no more"


def test_unfinished_maintenance_is_found_again_and_cleared(
    heronmere: SampleRecords, handler: MaintenanceHandler
) -> None:
    heronmere.bundle(0)
    task = begun(handler, "repack")
    (found,) = handler.unfinished()
    assert (found.number, found.kind, found.exclusive) == (task.number, "repack", True)
    spool = heronmere.config.spool / f"maintenance-{task.number}"
    # Where the handler looks for what a worker has written.
    for place in (spool, handler._folder(task)):
        place.mkdir(parents=True)
    handler.clear(task)
    assert not spool.exists() and not handler._folder(task).exists()
    end(handler, task, Failure(outcome="interrupted", error="x"))
    assert handler.unfinished() == []


def test_the_numbers_of_repacking_are_kept(
    heronmere: SampleRecords, handler: MaintenanceHandler
) -> None:
    heronmere.bundle(0)
    task = begun(handler, "repack")
    end(handler, task, RepackResult(outcome="done", summary="x", pieces=3, unused=7, freed=9))
    found = maintenance.task(heronmere.db, task.number).result
    assert (found["pieces"], found["unused"], found["freed"]) == (3, 7, 9)
    assert "summary" not in found and "outcome" not in found
    verify = begun(handler)
    end(handler, verify, result("done"))
    assert maintenance.task(heronmere.db, verify.number).result == {}


def test_who_looks_sees_how_far_it_is_while_it_runs(
    heronmere: SampleRecords, handler: MaintenanceHandler, monkeypatch: pytest.MonkeyPatch
) -> None:
    heronmere.bundle(0)
    task = begun(handler)
    told = []
    monkeypatch.setattr(heronmere.events, "tell", lambda name, data, **more: told.append(data))
    task.progress = TaskProgress(Progress(stage="reading", entries=5, bytes=70, total=90))
    handler.show(task)
    shown = told[-1]
    assert (shown.stage, shown.entries, shown.bytes) == ("reading", 5, 70)
    end(handler, task, result("done"))
    handler.show(task)
    assert (told[-1].state, told[-1].bytes) == ("ended", 9), (
        "its own numbers, not the last progress"
    )
