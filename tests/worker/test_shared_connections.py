"""Workers that stay connected: one sign-in for many small tasks, and nothing carried over."""

from __future__ import annotations

import json
import os
import signal
from collections.abc import Callable, Iterator
from contextlib import closing
from typing import Any

import pytest
from nights import Nights
from running import until

from fasciculus.contracts.orders import BackupOrder
from fasciculus.worker import pool as module
from fasciculus.worker.connections import shared_key
from fasciculus.worker.pool import WorkerPool


@pytest.fixture
def pool(monkeypatch: pytest.MonkeyPatch) -> Iterator[WorkerPool]:
    monkeypatch.setattr(module, "_IDLE", 60.0)
    found = WorkerPool()
    yield found
    found.close()


@pytest.fixture
def remote(nights: Nights, openssh: Any) -> Callable[..., Any]:
    """Orders of a host over SSH and a store over SFTP."""
    nights.specs.clear()
    nights.add_store(openssh.spec())
    (nights.tree / "page").write_text("by the lake")
    spec = openssh.host()
    settings = {"kind": "ssh", "address": spec.address, "port": spec.port, "user": spec.user}
    host = {
        "name": "reed-2",
        "settings": json.dumps({**settings, "host_key": spec.host_key}),
        "secrets": {"private_key": openssh.key},
    }
    return lambda **more: nights.order(False, **{"host": host, **more})


def signed_in(openssh: Any) -> int:
    openssh.log.flush()
    return open(openssh.log.name).read().count("Accepted publickey")


def carried(pool: WorkerPool, order: BackupOrder) -> Any:
    worker = pool.start(order)
    events = list(worker.events())
    assert worker.result is not None and worker.result.outcome == "done", events[-3:]
    # Which process it was, to tell whether the next one is the same.
    return worker._process


def test_orders_of_one_host_and_its_stores_share_their_connections(
    pool: WorkerPool, remote: Callable[..., Any], openssh: Any
) -> None:
    before = signed_in(openssh)
    processes = {id(carried(pool, remote())) for _ in range(4)}
    # Whether a process waits for the next order: the pool does not tell.
    assert len(processes) == 1 and len(pool._idle) == 1
    assert signed_in(openssh) - before == 2, "one for the host, one for the store"


def test_what_was_lost_meanwhile_is_connected_again(
    pool: WorkerPool, remote: Callable[..., Any], openssh: Any
) -> None:
    process = carried(pool, remote())
    for child in os.listdir("/proc"):
        if child.isdigit() and _parent(child) == openssh.process.pid:
            os.kill(int(child), signal.SIGKILL)
    # The order after a loss, not one that meets it: the worker has noticed it by then.
    until(lambda: not _connections(openssh.port))
    assert carried(pool, remote()) is process


def _connections(port: int) -> list[Any]:
    """Connections to a port, in /proc/net/tcp's form, that their clients have not closed."""
    rows = [row.split() for row in open("/proc/net/tcp")][1:]
    established, closed_by_server = "01", "08"
    return [
        row
        for row in rows
        if row[2].endswith(f":{port:04X}") and row[3] in (established, closed_by_server)
    ]


def _parent(pid: str) -> int:
    try:
        with open(f"/proc/{pid}/stat") as file:
            return int(file.read().rpartition(")")[2].split()[1])
    except OSError:
        return 0


def test_a_worker_that_ended_while_it_waited_is_replaced(
    pool: WorkerPool, remote: Callable[..., Any]
) -> None:
    process = carried(pool, remote())
    signal.pidfd_send_signal(process.pidfd, signal.SIGKILL)
    until(lambda: not process.is_alive)
    assert carried(pool, remote()) is not process


def test_who_needs_something_else_gets_a_worker_of_its_own(
    pool: WorkerPool, remote: Callable[..., Any], nights: Nights
) -> None:
    order = remote()
    key = shared_key(order)
    assert key and key == shared_key(remote())
    others = [
        remote(host={}),
        remote(stores=[{**nights.store_order("openssh"), "stall_timeout": 9}]),
    ]
    for change in ({"secrets": {"password": "a"}}, {"name": "reed-3"}):
        others.append(remote())
        for name, value in change.items():
            setattr(others[-1].host, name, value)
    assert len({key, *map(shared_key, others)}) == 5 and all(map(shared_key, others))
    command = {"when": "before", "command": "true", "seconds": 9}
    assert shared_key(remote(commands=[command])), "it runs on the other machine"
    assert not shared_key(remote(host={}, commands=[command])), "it may leave a process here"
    assert shared_key(remote(host={}, stores=[])), "nothing is left behind on this machine either"


def test_a_cancelled_order_ends_its_worker_and_no_other(
    pool: WorkerPool, remote: Callable[..., Any]
) -> None:
    carried(pool, remote())
    worker = pool.start(remote())
    worker.cancel()
    list(worker.events())
    # Whether a process waits, and which: the pool does not tell.
    assert not pool._idle
    assert carried(pool, remote()) is not worker._process


def test_an_order_that_fails_does_not_leave_its_worker_to_the_next(
    pool: WorkerPool, remote: Callable[..., Any], nights: Nights
) -> None:
    subject = {"kind": "account", "name": "millpond", "host": "reed-2", "root": "/nowhere"}
    worker = pool.start(remote(subject=subject))
    list(worker.events())
    assert worker.result.outcome == "failed" and "/nowhere" in worker.result.error
    # Whether a process waits for the next order: the pool does not tell.
    assert not pool._idle


def test_a_worker_waits_for_a_while_and_takes_so_many_orders(
    pool: WorkerPool, remote: Callable[..., Any], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(module, "_ORDERS_PER_WORKER", 2)
    processes = [carried(pool, remote()) for _ in range(3)]
    assert processes[0] is processes[1] is not processes[2]
    monkeypatch.setattr(module, "_IDLE", 0.01)
    with closing(WorkerPool()) as another:
        ends = carried(another, remote())
        # Whether a process waits for the next order: the pool does not tell.
        until(lambda: not another._idle and ends._orders < 0)
