"""The queue: the task that may start next."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fasciculus.service.tasks.queue import Paused, TaskQueue
from fasciculus.service.tasks.queued import (
    HIGH,
    LOW,
    NORMAL,
    RESTORES,
    QueuedBackup,
    QueuedMaintenance,
    QueuedRestore,
    QueuedTask,
)


def task(number: int, subject: str = "millpond", **more: Any) -> QueuedTask:
    return QueuedRestore(number=number, subject=("account", subject), **more)


def queue(work: int = 2, maintenance: int = 1) -> TaskQueue:
    return TaskQueue({"work": work, "maintenance": maintenance})


def test_first_come_first_served_up_to_the_limit() -> None:
    found = queue(work=2)
    found.add([task(1, "a"), task(2, "b"), task(3, "c")])
    one, two = found.next(), found.next()
    assert (one.number, two.number) == (1, 2) and found.next() is None
    found.done(one)
    assert found.next().number == 3 and found.next() is None


def test_lanes_do_not_take_each_others_places() -> None:
    found = queue(work=1, maintenance=1)
    verify = QueuedMaintenance(
        number=1, subject=("account", "a"), store="attic", kind="verify", lane="maintenance"
    )
    found.add([task(1, "b"), task(2, "c"), verify])
    assert [found.next().number, found.next()] == [1, verify] and found.next() is None


def test_a_subject_is_worked_on_once_and_a_later_one_passes() -> None:
    found = queue(work=3)
    found.add([task(1), task(2), task(3, "ferryline")])
    assert [found.next().number, found.next().number] == [1, 3] and found.next() is None


def test_a_restore_waits_for_the_bundle_of_the_present_state() -> None:
    found = queue(work=3)
    restore = task(1, priority=RESTORES, after_run=7)
    first, second = (
        QueuedBackup(number=n, subject=("account", "millpond"), run=7, job=None) for n in (2, 3)
    )
    found.add([restore, first, second, task(4, "ferryline", after_run=8)])
    assert [found.next().number, found.next().number] == [2, 4] and found.next() is None
    found.done(first)
    assert found.next() is second
    found.settle(second)
    assert found.next() is None, "its end is not recorded yet"
    found.done(second)
    assert found.next() is restore


def test_what_only_reads_goes_beside_and_does_not_hold_the_subject() -> None:
    found = queue(work=3)
    found.add([task(1, exclusive=False), task(2), task(3, exclusive=False), task(4)])
    assert [found.next().number for _ in range(3)] == [1, 2, 3] and found.next() is None


def test_a_host_takes_no_more_than_it_may() -> None:
    found = queue(work=9)
    found.add([task(n, f"s{n}", host="reed-1", max_concurrent=2) for n in range(4)])
    found.add([task(9, "other", host="reed-2", max_concurrent=1), task(10, "free", host="reed-3")])
    assert [found.next().number for _ in range(4)] == [0, 1, 9, 10] and found.next() is None


def test_a_store_takes_no_more_than_it_may_whatever_uses_it() -> None:
    found = queue(work=9, maintenance=9)

    def verify(number: int, **limits: Any) -> QueuedMaintenance:
        return QueuedMaintenance(
            number=number,
            subject=("account", f"v{number}"),
            store="attic",
            kind="verify",
            lane="maintenance",
            store_limits=limits,
        )

    found.add([task(1, "a", store_limits={"attic": 2}), verify(2, attic=2), verify(3, attic=2)])
    found.add([verify(4, cellar=1, attic=2), verify(5, cellar=1)])
    begun = [found.next() for _ in range(3)]
    assert [row.number for row in begun] == [1, 2, 5] and found.next() is None
    found.add([task(6, "b", priority=RESTORES, store_limits={"attic": 0})])
    restore = found.next()
    assert restore.number == 6, "restores wait for nothing"
    found.done(begun[0])
    assert found.next() is None, "and the others for him"
    found.done(restore)
    assert found.next().number == 3 and found.next() is None


def test_an_unwritten_end_frees_the_place_but_not_the_subject() -> None:
    found = queue(work=1)
    found.add([task(1), task(2), task(3, "ferryline")])
    one = found.next()
    found.settle(one)
    assert found.running() == [] and found.find(one.key) is one
    assert found.next().number == 3, "the subject's bundle is not known yet"
    found.done(one)
    assert found.find(one.key) is None


def test_withdrawn_tasks_hold_their_subject_until_they_are_done() -> None:
    found = queue()
    first, second = task(1), task(2)
    found.add([first, second])
    assert found.withdraw(lambda t: t.number == 1) == [first]
    assert found.next() is None and found.busy() == {("account", "millpond")}
    found.done(first)
    assert found.next() is second


def test_a_task_is_known_by_its_type_and_number() -> None:
    found = queue()
    restore = task(1)
    verify = QueuedMaintenance(number=1, subject=("account", "a"), store="s", kind="verify")
    found.add([restore, verify])
    assert found.find(restore.key) is restore and found.find(verify.key) is verify
    assert found.find(("QueuedRestore", 2)) is None


@given(
    st.lists(st.tuples(st.sampled_from("abc"), st.sampled_from("xy"), st.booleans()), max_size=12),
    st.integers(1, 4),
    st.randoms(use_true_random=False),
)
def test_every_task_begins_once_and_no_rule_is_ever_broken(
    rows: list[Any], work: int, chance: Any
) -> None:
    found = TaskQueue({"work": work, "maintenance": 1})
    found.add(
        task(n, subject, host=host, max_concurrent=2, exclusive=exclusive)
        for n, (subject, host, exclusive) in enumerate(rows)
    )
    begun, running = [], []
    while True:
        while (one := found.next()) is not None:
            begun.append(one.number)
            running.append(one)
            busy = [t.subject for t in running if t.exclusive]
            assert len(running) <= work and len(busy) == len(set(busy))
            assert all(sum(t.host == h for t in running) <= 2 for h in "xy")
        if not running:
            break
        found.done(running.pop(chance.randrange(len(running))))
    assert sorted(begun) == list(range(len(rows))), "none twice, none forgotten"


@pytest.mark.parametrize("limit", [1, 3])
def test_more_than_the_limit_never_run(limit: int) -> None:
    found = queue(work=limit)
    found.add(task(n, f"s{n}") for n in range(5))
    assert sum(found.next() is not None for _ in range(5)) == limit


# Turns, priorities, times -----------------------------------------------------------


NOW = datetime(2026, 11, 26, 2, tzinfo=UTC)


def of_job(number: int, job: str, turn: int = 1, **more: Any) -> Any:
    return task(number, f"s{number}", job_name=job, turn=turn, **more)


def begun(found: TaskQueue, count: int, now: datetime = NOW) -> list[Any]:
    return [row.number for row in (found.next(now) for _ in range(count)) if row is not None]


def test_jobs_take_turns_however_many_tasks_one_of_them_has() -> None:
    found = queue(work=3)
    found.add([of_job(n, "large") for n in range(5)])
    found.add([of_job(n, "small") for n in (10, 11)])
    assert begun(found, 3) == [0, 10, 1]
    for number in (0, 10, 1):
        found.done(found.find(("QueuedRestore", number)))
    assert begun(found, 3) == [11, 2, 3]


def test_a_higher_priority_goes_first_and_restores_before_all() -> None:
    found = queue(work=9)
    found.add([of_job(1, "low", priority=LOW), of_job(2, "high", priority=HIGH)])
    found.add([of_job(3, "normal", priority=NORMAL), task(4, priority=RESTORES)])
    assert begun(found, 9) == [4, 2, 3, 1]


def test_a_store_takes_no_more_than_it_may() -> None:
    found = queue(work=9)
    found.add([of_job(n, "a", store_limits={"attic": 2, "reef": 0}) for n in range(4)])
    found.add([of_job(9, "b", store_limits={"reef": 0})])
    assert sorted(begun(found, 9)) == [0, 1, 9]


def test_nothing_begins_before_its_time_or_after_it() -> None:
    found = queue(work=9)
    later = NOW + timedelta(minutes=10)
    found.add([of_job(1, "a", not_before=later), of_job(2, "a", not_after=later)])
    found.add([of_job(3, "a", not_before=later + timedelta(hours=1))])
    assert begun(found, 9) == [2] and found.soonest(NOW) == later
    assert begun(found, 9, later) == [1]
    found.add([of_job(4, "a", not_before=later, not_after=later)])
    assert [row.number for row in found.expired(later)] == [4]
    assert found.find(("QueuedRestore", 4)) is not None, "until its end is written"
    assert found.expired(later) == []


def test_what_is_paused_waits_and_restores_do_not() -> None:
    found = queue(work=9)
    found.add([of_job(1, "a"), of_job(2, "b"), task(3)])
    found.paused = Paused(jobs=frozenset({"a"}))
    assert begun(found, 9) == [2, 3]
    found.add([of_job(4, "b"), task(5, "ferryline")])
    found.paused = Paused(everything=True)
    assert begun(found, 9) == [5]
    found.paused = Paused()
    assert sorted(begun(found, 9)) == [1, 4]
    found.add(
        [
            of_job(6, "a", host="reed-1"),
            task(7, "lanternchoir", host="reed-1"),
            of_job(8, "a", host="reed-2"),
        ]
    )
    found.paused = Paused(hosts=frozenset({"reed-1"}))
    assert sorted(begun(found, 9)) == [7, 8]


def test_a_later_run_of_a_job_waits_for_all_of_the_earlier_one() -> None:
    found = queue(work=9)
    found.add([of_job(1, "a", 7), of_job(2, "a", 7, not_before=NOW + timedelta(hours=1))])
    found.add([of_job(3, "a", 8), of_job(4, "b", 9)])
    assert begun(found, 9) == [1, 4]
    found.done(found.find(("QueuedRestore", 1)))
    assert begun(found, 9) == [], "its second task is still to come"
    (second,) = found.withdraw(lambda row: row.number == 2)
    found.done(second)
    assert begun(found, 9) == [3]


def test_one_that_is_put_back_waits_again() -> None:
    found = queue(work=1)
    found.add([of_job(1, "a")])
    (one,) = (found.next(NOW),)
    found.put_back(one, NOW + timedelta(minutes=10))
    assert begun(found, 1) == [] and begun(found, 1, NOW + timedelta(minutes=10)) == [1]
