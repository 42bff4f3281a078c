"""Tasks from queued to ended, with workers that only seem to work."""

from __future__ import annotations

import sqlite3
import threading
from collections.abc import Iterator
from contextlib import contextmanager, nullcontext
from datetime import UTC, datetime, timedelta
from functools import partial
from typing import Any

import pytest
from running import until

from fasciculus.contracts.events import Log, Progress
from fasciculus.contracts.orders import ReleaseOrder
from fasciculus.contracts.results import Failure, ReleaseResult
from fasciculus.core.errors import SettingError
from fasciculus.service.tasks import runner as module
from fasciculus.service.tasks.journal import Gathering, Journal
from fasciculus.service.tasks.queued import QueuedRestore
from fasciculus.service.tasks.runner import TaskRunner

DONE = ReleaseResult(outcome="done")


class StandInWorker:
    """Sends some events, waits at a gate, and comes to a result, or to none."""

    def __init__(self, events: Any, result: Any, gate: Any) -> None:
        self._events, self._final, self._gate = events, result, gate
        self.result, self.ended, self.stopped = None, "was killed (signal 9)", False
        self.passes = False

    def events(self) -> Iterator[Any]:
        yield from self._events
        self._gate.wait(20)
        if not self.stopped:
            self.result = self._final

    def cancel(self) -> None:
        self.stopped = True
        self._gate.set()

    kill = cancel


class StandInWorkers:
    """A source of workers that records each order."""

    def __init__(self) -> None:
        self.orders, self.workers, self.closed = [], [], False
        self.events, self.result, self.gated = [], DONE, False

    def start(self, order: Any) -> Any:
        gate = threading.Event()
        if not self.gated:
            gate.set()
        self.orders.append(order)
        self.workers.append(StandInWorker(list(self.events), self.result, gate))
        return self.workers[-1]

    def close(self) -> None:
        self.closed = True


class Records:
    """A handler that writes to lists; ``broken`` lets that many endings fail."""

    cancelled, aftermath = "Cancelled.", "Nothing was harmed."

    def __init__(self) -> None:
        self.taken, self.ended, self.left, self.cleared = [], [], [], []
        self.broken, self.refuses, self.afterwards = 0, None, []
        self.resumed, self.tries = [], []

    def transaction(self) -> Any:
        return nullcontext()

    def begin(self, task: Any) -> Any:
        if self.refuses:
            raise self.refuses
        return ReleaseOrder(hold_flags=[], spool=f"task-{task.number}")

    def take(self, task: Any, event: Any) -> None:
        self.taken.append((task.number, event))

    def show(self, task: Any) -> None:
        self.taken.append((task.number, task.progress.progress.stage))

    def after_failure(self, task: Any, carry_out: Any) -> None:
        self.afterwards.append(task.number)

    def endings(self, task: Any, result: Any) -> Any:
        def first() -> None:
            if self.broken:
                self.broken -= 1
                raise sqlite3.OperationalError("database or disk is full")
            self.ended.append((task.number, result.outcome))

        return [first, lambda: self.ended.append((task.number, "reported"))]

    def clear(self, task: Any) -> None:
        self.cleared.append(task.number)

    def resumes(self, task: Any) -> Any:
        return task.number in self.resumed

    def again(self, task: Any, result: Any) -> Any:
        return self.tries.pop(0) if self.tries else None

    def unfinished(self) -> Any:
        return list(self.left)


@pytest.fixture
def parts() -> Iterator[Any]:
    workers, records = StandInWorkers(), Records()
    runner = TaskRunner(workers, {QueuedRestore: records}, {"work": 2, "maintenance": 1})
    yield runner, workers, records
    # Its threads: whether the test has stopped it is not told.
    if any(thread.is_alive() for thread in runner._threads):
        runner.stop()


def task(number: Any, subject: Any = "millpond") -> Any:
    return QueuedRestore(number=number, subject=("account", subject))


def test_a_task_begins_tells_and_ends(parts: Any) -> None:
    runner, workers, records = parts
    workers.events = [Log("info", "reading"), Progress(stage="packing")]
    runner.start()
    assert runner.alive
    runner.add([task(1), task(2)])
    until(lambda: len(records.ended) == 4)
    assert records.ended == [(1, "done"), (1, "reported"), (2, "done"), (2, "reported")]
    # A log line is recorded shortly after, with others.
    taken = [event for number, event in records.taken if number == 1]
    assert len(taken) == 2 and Log("info", "reading") in taken and "packing" in taken
    assert records.cleared == [1, 2] and len(workers.orders) == 2
    until(lambda: not runner.busy())
    assert records.afterwards == []
    runner.stop()
    # Its threads: nothing else shows that they have ended.
    assert workers.closed and not any(thread.is_alive() for thread in runner._threads)


def test_a_worker_that_breaks_off_is_an_interrupted_task(parts: Any) -> None:
    runner, workers, records = parts
    workers.result = None
    runner.start()
    runner.add([task(1)])
    until(lambda: records.ended)
    assert records.ended[0] == (1, "interrupted") and records.afterwards == [1]
    ((_, line),) = records.taken
    assert line.text == "The worker was killed (signal 9). Nothing was harmed."


@pytest.mark.parametrize(
    ("error", "said"),
    [
        (SettingError("The host does not exist.", "Add it."), "The host does not exist. Add it."),
        (ZeroDivisionError("by zero"), "Unexpected: ZeroDivisionError"),
    ],
)
def test_a_task_that_cannot_begin_fails_alone(parts: Any, error: Any, said: Any) -> None:
    runner, workers, records = parts
    records.refuses = error
    runner.start()
    runner.add([task(1)])
    until(lambda: len(records.ended) == 2)
    assert records.ended[0] == (1, "failed") and not workers.orders
    records.refuses = None
    runner.add([task(2)])
    until(lambda: (2, "done") in records.ended)
    assert runner.alive


def test_cancelling_what_waits_and_what_runs(parts: Any) -> None:
    runner, workers, records = parts
    workers.gated = True
    runner.start()
    runner.add([task(1), task(2)])
    until(lambda: workers.workers)
    runner.cancel(lambda t: True)
    until(lambda: len(records.ended) == 4)
    assert {row for row in records.ended if row[1] != "reported"} == {
        (1, "cancelled"),
        (2, "cancelled"),
    }
    assert len(workers.orders) == 1, "what waited never began"


def test_an_ending_that_cannot_be_written_is_written_later(parts: Any) -> None:
    runner, _, records = parts
    records.broken = 2
    runner.start()
    runner.add([task(1), task(2), task(3, "ferryline")])
    until(lambda: (3, "reported") in records.ended)
    until(lambda: (2, "reported") in records.ended)
    assert records.ended.index((1, "reported")) < records.ended.index((2, "done")), (
        "the next task of a subject waits until the end of the last is known"
    )
    assert records.ended.count((1, "done")) == 1
    until(lambda: not runner.busy())


def test_what_an_earlier_life_left_is_ended_at_the_start(parts: Any) -> None:
    runner, workers, records = parts
    records.left = [task(7)]
    runner.start()
    until(lambda: len(records.ended) == 2)
    assert records.ended[0] == (7, "interrupted") and not workers.orders
    assert "stopped while this was running" in records.taken[0][1].text
    until(lambda: records.afterwards == [7])


def test_what_no_process_carries_is_ended_while_the_service_runs(parts: Any) -> None:
    runner, workers, records = parts
    workers.gated = True
    runner.start()
    runner.add([task(1)])
    until(lambda: workers.workers)
    records.left = [task(1), task(9, "ferryline")]
    runner.recover()
    assert records.ended == [], "one that was just recorded may not be queued yet"
    runner.recover()
    assert records.ended == [(9, "interrupted"), (9, "reported")]


def test_the_watch_outlives_trouble(parts: Any, monkeypatch: pytest.MonkeyPatch) -> None:
    runner, _, records = parts
    monkeypatch.setattr(module, "_WATCH_EVERY", 0.01)
    monkeypatch.setattr(module, "_LOOK_EVERY", 0.01)
    asked = []

    def locked() -> None:
        asked.append(1)
        raise sqlite3.OperationalError("locked")

    runner.start()
    records.unfinished = locked
    until(lambda: len(asked) > 2)
    assert runner.alive


def test_stopping_interrupts_and_waits(parts: Any) -> None:
    runner, workers, records = parts
    workers.gated = True
    runner.start()
    runner.add([task(1), task(2)])
    until(lambda: workers.workers)
    runner.stop()
    assert (1, "interrupted") in records.ended and workers.closed
    assert not any(number == 2 for number, _ in records.ended), "it waits for the next life"


def test_the_journal_keeps_the_order_and_waits_for_room() -> None:
    journal, written, full = Journal(), [], [True]

    def first() -> None:
        if full[0]:
            raise sqlite3.OperationalError("disk full")
        written.append("first")

    def bad() -> None:
        raise KeyError("odd")

    assert not journal.write(first) and not journal.write(lambda: written.append("second"))
    assert written == []
    full[0] = False
    assert journal.write(bad), "an unrelated error affects only that write"
    assert written == ["first", "second"] and journal.flush()


def test_what_is_gathered_shares_a_transaction_and_keeps_its_order() -> None:
    begun, written, full = [], [], [False]

    @contextmanager
    def transaction() -> Iterator[None]:
        begun.append(len(written))
        if full[0]:
            raise sqlite3.OperationalError("disk full")
        before = list(written)
        try:
            yield
        except BaseException:
            written[:] = before
            raise

    def bad() -> None:
        raise ValueError("odd")

    journal = Journal(transaction)
    for number in range(3):
        journal.gather(partial(written.append, number))
    assert written == [] and journal.flush() and written == [0, 1, 2] and begun == [0]
    for action in (partial(written.append, 3), bad, partial(written.append, 4)):
        journal.gather(action)
    assert journal.write(partial(written.append, 5)), "the odd one costs itself"
    assert written == [0, 1, 2, 3, 4, 5]
    full[0] = True
    journal.gather(partial(written.append, 6))
    journal.gather(partial(written.append, 7))
    before = list(begun)
    assert not journal.write(partial(written.append, 8)) and not journal.flush()
    full[0] = False
    assert journal.flush() and written == list(range(9))
    assert len(begun) - len(before) == 3, "what is written sees what was before it"


def test_gathered_writes_are_written_by_themselves_and_at_the_end() -> None:
    gathering, first, last, written = Gathering(), Journal(), Journal(), []
    gathering.start()
    for number in range(3):
        gathering.gather(first, partial(written.append, number))
    until(lambda: written == [0, 1, 2])
    gathering.gather(last, partial(written.append, 3))
    gathering.close()
    assert written == [0, 1, 2, 3] and not gathering.is_alive()


def test_the_journal_has_an_end(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("fasciculus.service.tasks.journal._MOST", 3)
    journal, written, full = Journal(), [], [True]

    def write(number: int) -> None:
        if full[0]:
            raise sqlite3.OperationalError("disk full")
        written.append(number)

    for number in range(5):
        journal.write(lambda number=number: write(number))  # type: ignore[misc]
    full[0] = False
    assert journal.flush() and written == [0, 1, 2]


def test_a_task_is_tried_again_when_its_handler_says_so(parts: Any) -> None:
    runner, workers, records = parts
    workers.result = Failure(outcome="failed", error="No answer.", passing=True)
    records.tries = [datetime.now(UTC)]
    runner.start()
    runner.add([task(1)])
    until(lambda: records.ended)
    assert len(workers.orders) == 2 and records.ended[0] == (1, "failed")
    assert records.cleared == [1, 1], "the leftovers of the first attempt are removed"


def test_what_waited_when_the_service_ended_goes_on_waiting(parts: Any) -> None:
    runner, workers, records = parts
    records.left, records.resumed = [task(7)], [7]
    runner.start()
    until(lambda: records.ended)
    assert records.ended[0] == (7, "done") and len(workers.orders) == 1


def test_a_task_that_takes_too_long_is_stopped_and_failed(parts: Any) -> None:
    runner, workers, records = parts
    workers.gated, workers.result = True, None
    one = task(1)
    one.deadline, one.overdue = datetime.now(UTC) + timedelta(hours=1), "It took too long."
    runner.start()
    runner.add([one])
    until(lambda: one.worker)
    runner.enforce_limits(datetime.now(UTC))
    assert not workers.workers[0].stopped
    runner.enforce_limits(one.deadline)
    until(lambda: records.ended)
    assert records.ended[0] == (1, "failed") and records.afterwards == [1]
    assert records.taken[-1][1] == Log("error", "It took too long.")


def test_a_step_that_takes_too_long_is_named(parts: Any) -> None:
    runner, workers, records = parts
    workers.gated, workers.result = True, None
    workers.events = [Progress(stage="packing")]
    one = task(1)
    one.step_seconds = 60.0
    runner.start()
    runner.add([one])
    until(lambda: one.progress)
    runner.enforce_limits(datetime.now(UTC))
    assert not workers.workers[0].stopped
    one.progress.step_at -= 61
    runner.enforce_limits(datetime.now(UTC))
    until(lambda: records.ended)
    assert (
        "The step “packing” took longer than its job allows (1 minute)."
        in records.taken[-1][1].text
    )


def test_what_may_begin_no_more_is_said_and_not_begun(parts: Any) -> None:
    runner, workers, records = parts
    one = task(1)
    one.not_before = datetime.now(UTC) + timedelta(hours=1)
    one.not_after, one.expiry = datetime.now(UTC) + timedelta(hours=2), "Too late."
    runner.start()
    runner.add([one])
    runner.enforce_limits(one.not_after)
    until(lambda: records.ended)
    assert records.ended[0] == (1, "skipped") and not workers.orders and not runner.busy()
