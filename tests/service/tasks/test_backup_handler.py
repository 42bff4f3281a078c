"""Tasks of runs in the records: started, reported, ended, and resumed."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from typing import Any

import pytest
import time_machine
from sample_records import MILLPOND, SampleRecords, bundle_of

from fasciculus.contracts.events import CopyResult, CopyRetired, Log
from fasciculus.contracts.orders import BackupOrder, ReleaseOrder
from fasciculus.contracts.results import BackupResult, Failure
from fasciculus.core.bundle.manifest import DiffCounts
from fasciculus.core.errors import FasciculusError, MissingError, SettingError
from fasciculus.core.scope import EVERYTHING
from fasciculus.records import inventory
from fasciculus.records.bundles import bundles
from fasciculus.records.db import UnwritableError
from fasciculus.records.jobs import jobs, pauses
from fasciculus.records.paging import PageRequest
from fasciculus.records.runs import log_lines, runs
from fasciculus.service.tasks.backups import (
    AlreadyRunningError,
    BackupHandler,
    PausedError,
    RunStart,
)
from fasciculus.service.tasks.queued import QueuedBackup
from fasciculus.worker.pool import WorkerPool


@pytest.fixture
def handler(heronmere: SampleRecords) -> Any:
    found = BackupHandler(heronmere.config, heronmere.records, heronmere.cipher, heronmere.events)
    found.collect = WorkerPool().collect
    found.ended_runs = []  # type: ignore[attr-defined]
    found.on_run_ended = found.ended_runs.append  # type: ignore[attr-defined]
    return found


def started(heronmere: SampleRecords, handler: BackupHandler, **fields: Any) -> Any:
    """A begun task of a run of one account, and its order."""
    heronmere.job(**fields)
    _, tasks = handler.queue_run(RunStart("nightly", "test"))
    return tasks[0], handler.begin(tasks[0])


def all_bundles(heronmere: SampleRecords) -> list[Any]:
    return bundles.bundles(heronmere.db, EVERYTHING, PageRequest()).items


def end(handler: BackupHandler, task: QueuedBackup, result: BackupResult) -> None:
    for write in handler.endings(task, result):
        write()


# Starting -------------------------------------------------------------------------


def test_a_run_has_a_task_for_each_subject_with_its_own_host(
    heronmere: SampleRecords, handler: BackupHandler
) -> None:
    heronmere.host("sedge-2", max_concurrent=3)
    heronmere.account("ferryline", host="sedge-2")
    heronmere.job()
    run, tasks = handler.queue_run(RunStart("nightly", "test"))
    found = {task.subject: (task.host, task.run) for task in tasks}
    assert found == {
        ("account", "ferryline"): ("sedge-2", run),
        MILLPOND: ("reed-1", run),
    }
    assert {task.subject[1]: task.max_concurrent for task in tasks}["ferryline"] == 3
    assert all(task.exclusive and task.lane == "work" for task in tasks)


def test_names_are_looked_up_with_their_kind(
    heronmere: SampleRecords, handler: BackupHandler
) -> None:
    """An account that is called like a site of another host runs on its own host."""
    heronmere.host("sedge-2")
    heronmere.account("mill.example", host="sedge-2")
    heronmere.job(choice="listed", names=["mill.example"])
    _, (task,) = handler.queue_run(RunStart("nightly", "test"))
    assert (task.subject, task.host) == (("account", "mill.example"), "sedge-2")
    heronmere.job("of-sites", subjects="sites", choice="listed", names=["mill.example"])
    _, (task,) = handler.queue_run(RunStart("of-sites", "test"))
    assert (task.subject, task.host) == (("site", "mill.example"), "reed-1")
    heronmere.job("of-hosts", subjects="hosts", contents=["system"])
    _, tasks = handler.queue_run(RunStart("of-hosts", "test"))
    assert {task.subject[1]: task.host for task in tasks} == {
        "reed-1": "reed-1",
        "sedge-2": "sedge-2",
    }


def test_a_job_runs_once_at_a_time_and_again_when_it_has_ended(
    heronmere: SampleRecords, handler: BackupHandler
) -> None:
    task, _ = started(heronmere, handler)
    with pytest.raises(AlreadyRunningError) as caught:
        handler.queue_run(RunStart("nightly", "test"))
    assert caught.value.run_id == task.run and f"runs follow {task.run}" in caught.value.hint
    end(handler, task, Failure(outcome="failed", error="x"))
    with heronmere.records.write() as db:
        runs.end(db, task.run, "failed", "x")
    second, tasks = handler.queue_run(RunStart("nightly", "test"))
    assert second != task.run and len(tasks) == 1


def test_one_key_is_one_run(heronmere: SampleRecords, handler: BackupHandler) -> None:
    heronmere.job()
    run, tasks = handler.queue_run(RunStart("nightly", "timetable", "nightly@02:15"))
    assert len(tasks) == 1
    assert handler.queue_run(RunStart("nightly", "timetable", "nightly@02:15")) == (run, [])
    with heronmere.records.write() as db:
        runs.end(db, run, "done", "")
    assert handler.queue_run(RunStart("nightly", "timetable", "nightly@02:15")) == (run, []), (
        "also later"
    )


def test_a_job_that_covers_nothing_leaves_no_run(
    heronmere: SampleRecords, handler: BackupHandler
) -> None:
    heronmere.job(subjects="sites", choice="all_but", names=["mill.example", "pond.example"])
    with pytest.raises(SettingError, match="covers nothing"):
        handler.queue_run(RunStart("nightly", "test"))
    assert not runs.runs(heronmere.db, EVERYTHING, PageRequest()).items
    with pytest.raises(MissingError):
        handler.queue_run(RunStart("night", "test"))


# Events ---------------------------------------------------------------------------


def test_a_bundle_is_recorded_on_the_stores_that_took_it(
    heronmere: SampleRecords, handler: Any
) -> None:
    task, order = started(heronmere, handler, stores=["attic", "boathouse"])
    assert isinstance(order, BackupOrder) and task.shown.state == "running"
    handler.take(task, CopyResult(store="attic", error="", kept=1))
    handler.take(task, CopyResult(store="boathouse", error="It is full.", kept=0))
    made = bundle_of(0, changes=DiffCounts(new=3))
    end(handler, task, made)
    (found,) = all_bundles(heronmere)
    assert found.name == made.bundle and [copy.store for copy in found.copies] == ["attic"]
    assert (found.host, found.job, found.run) == ("reed-1", "nightly", task.run)
    shown = runs.task(heronmere.db, task.number)
    assert (shown.state, shown.outcome, shown.bundle) == ("ended", "done", made.bundle)
    assert {copy.store: copy.error for copy in shown.copies} == {
        "attic": "",
        "boathouse": "It is full.",
    }
    assert shown.changes.new == 3 and handler.ended_runs == [task.run]


def test_a_bundle_of_a_store_that_was_removed_meanwhile(
    heronmere: SampleRecords, handler: BackupHandler
) -> None:
    task, _ = started(heronmere, handler)
    handler.take(task, CopyResult(store="attic", error="", kept=1))
    task.store_ids = {}
    end(handler, task, bundle_of(0))
    assert [row.copies for row in all_bundles(heronmere)] == [[]]


def test_a_failure_makes_no_bundle(heronmere: SampleRecords, handler: BackupHandler) -> None:
    task, _ = started(heronmere, handler)
    handler.take(task, Log("warning", "odd: a socket"))
    end(handler, task, Failure(outcome="failed", error="The home folder does not exist."))
    assert all_bundles(heronmere) == []
    shown = runs.task(heronmere.db, task.number)
    assert (shown.outcome, shown.error) == ("failed", "The home folder does not exist.")
    assert shown.warnings == ["odd: a socket"]


def test_an_ending_may_be_written_twice(heronmere: SampleRecords, handler: BackupHandler) -> None:
    """As when the disk was full between the two writes of an ending."""
    task, _ = started(heronmere, handler)
    first, *others = handler.endings(task, Failure(outcome="failed", error="x"))
    for write in (first, first, *others):
        write()
    assert runs.task(heronmere.db, task.number).error == "x"


def test_a_copy_that_is_told_twice_is_one_copy(
    heronmere: SampleRecords, handler: BackupHandler, monkeypatch: pytest.MonkeyPatch
) -> None:
    """As when the disk was full at first: the bundle must be recorded all the same."""
    task, _ = started(heronmere, handler)

    def full(*_: Any) -> None:
        raise UnwritableError(heronmere.config.records, OSError("full"), damaged=False)

    with monkeypatch.context() as patched:
        patched.setattr(runs, "copied", full)
        with pytest.raises(UnwritableError):
            handler.take(task, CopyResult("attic", "", 1))
    for _ in range(2):
        handler.take(task, CopyResult("attic", "", 1))
    assert task.good_stores == {"attic": ""}


def test_a_run_ends_with_its_last_task(heronmere: SampleRecords, handler: Any) -> None:
    heronmere.account("ferryline")
    heronmere.job()
    _, (one, two) = handler.queue_run(RunStart("nightly", "test"))
    for task in (one, two):
        handler.begin(task)
    end(handler, one, bundle_of(0))
    assert handler.ended_runs == []
    end(handler, two, bundle_of(1))
    assert handler.ended_runs == [one.run]


# Listings next to the records ------------------------------------------------------


def test_the_listing_and_states_of_a_bundle_are_put_in_their_place(
    heronmere: SampleRecords, handler: BackupHandler
) -> None:
    before = heronmere.bundle(0)
    old = heronmere.config.states(*MILLPOND, before)
    heronmere.listing(before)
    old.write_text("of the night before")
    task, order = started(heronmere, handler, mode="incremental")
    for path, text in ((order.listing, "listing"), (order.states, "states")):
        with open(path, "w") as file:
            file.write(text)
    made = bundle_of(1)
    end(handler, task, made)
    config = heronmere.config
    assert config.listing(*MILLPOND, made.bundle).read_text() == "listing"
    assert config.states(*MILLPOND, made.bundle).read_text() == "states"
    assert not old.exists(), "of no use any more"
    assert config.listing(*MILLPOND, before).exists()
    assert list(config.under_way.iterdir()) == []


def retire(heronmere: SampleRecords, handler: BackupHandler, *stores: Any) -> Any:
    task, _ = started(heronmere, handler)
    for store in stores:
        handler.take(task, CopyRetired(store=store, bundle=bundle_of(0).bundle))
    return runs.task(heronmere.db, task.number)


def test_a_copy_that_retired_is_forgotten_and_the_bundle_with_its_last(
    heronmere: SampleRecords, handler: BackupHandler
) -> None:
    name = heronmere.bundle(0, on=("attic", "boathouse"))
    whole = heronmere.listing(name)
    own = [heronmere.listing(f"{name}@{store}") for store in ("attic", "boathouse")]
    states = heronmere.config.states(*MILLPOND, name)
    states.write_text("x")
    shown = retire(heronmere, handler, "attic")
    assert {copy.store: copy.retired for copy in shown.copies} == {"attic": 1}
    (found,) = all_bundles(heronmere)
    assert [copy.store for copy in found.copies] == ["boathouse"]
    assert [path.exists() for path in (whole, *own, states)] == [True, False, True, True]


def test_the_last_copy_takes_the_bundle_along(
    heronmere: SampleRecords, handler: BackupHandler
) -> None:
    name = heronmere.bundle(0)
    other = heronmere.bundle(1)
    whole, kept = heronmere.listing(name), heronmere.listing(other)
    retire(heronmere, handler, "attic")
    assert [row.name for row in all_bundles(heronmere)] == [other]
    assert not whole.exists() and kept.exists()


def test_bundles_of_one_name_of_other_subjects_are_left_alone(
    heronmere: SampleRecords, handler: BackupHandler
) -> None:
    heronmere.account("ferryline")
    heronmere.bundle(0)
    heronmere.bundle(0, subject=("account", "ferryline"))
    heronmere.bundle(0, subject=("site", "millpond"))
    kept = heronmere.listing(bundle_of(0).bundle, ("account", "ferryline"))
    heronmere.job(choice="listed", names=["millpond"])
    _, (task,) = handler.queue_run(RunStart("nightly", "test"))
    handler.take(task, CopyRetired(store="attic", bundle=bundle_of(0).bundle))
    assert {(row.subject_kind, row.subject) for row in all_bundles(heronmere)} == {
        ("account", "ferryline"),
        ("site", "millpond"),
    }
    assert kept.exists()


# After trouble --------------------------------------------------------------------


def test_a_hold_page_is_taken_away_after_a_worker_that_broke_off(
    heronmere: SampleRecords, handler: BackupHandler
) -> None:
    heronmere.host("reed-2", hold_flag="/run/{account}.hold")
    heronmere.account("ferryline", host="reed-2")
    heronmere.job(choice="listed", names=["ferryline"], hold_page=True)
    _, (task,) = handler.queue_run(RunStart("nightly", "test"))
    carried = []
    handler.after_failure(task, carried.append)
    assert carried == [], "it had not begun"
    order = handler.begin(task)
    handler.after_failure(task, carried.append)
    (release,) = carried
    assert isinstance(release, ReleaseOrder) and release.hold_flags == ["/run/ferryline.hold"]
    assert release.host == order.host and release.spool == order.spool


def test_no_hold_page_needs_no_release(heronmere: SampleRecords, handler: BackupHandler) -> None:
    task, _ = started(heronmere, handler)
    handler.after_failure(task, lambda order: pytest.fail("nothing to release"))


def test_what_was_left_unfinished_is_found_again(
    heronmere: SampleRecords, handler: BackupHandler
) -> None:
    heronmere.host("reed-2", hold_flag="/run/{account}.hold")
    for name in ("ferryline", "lanternchoir"):
        heronmere.account(name, host="reed-2")
    heronmere.job(choice="listed", names=["ferryline", "lanternchoir"], hold_page=True)
    run, (one, two) = handler.queue_run(RunStart("nightly", "test"))
    handler.begin(one)
    found = {task.number: task for task in handler.unfinished()}
    assert set(found) == {one.number, two.number}
    assert found[one.number].order.hold_flags == ["/run/ferryline.hold"]
    assert found[two.number].order is None, "it has set none yet"
    assert all(task.run == run and task.job.name == "nightly" for task in found.values())


def test_a_task_whose_job_or_account_is_gone_is_found_all_the_same(
    heronmere: SampleRecords, handler: BackupHandler
) -> None:
    task, _ = started(heronmere, handler, hold_page=True)
    with heronmere.records.write() as db:
        inventory.remove_account(db, "millpond")
    (found,) = handler.unfinished()
    assert found.number == task.number and found.order is None
    with heronmere.records.write() as db:
        jobs.remove_job(db, "nightly")
    (found,) = handler.unfinished()
    assert found.job is None


def test_a_run_whose_tasks_had_all_ended_is_ended(heronmere: SampleRecords, handler: Any) -> None:
    task, _ = started(heronmere, handler)
    handler.end_empty_runs()
    assert handler.ended_runs == []
    with heronmere.records.write() as db:
        runs.end_task(db, task.number, "interrupted")
    handler.end_empty_runs()
    assert handler.ended_runs == [task.run]


def test_what_it_left_on_this_machine_is_removed(
    heronmere: SampleRecords, handler: BackupHandler
) -> None:
    task, order = started(heronmere, handler)
    spool = heronmere.config.spool / f"task-{task.number}"
    (spool / "pieces").mkdir(parents=True)
    other = heronmere.config.spool / "task-999"
    other.mkdir()
    handler.clear(task)
    assert not spool.exists() and other.exists() and order.spool == str(spool)


# By the timetable -------------------------------------------------------------------


NIGHT = datetime(2026, 11, 26, 2, tzinfo=UTC)


def by_timetable(
    heronmere: SampleRecords, handler: BackupHandler, moment: datetime = NIGHT, **fields: Any
) -> tuple[Any, ...]:
    heronmere.job(**fields)
    with time_machine.travel(moment, tick=False):
        return handler.queue_run(RunStart("nightly", "timetable", by_timetable=True))


def test_the_subjects_of_a_run_begin_evenly_over_the_spread(
    heronmere: SampleRecords, handler: BackupHandler
) -> None:
    for number in range(3):
        heronmere.account(f"pool-{number}")
    run, tasks = by_timetable(heronmere, handler, starting={"spread": 60})
    times = sorted(task.not_before or NIGHT for task in tasks)
    assert times == [NIGHT + timedelta(minutes=15 * n) for n in range(4)]
    with heronmere.records.write() as db:
        runs.end(db, run, "done", "")
    _, again = by_timetable(heronmere, handler, NIGHT + timedelta(days=1), starting={"spread": 60})
    day = timedelta(days=1)
    assert {t.subject: t.not_before and t.not_before + day for t in tasks} == {
        t.subject: t.not_before for t in again
    }, "each at its own time, every night"
    with heronmere.records.write() as db:
        for number in runs.unended(db):
            runs.end(db, number, "done", "")
    assert all(t.not_before is None for t in handler.queue_run(RunStart("nightly", "a person"))[1])


def test_what_is_caught_up_waits_for_the_hours_and_ends_with_them(
    heronmere: SampleRecords, handler: BackupHandler
) -> None:
    noon = NIGHT.replace(hour=12)
    _, tasks = by_timetable(heronmere, handler, noon, starting={"hours": "22:00-05:00"})
    begin, end = NIGHT.replace(hour=22), NIGHT.replace(day=27, hour=5)
    assert [(task.not_before, task.not_after) for task in tasks] == [(begin, end)]
    assert "22:00-05:00" in tasks[0].expiry


def test_a_failure_that_may_pass_is_tried_again_so_often_and_no_other(
    heronmere: SampleRecords, handler: BackupHandler
) -> None:
    passing = Failure(outcome="failed", error="No answer.", passing=True)
    _, (task,) = by_timetable(heronmere, handler, limits={"retries": 2, "pause": 5})
    for _ in range(2):
        handler.begin(task)
        assert handler.again(task, Failure(outcome="failed", error="Refused.")) is None
        moment = handler.again(task, passing)
        assert timedelta(minutes=4) < moment - datetime.now(UTC) <= timedelta(minutes=5)
        assert runs.task(heronmere.db, task.number).state == "queued"
    handler.begin(task)
    assert handler.again(task, passing) is None, "enough is enough"
    lines = [line.text for line in log_lines.first_of_run(heronmere.db, task.run, 9)]
    assert "No answer. It is tried again in 5 minutes (1 of 2 retries)." in lines
    task.by_itself = False
    assert handler.again(task, passing) is None, "the person waiting for it sees it fail"


def test_nothing_is_tried_again_beyond_its_hours(
    heronmere: SampleRecords, handler: BackupHandler
) -> None:
    passing = Failure(outcome="failed", error="No answer.", passing=True)
    _, (task,) = by_timetable(heronmere, handler)
    handler.begin(task)
    task.not_after = datetime.now(UTC) + timedelta(minutes=9)
    assert handler.again(task, passing) is None
    task.not_after += timedelta(minutes=2)
    assert handler.again(task, passing) is not None


def test_limits_of_task_and_run_are_deadlines(
    heronmere: SampleRecords, handler: BackupHandler
) -> None:
    heronmere.account("ferryline")
    _, (one, two) = by_timetable(heronmere, handler, limits={"task": 10, "run": 15})
    with time_machine.travel(NIGHT, tick=False) as clock:
        handler.begin(one)
        assert one.deadline == NIGHT + timedelta(minutes=10) and "(10 minutes)" in one.overdue
        clock.move_to(NIGHT + timedelta(minutes=8))
        handler.begin(two)
        assert two.deadline == NIGHT + timedelta(minutes=15) and "The run took" in two.overdue
        clock.move_to(NIGHT + timedelta(minutes=15))
        with pytest.raises(
            FasciculusError, match=r"The run took longer than its job allows \(15 minutes\)"
        ):
            handler.begin(two)


@pytest.mark.parametrize(
    ("overlap", "second", "third"),
    [("skip", False, False), ("wait", True, False), ("cancel", True, True)],
)
def test_what_becomes_of_a_start_while_the_previous_run_goes_on(
    heronmere: SampleRecords, handler: BackupHandler, overlap: str, second: bool, third: bool
) -> None:
    by_timetable(heronmere, handler, starting={"overlap": overlap})
    for allowed in (second, third):
        if allowed:
            by_timetable(heronmere, handler, starting={"overlap": overlap})
        else:
            with pytest.raises(AlreadyRunningError):
                by_timetable(heronmere, handler, starting={"overlap": overlap})
    with pytest.raises(AlreadyRunningError):
        handler.queue_run(RunStart("nightly", "a person"))


def test_what_is_paused_is_not_started_by_anybody(
    heronmere: SampleRecords, handler: BackupHandler
) -> None:
    heronmere.job()
    with heronmere.records.write() as db:
        pauses.pause(db, pauses.ALL, None, "moving house", "tests")
    with pytest.raises(PausedError) as caught:
        handler.queue_run(RunStart("nightly", "a person"))
    assert caught.value.sentence() == (
        "Everything is paused: moving house. Lift the pause first (fasciculus jobs resume --all)."
    )
    with heronmere.records.write() as db:
        assert pauses.lift(db, pauses.ALL) and not pauses.lift(db, pauses.ALL)
    assert handler.queue_run(RunStart("nightly", "a person"))[1]


def test_only_some_subjects_and_a_name_of_its_own(
    heronmere: SampleRecords, handler: BackupHandler
) -> None:
    heronmere.account("ferryline")
    heronmere.job()
    named = runs.RunOptions(names=("ferryline",), label="Before the update!", keep_days=9)
    with pytest.raises(SettingError, match="does not cover “mill”"):
        handler.queue_run(RunStart("nightly", "test"), runs.RunOptions(names=("mill",)))
    _, (task,) = handler.queue_run(RunStart("nightly", "test"), named)
    order = handler.begin(task)
    assert task.subject == ("account", "ferryline") and order.label == "before-the-update"
    end(handler, task, bundle_of(1))
    (bundle,) = all_bundles(heronmere)
    assert bundle.label == bundle.pin.reason == "Before the update!"
    left = bundle.pin.until - datetime.now(UTC)
    assert timedelta(days=8, hours=23) < left <= timedelta(days=9)
