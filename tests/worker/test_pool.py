"""Workers: forked ready, one order each, replaced in time, nothing left of the one before."""

from __future__ import annotations

import json
import os
import signal
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from nights import artifact, made
from running import children, until

from fasciculus.contracts.events import Log
from fasciculus.contracts.orders import PreviewOrder, ReleaseOrder
from fasciculus.contracts.results import Failure, PreviewResult, ReleaseResult
from fasciculus.contracts.sealed_secrets import Secret
from fasciculus.worker import pool as module
from fasciculus.worker.pool import WorkerPool, WorkerProcess


@pytest.fixture(scope="module")
def shared_pool() -> Iterator[WorkerPool]:
    found = WorkerPool()
    yield found
    found.close()


@pytest.fixture
def pool(shared_pool: WorkerPool) -> WorkerPool:
    shared_pool.warm_up()
    return shared_pool


def release(folder: Path, *flags: Any) -> ReleaseOrder:
    """An order that removes flag files: the least that a worker can do."""
    return ReleaseOrder(hold_flags=[str(flag) for flag in flags], spool=artifact(folder / "spool"))


def preview(root: Path, spool: Path, **more: Any) -> PreviewOrder:
    subject = {"kind": "account", "name": "a", "host": "", "root": str(root)}
    return made(PreviewOrder, {"subject": subject, "spool": str(spool), **more})


def carried(worker: WorkerProcess) -> list[Any]:
    """The events of a worker until its end."""
    return list(worker.events())


def server(pool: WorkerPool) -> int:
    # The process that forks the workers: it is looked at and killed.
    return pool._server.process.pid


def blocked(tmp_path: Path) -> Path:
    """A huge tree, which a worker cannot finish reading before it may continue."""
    root = tmp_path / "tree"
    for number in range(60):
        (root / f"f{number}").mkdir(parents=True)
        for name in range(300):
            (root / f"f{number}" / f"{name}").touch()
    return root


def test_a_worker_carries_out_its_order_and_ends(pool: WorkerPool, tmp_path: Path) -> None:
    flag = tmp_path / "flag"
    flag.touch()
    worker = pool.start(release(tmp_path, flag))
    events = carried(worker)
    assert worker.result == ReleaseResult(outcome="done") and worker.ended == ""
    assert not flag.exists() and all(isinstance(event, Log) for event in events)
    assert not children(server(pool)), "it has ended"


def test_workers_come_from_one_process_that_stays(pool: WorkerPool, tmp_path: Path) -> None:
    first = server(pool)
    for _ in range(5):
        worker = pool.start(release(tmp_path))
        carried(worker)
        assert worker.result.outcome == "done"
    assert server(pool) == first


def test_several_work_at_the_same_time(pool: WorkerPool, tmp_path: Path) -> None:
    workers = [pool.start(preview(tmp_path, tmp_path / f"spool-{n}")) for n in range(4)]
    results = [(carried(worker) and worker.result) or worker.result for worker in workers]
    assert all(isinstance(result, PreviewResult) for result in results)


def test_what_fails_says_why_and_the_server_stays(pool: WorkerPool, tmp_path: Path) -> None:
    first = server(pool)
    worker = pool.start(preview(tmp_path / "none", tmp_path / "spool"))
    carried(worker)
    assert isinstance(worker.result, Failure) and worker.result.outcome == "failed"
    assert server(pool) == first, "a failure is no surprise"


def test_a_worker_that_was_killed_is_told_and_the_next_comes_from_another_server(
    pool: WorkerPool, tmp_path: Path
) -> None:
    first = server(pool)
    worker = pool.start(preview(blocked(tmp_path), tmp_path / "spool"))
    worker.kill()
    carried(worker)
    assert worker.result is None and worker.ended == "was killed (signal 9)"
    again = pool.start(release(tmp_path))
    carried(again)
    assert again.result.outcome == "done" and server(pool) != first
    until(lambda: not os.path.exists(f"/proc/{first}"))


def test_a_cancelled_worker_ends_by_itself(pool: WorkerPool, tmp_path: Path) -> None:
    worker = pool.start(preview(blocked(tmp_path), tmp_path / "spool"))
    worker.cancel()
    worker.cancel()
    carried(worker)
    assert worker.result is None or worker.result.outcome in ("cancelled", "done")
    worker.cancel()
    worker.kill()


def test_a_worker_ends_when_nobody_waits_for_it_any_more(pool: WorkerPool, tmp_path: Path) -> None:
    """As after the service was killed: the end of its standard input says so."""
    worker = pool.start(preview(blocked(tmp_path), tmp_path / "spool"))
    (found,) = children(server(pool)) or [(0, "")]
    # The end of its orders, as when the service is killed.
    worker._process.close_orders()
    carried(worker)
    assert worker.result is None or worker.result.outcome in ("cancelled", "done")
    assert not found[0] or not os.path.exists(f"/proc/{found[0]}")


def test_a_server_is_replaced_after_so_many_orders(
    pool: WorkerPool, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(module, "_ORDERS_PER_SERVER", 3)
    servers = []
    for _ in range(7):
        worker = pool.start(release(tmp_path))
        servers.append(server(pool))
        carried(worker)
    assert len(set(servers)) == 3 and servers == sorted(servers, key=servers.index)


def test_a_server_that_has_grown_is_replaced(
    pool: WorkerPool, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    first = server(pool)
    monkeypatch.setattr(module, "_LARGEST_SERVER", 1)
    carried(pool.start(release(tmp_path)))
    assert server(pool) != first


def test_a_server_that_was_killed_is_replaced_without_a_word(
    pool: WorkerPool, tmp_path: Path
) -> None:
    first = server(pool)
    os.kill(first, signal.SIGKILL)
    # Until it is gone: what the pool does then is tested.
    pool._server.process.wait(20)
    worker = pool.start(release(tmp_path))
    carried(worker)
    assert worker.result.outcome == "done" and server(pool) != first


def test_closing_waits_for_no_worker_and_leaves_none_behind(tmp_path: Path) -> None:
    pool = WorkerPool()
    worker = pool.start(release(tmp_path))
    first = server(pool)
    pool.close()
    carried(worker)
    assert worker.result.outcome == "done", "what was begun is ended"
    until(lambda: not os.path.exists(f"/proc/{first}"))


def test_settings_of_the_service_do_not_reach_a_worker(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("FASCICULUS_HOSTS_REED_1_PASSWORD", "oar-and-rope")
    monkeypatch.setenv("HERONMERE", "lake")
    pool = WorkerPool()
    pool.warm_up()
    place = Path(f"/proc/{server(pool)}/environ")
    # It has none for a short time, while its program is being loaded.
    environment = until(lambda: b"HERONMERE=lake" in (found := place.read_bytes()) and found)
    pool.close()
    assert b"HERONMERE=lake" in environment and b"oar-and-rope" not in environment


def test_secrets_of_an_order_are_not_in_the_process_that_forks(
    pool: WorkerPool, tmp_path: Path
) -> None:
    """It never reads an order: what one worker knew, the next cannot."""
    order = preview(tmp_path, tmp_path / "spool")
    order.host.secrets = {"password": Secret("oar-and-rope-4711")}
    worker = pool.start(order)
    carried(worker)
    assert b"oar-and-rope-4711" not in memory(server(pool))
    with open(f"/proc/{server(pool)}/cmdline", "rb") as file:
        assert b"oar" not in file.read()


def memory(pid: int) -> bytes:
    """The heap and stack contents of a process."""
    found = b""
    with open(f"/proc/{pid}/maps") as maps, open(f"/proc/{pid}/mem", "rb", 0) as mem:
        for line in maps:
            span, rights, *rest = line.split()
            if "w" in rights and (len(rest) == 3 or rest[-1] in ("[heap]", "[stack]")):
                begin, end = (int(part, 16) for part in span.split("-"))
                mem.seek(begin)
                try:
                    found += mem.read(end - begin)
                except OSError:
                    continue
    return found


def test_no_worker_is_said_in_words(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    pool = WorkerPool()
    monkeypatch.setattr(pool, "_fork", lambda order: None)
    with pytest.raises(module.FasciculusError, match="No worker could be started"):
        pool.start(release(tmp_path))
    pool.close()


def test_an_order_that_is_none_is_a_failure_that_says_so(pool: WorkerPool, tmp_path: Path) -> None:
    # Past what writes an order: that one writes no wrong ones.
    worker = module.WorkerProcess(pool._fork(release(tmp_path)), None)
    order = {"order": "release", "hold_flags": [7], "spool": "home/x"}
    line = json.dumps({"order": order, "secrets": "", "folders": {"home": "/"}}).encode()
    os.write(worker._process._orders, line + b"\n")
    carried(worker)
    assert worker.result.outcome == "failed" and "hold_flags" in worker.result.error
