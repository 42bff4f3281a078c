"""Starts at their time: once each, never for a job that is off, whatever goes wrong meanwhile."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

import pytest
from running import small_account, until

from fasciculus.core import schedule
from fasciculus.core.errors import SettingError
from fasciculus.core.scope import EVERYTHING
from fasciculus.models import HostInput, JobInput, Pause, StoreInput
from fasciculus.records import inventory, settings
from fasciculus.records.db import Records, stamp
from fasciculus.records.jobs import jobs, pauses
from fasciculus.records.paging import PageRequest
from fasciculus.records.runs import log_lines, runs
from fasciculus.records.secret_cipher import SecretCipher
from fasciculus.records.stores import stores
from fasciculus.service.background import loop as loop_module
from fasciculus.service.background import outbox as outbox_module
from fasciculus.service.background import scheduler as module
from fasciculus.service.background.outbox import Outbox, wait_after
from fasciculus.service.background.scheduler import Clock, Scheduler
from fasciculus.service.event_stream import EventStream
from fasciculus.service.tasks.backups import AlreadyRunningError, RunStart
from fasciculus.service.tasks.queue import Paused
from fasciculus.service.timetables import next_start


class Starts:
    """Takes starts; ``broken`` lets that many fail as a full disk would."""

    def __init__(self) -> None:
        self.keys, self.broken, self.paused, self.notes = [], 0, [], []

    def start_run(self, start: RunStart) -> int:
        if self.broken:
            self.broken -= 1
            raise sqlite3.OperationalError("database or disk is full")
        assert start.by_timetable
        self.keys.append((start.job, start.started_by, start.key))
        self.notes.append(start.note)
        return 1

    def pause(self, paused: Paused) -> None:
        self.paused.append(paused)


@pytest.fixture
def valley(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[Records]:
    monkeypatch.setattr(module, "_AFTER_FAILURE", 0.05)
    records, cipher = Records(tmp_path / "records.sqlite"), SecretCipher(tmp_path / "key")
    with records.write() as db:
        inventory.save_host(db, cipher, HostInput(name="reed-1"), "this machine")
        inventory.save_account(db, small_account(tmp_path, "millpond"))
        store = StoreInput(name="attic", settings={"kind": "folder", "folder": "/x"})
        stores.save_store(db, cipher, store, stores.ProvedStore("/x", "mark"))
    yield records
    records.close()


def job(records: Records, timetable: str = "* * * * *", missed: int = 0, **more: Any) -> None:
    """A job, and a scheduler that ran last N days ago."""
    with records.write() as db:
        jobs.save_job(db, JobInput(name="nightly", stores=["attic"], timetable=timetable, **more))
        last = datetime.now(UTC) - timedelta(days=missed)
        settings.put(db, "scheduler.last_look", stamp(last))


def scheduled(records: Records, starts: Refusing | Starts) -> Any:
    told = []
    found = Scheduler(records, starts, told.append)
    found.start()
    return found, told


def settled(scheduler: Scheduler) -> None:
    # It tells nobody when it has seen a change, and nobody but a test needs to know.
    until(lambda: not scheduler._stale)


def test_a_missed_start_is_made_up_for_once_however_many_were_missed(valley: Records) -> None:
    job(valley, "daily 02:15", missed=9)
    starts = Starts()
    scheduler, told = scheduled(valley, starts)
    until(lambda: starts.keys)
    scheduler.refresh()
    settled(scheduler)
    scheduler.stop()
    ((name, by, key),) = starts.keys
    assert "9 starts passed while the service was down" in starts.notes[0]
    assert name == "nightly" and "made up for" in by and key.startswith("timetable nightly 20")
    assert not told


class Wall(datetime):
    """A clock that can be set; ticks are those of the machine."""

    by = timedelta(0)

    @classmethod
    def now(cls, zone: Any = None) -> datetime:  # type: ignore[override]
        return datetime.now(zone) + cls.by


@pytest.fixture
def wall(monkeypatch: pytest.MonkeyPatch) -> Iterator[type[Any]]:
    monkeypatch.setattr(module, "datetime", Wall)
    yield Wall
    Wall.by = timedelta(0)


@pytest.mark.parametrize("days", [-9, -1, 1, 9])
def test_a_clock_that_is_set_loses_no_start_and_doubles_none(
    valley: Records, wall: type[Any], days: int
) -> None:
    """Set back, the starts until the old time come again; set forward, one is made up for."""
    job(valley, "daily 02:15")
    starts = Starts()
    scheduler, _ = scheduled(valley, starts)
    settled(scheduler)
    wall.by = timedelta(days=days)
    scheduler.refresh()
    said = until(lambda: scheduler.clock_trouble)
    assert ("forward" if days > 0 else "back") in said and f"{abs(days) * 24} h 00 min" in said

    def is_of_the_new_time() -> Any:
        following, now = scheduler.plan.soonest, wall.now(UTC)
        return following and now < following <= now + timedelta(days=1)

    until(is_of_the_new_time)
    # The plan is renewed just before due jobs start.
    until(lambda: len(starts.keys) == (1 if days > 0 else 0))
    assert all("passed when the clock was set forward" in note for note in starts.notes)
    scheduler.stop()


def test_a_clock_that_was_set_back_while_nobody_looked(valley: Records) -> None:
    job(valley, "* * * * *", missed=-30)
    starts = Starts()
    scheduler, _ = scheduled(valley, starts)
    assert "back" in until(lambda: scheduler.clock_trouble)
    settled(scheduler)
    until(lambda: scheduler.plan.soonest)
    assert scheduler.plan.soonest < datetime.now(UTC) + timedelta(minutes=2)
    scheduler.stop()


def test_a_clock_is_held_against_one_that_nobody_sets() -> None:
    clock = Clock()
    assert abs(clock.set_by(datetime.now(UTC))) < timedelta(seconds=2)
    assert (
        timedelta(days=2, seconds=2)
        > clock.set_by(datetime.now(UTC) + timedelta(days=2))
        > (timedelta(days=2, seconds=-2))
    )
    assert clock.set_by(datetime.now(UTC)) < timedelta(days=-1), "and back again"


def test_a_job_starts_a_second_time(valley: Records, monkeypatch: pytest.MonkeyPatch) -> None:
    job(valley, "* * * * *", missed=1)
    starts, moment = Starts(), [datetime(2026, 11, 24, 2, 0, 30, tzinfo=UTC)]
    found = Scheduler(valley, starts, lambda run: None)
    found.renew(moment[0])
    for minute in (1, 2, 2, 3):
        found.tick(datetime(2026, 11, 24, 2, minute, 1, tzinfo=UTC))
    assert [key.partition("T02:")[2][:5] for _, _, key in starts.keys] == [
        "01:00",
        "02:00",
        "03:00",
    ]


@pytest.mark.parametrize("change", [{"enabled": False}, {"timetable": "by hand"}])
def test_what_is_switched_off_or_by_hand_never_starts(
    valley: Records, change: dict[Any, Any]
) -> None:
    job(valley, **{"timetable": "daily 02:15", "missed": 3, **change})
    starts = Starts()
    scheduler, _ = scheduled(valley, starts)
    settled(scheduler)
    with valley.write() as db:
        jobs.save_job(db, JobInput(name="other", stores=["attic"], timetable="* * * * *"))
    scheduler.renew(datetime.now(UTC))
    due = scheduler.plan.due(datetime.now(UTC) + timedelta(minutes=2))
    scheduler.stop()
    assert {row.what for row in due} == {("job", "other")} and not starts.keys


def test_trouble_with_the_records_costs_no_start(valley: Records) -> None:
    job(valley, "daily 02:15", missed=2)
    starts = Starts()
    starts.broken = 3
    scheduler, _ = scheduled(valley, starts)
    until(lambda: starts.keys)
    assert scheduler.alive
    scheduler.stop()
    assert len(starts.keys) == 1


def test_when_it_last_looked_is_kept_so_that_nothing_is_made_up_for_twice(valley: Records) -> None:
    job(valley, "daily 02:15", missed=9)
    before = datetime.now(UTC)
    first = Starts()
    scheduler, _ = scheduled(valley, first)
    until(lambda: first.keys)
    until(lambda: datetime.fromisoformat(settings.get(valley.reader, module._KEY)) >= before)
    scheduler.stop()
    second = Starts()
    scheduler, _ = scheduled(valley, second)
    settled(scheduler)
    scheduler.stop()
    assert len(first.keys) == 1 and not second.keys


class Refusing:
    """Refuses every start."""

    def __init__(self, error: SettingError | AlreadyRunningError) -> None:
        self.error, self.asked = error, 0

    def start_run(self, start: RunStart) -> None:
        self.asked += 1
        raise self.error

    def pause(self, paused: Paused) -> None:
        pass


@pytest.mark.parametrize(
    ("error", "words"),
    [
        (AlreadyRunningError("nightly", 4), "Job “nightly” is running already, as run 4."),
        (SettingError("It covers nothing.", "Add an account."), "nothing. Add an account."),
    ],
)
def test_a_start_that_could_not_be_is_a_run_that_says_why(
    valley: Records, error: SettingError | AlreadyRunningError, words: str
) -> None:
    job(valley, "daily 02:15", missed=2)
    refusing = Refusing(error)
    scheduler, told = scheduled(valley, refusing)
    until(lambda: told)
    scheduler.stop()
    (run,) = runs.runs(valley.reader, EVERYTHING, PageRequest()).items
    assert (run.state, run.outcome, run.id) == ("ended", "skipped", told[0])
    assert run.sentence.startswith("nightly: not started.") and run.sentence.endswith(words)
    assert refusing.asked == 1, "not again until its next start"
    assert log_lines.first_of_run(valley.reader, run.id, 9)[0].text.endswith(words)


def test_it_wakes_for_a_changed_job_and_for_its_end(valley: Records) -> None:
    """Not only when its long pause is over."""
    starts = Starts()
    scheduler, _ = scheduled(valley, starts)
    settled(scheduler)
    job(valley, "* * * * *", missed=0)
    scheduler.refresh()
    until(lambda: scheduler.plan.soonest)
    scheduler.stop()
    assert not scheduler.alive


def test_the_next_start_of_a_job_by_hand_or_paused_is_none(valley: Records) -> None:
    now = datetime(2026, 11, 24, tzinfo=UTC)
    job(valley, "daily 02:15")
    nightly = jobs.job(valley.reader, "nightly")
    assert next_start(nightly, [], now) == now + timedelta(hours=2, minutes=15)
    by_hand = nightly.model_copy(update={"timetable": "by hand"})
    off = nightly.model_copy(update={"enabled": False})
    assert next_start(by_hand, [], now) is None and next_start(off, [], now) is None
    forever = Pause(job="nightly", since=now)
    assert next_start(nightly, [forever], now) is None
    days = Pause(job="", until=now + timedelta(days=3), since=now)
    assert next_start(nightly, [days], now) == now + timedelta(days=3, hours=2, minutes=15)
    assert next_start(nightly, [days, forever], now) is None, "the longest of them counts"


def test_missed_starts_are_skipped_where_the_job_says_so_and_that_is_said(valley: Records) -> None:
    job(valley, "daily 02:15", missed=9, starting={"missed": "skip"})
    starts = Starts()
    scheduler, told = scheduled(valley, starts)
    until(lambda: told)
    scheduler.stop()
    (run,) = runs.runs(valley.reader, EVERYTHING, PageRequest()).items
    assert run.outcome == "skipped" and not starts.keys
    assert "9 starts passed while the service was down: not caught up" in run.sentence


def test_a_week_of_a_driven_clock_starts_each_once_across_a_pause_and_restarts(
    valley: Records,
) -> None:
    """Restarts in between lose nothing and double nothing."""
    now = datetime(2026, 3, 25, tzinfo=UTC)
    with valley.write() as db:
        for number in range(40):
            table = f"daily {number % 24:02d}:{number:02d}; weekly sun 01:30"
            jobs.save_job(
                db,
                JobInput(
                    name=f"job-{number}", stores=["attic"], timetable=table, zone="Europe/London"
                ),
            )
        pauses.pause(db, "job-3", now + timedelta(days=3), "moving house", "tests")
    starts, end, tick = Starts(), now + timedelta(days=7), 0
    while now < end:
        if tick % 61 == 0:
            found = Scheduler(valley, starts, lambda run: None)
            found.renew(
                datetime.fromisoformat(settings.get(valley.reader, module._KEY) or stamp(now))
            )
        now, tick = min(max(found.plan.soonest, now + timedelta(seconds=20)), end), tick + 1  # type: ignore[assignment, type-var]
        found.tick(now)
    begin = end - timedelta(days=7)
    expected = {
        f"timetable {row.name} {stamp(moment)}"
        for row in jobs.jobs(valley.reader)
        for moment in schedule.next_starts(
            schedule.parse(row.timetable), ZoneInfo(row.zone), begin, 12
        )
        if moment <= end and (row.name != "job-3" or moment >= begin + timedelta(days=3))
    }
    keys = [key for _, _, key in starts.keys]
    assert len(keys) == len(set(keys)) and set(keys) == expected and len(keys) > 300
    assert any("job-3" in paused.jobs for paused in starts.paused)
    assert not starts.paused[-1].jobs


def test_the_outbox_outlives_surprises(
    valley: Records, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(loop_module, "_AFTER_FAILURE", 0.02)
    asked = []

    def due(db: Any) -> list[Any]:
        asked.append("due")
        if len(asked) < 3:
            raise sqlite3.OperationalError("locked")
        return []

    def next_due(db: Any) -> None:
        asked.append("next")
        raise sqlite3.OperationalError("locked")

    monkeypatch.setattr(outbox_module.reports, "due", due)
    monkeypatch.setattr(outbox_module.reports, "next_due", next_due)
    found = Outbox(valley, SecretCipher(tmp_path / "k"), EventStream())
    found.start()
    until(lambda: asked.count("next") > 2)
    assert found.loop.alive
    found.stop()
    assert not found.loop.alive


def test_tries_come_apart_but_never_end() -> None:
    waits = [wait_after(n) for n in range(40)]
    assert waits[:3] == [30, 60, 120] and waits == sorted(waits) and waits[-1] == 1800
