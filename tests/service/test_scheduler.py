"""Starts at their time: once each, never for a job that is off, whatever goes wrong meanwhile."""

import sqlite3
from datetime import UTC, datetime, timedelta

import pytest
from running import small_account, until

from fasciculus.core.errors import SettingError
from fasciculus.models import HostInput, JobInput, StoreInput
from fasciculus.records import inventory, jobs, runs, settings, stores
from fasciculus.records.db import Records, stamp
from fasciculus.records.encryption import SecretCipher
from fasciculus.records.paging import PageRequest
from fasciculus.service.background import outbox as outbox_module
from fasciculus.service.background import scheduler as module
from fasciculus.service.background.outbox import Outbox, wait_after
from fasciculus.service.background.scheduler import Clock, Scheduler, next_start
from fasciculus.service.event_stream import EventStream
from fasciculus.service.tasks.backups import AlreadyRunningError


class Starts:
    """Takes starts; ``broken`` lets that many fail as a full disk would."""

    def __init__(self):
        self.keys, self.broken = [], 0

    def start_run(self, name, by, key):
        if self.broken:
            self.broken -= 1
            raise sqlite3.OperationalError("database or disk is full")
        self.keys.append((name, by, key))


@pytest.fixture
def valley(tmp_path, monkeypatch):
    monkeypatch.setattr(module, "_AFTER_FAILURE", 0.05)
    records, cipher = Records(tmp_path / "records.sqlite"), SecretCipher(tmp_path / "key")
    with records.write() as db:
        inventory.save_host(db, cipher, HostInput(name="reed-1"), "this machine")
        inventory.save_account(db, small_account(tmp_path, "millpond"))
        store = StoreInput(name="attic", settings={"kind": "folder", "folder": "/x"})
        stores.save_store(db, cipher, store, stores.ProvedStore("/x", "mark"))
    yield records
    records.close()


def job(records, timetable="* * * * *", missed=0, **more):
    """A job, and a scheduler that looked last so many days ago."""
    with records.write() as db:
        jobs.save_job(db, JobInput(name="nightly", stores=["attic"], timetable=timetable, **more))
        last = datetime.now(UTC) - timedelta(days=missed)
        settings.put(db, "scheduler.last_look", stamp(last))


def scheduled(records, starts):
    told = []
    found = Scheduler(records, starts, told.append)
    found.start()
    return found, told


def test_a_missed_start_is_made_up_for_once_however_many_were_missed(valley):
    job(valley, "daily 02:15", missed=9)
    starts = Starts()
    scheduler, told = scheduled(valley, starts)
    until(lambda: starts.keys)
    scheduler.refresh()
    until(lambda: not scheduler._stale)
    scheduler.stop()
    ((name, by, key),) = starts.keys
    assert name == "nightly" and "made up for" in by and key.startswith("timetable nightly 20")
    assert not told


class Wall(datetime):
    """A clock that can be set; ticks are those of the machine."""

    by = timedelta(0)

    @classmethod
    def now(cls, zone=None):
        return datetime.now(zone) + cls.by


@pytest.fixture
def wall(monkeypatch):
    monkeypatch.setattr(module, "datetime", Wall)
    yield Wall
    Wall.by = timedelta(0)


@pytest.mark.parametrize("days", [-9, -1, 1, 9])
def test_a_clock_that_is_set_loses_no_start_and_doubles_none(valley, wall, days):
    """Set back, the starts until the old time come again; set forward, one is made up for."""
    job(valley, "daily 02:15")
    starts = Starts()
    scheduler, _ = scheduled(valley, starts)
    until(lambda: not scheduler._stale)
    wall.by = timedelta(days=days)
    scheduler.refresh()
    said = until(lambda: scheduler.clock_trouble)
    assert ("forward" if days > 0 else "back") in said and f"{abs(days) * 24} h 00 min" in said
    until(lambda: not scheduler._stale and scheduler._heap)
    (following, _, _), now = scheduler._heap[0], wall.now(UTC)
    assert now < following <= now + timedelta(days=1), "the next start is that of the new time"
    assert len(starts.keys) == (1 if days > 0 else 0)
    scheduler.stop()


def test_a_clock_that_was_set_back_while_nobody_looked(valley):
    job(valley, "* * * * *", missed=-30)
    starts = Starts()
    scheduler, _ = scheduled(valley, starts)
    assert "back" in until(lambda: scheduler.clock_trouble)
    until(lambda: not scheduler._stale and scheduler._heap)
    assert scheduler._heap[0][0] < datetime.now(UTC) + timedelta(minutes=2)
    scheduler.stop()


def test_a_clock_is_held_against_one_that_nobody_sets():
    clock = Clock()
    assert abs(clock.set_by(datetime.now(UTC))) < timedelta(seconds=2)
    assert (
        timedelta(days=2, seconds=2)
        > clock.set_by(datetime.now(UTC) + timedelta(days=2))
        > (timedelta(days=2, seconds=-2))
    )
    assert clock.set_by(datetime.now(UTC)) < timedelta(days=-1), "and back again"


def test_a_job_starts_a_second_time(valley, monkeypatch):
    job(valley, "* * * * *", missed=1)
    starts, moment = Starts(), [datetime(2026, 11, 24, 2, 0, 30, tzinfo=UTC)]
    found = Scheduler(valley, starts, lambda run: None)
    found._heap = found._next_starts(moment[0])
    for minute in (1, 2, 2, 3):
        found._start_due(datetime(2026, 11, 24, 2, minute, 1, tzinfo=UTC))
    assert [key.partition("T02:")[2][:5] for _, _, key in starts.keys] == [
        "01:00",
        "02:00",
        "03:00",
    ]


@pytest.mark.parametrize("change", [{"enabled": False}, {"timetable": "by hand"}])
def test_what_is_switched_off_or_by_hand_never_starts(valley, change):
    job(valley, **{"timetable": "daily 02:15", "missed": 3, **change})
    starts = Starts()
    scheduler, _ = scheduled(valley, starts)
    until(lambda: not scheduler._stale)
    with valley.write() as db:
        jobs.save_job(db, JobInput(name="other", stores=["attic"], timetable="* * * * *"))
    found = scheduler._next_starts(datetime.now(UTC))
    scheduler.stop()
    assert [name for _, _, name in found] == ["other"] and not starts.keys


def test_trouble_with_the_records_costs_no_start(valley):
    job(valley, "daily 02:15", missed=2)
    starts = Starts()
    starts.broken = 3
    scheduler, _ = scheduled(valley, starts)
    until(lambda: starts.keys)
    assert scheduler.alive
    scheduler.stop()
    assert len(starts.keys) == 1


def test_when_it_last_looked_is_kept_so_that_nothing_is_made_up_for_twice(valley):
    job(valley, "daily 02:15", missed=9)
    before = datetime.now(UTC)
    first = Starts()
    scheduler, _ = scheduled(valley, first)
    until(lambda: first.keys)
    until(lambda: datetime.fromisoformat(settings.get(valley.reader, module._KEY)) >= before)
    scheduler.stop()
    second = Starts()
    scheduler, _ = scheduled(valley, second)
    until(lambda: not scheduler._stale)
    scheduler.stop()
    assert len(first.keys) == 1 and not second.keys


class Refusing:
    """Refuses every start."""

    def __init__(self, error):
        self.error, self.asked = error, 0

    def start_run(self, name, by, key):
        self.asked += 1
        raise self.error


@pytest.mark.parametrize(
    ("error", "words"),
    [
        (AlreadyRunningError("nightly", 4), "Job “nightly” is running already, as run 4."),
        (SettingError("It covers nothing.", "Add an account."), "nothing. Add an account."),
    ],
)
def test_a_start_that_could_not_be_is_a_run_that_says_why(valley, error, words):
    job(valley, "daily 02:15", missed=2)
    refusing = Refusing(error)
    scheduler, told = scheduled(valley, refusing)
    until(lambda: told)
    scheduler.stop()
    (run,) = runs.runs(valley.reader, PageRequest()).items
    assert (run.state, run.outcome, run.id) == ("ended", "skipped", told[0])
    assert run.sentence.startswith("nightly: not started.") and run.sentence.endswith(words)
    assert refusing.asked == 1, "not again until its next start"
    assert runs.raw_log(valley.reader, run.id, 9)[0].text.endswith(words)


def test_it_wakes_for_a_changed_job_and_for_its_end(valley):
    """Not only when its long pause is over."""
    starts = Starts()
    scheduler, _ = scheduled(valley, starts)
    until(lambda: not scheduler._stale)
    job(valley, "* * * * *", missed=0)
    scheduler.refresh()
    until(lambda: scheduler._heap)
    assert scheduler._heap[0][1:] == ("job", "nightly")
    scheduler.stop()
    assert not scheduler._thread.is_alive() and not scheduler.alive


def test_the_next_start_of_a_job_by_hand_is_none():
    by_hand = JobInput(name="n", stores=["attic"], timetable="by hand")
    assert next_start(by_hand.timetable, by_hand.zone, datetime.now(UTC)) is None


def test_the_outbox_outlives_surprises(valley, tmp_path, monkeypatch):
    monkeypatch.setattr(outbox_module, "_FIRST_WAIT", 0.02)
    asked = []

    def due(db):
        asked.append("due")
        if len(asked) < 3:
            raise sqlite3.OperationalError("locked")
        return []

    def next_due(db):
        asked.append("next")
        raise sqlite3.OperationalError("locked")

    monkeypatch.setattr(outbox_module.reports, "due", due)
    monkeypatch.setattr(outbox_module.reports, "next_due", next_due)
    found = Outbox(valley, SecretCipher(tmp_path / "k"), EventStream())
    found.start()
    until(lambda: asked.count("next") > 2)
    assert found._thread.is_alive()
    found.stop()
    assert not found._thread.is_alive()


def test_tries_come_apart_but_never_end():
    waits = [wait_after(n) for n in range(40)]
    assert waits[:3] == [30, 60, 120] and waits == sorted(waits) and waits[-1] == 1800
