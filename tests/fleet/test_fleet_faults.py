"""Workers that die, networks that are cut, brokers and services that restart."""

from __future__ import annotations

import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from fleet_proxy import Proxy
from fleet_servers import Redis, WorkerProgram, workers_of
from gate import Gate
from running import Service, run, service_process, until

from fasciculus.client import Client
from fasciculus.demo.sftp import SftpStandIn
from fasciculus.models import RunDetail


@pytest.fixture
def gate(stand_in: SftpStandIn) -> Iterator[Gate]:
    """Holds the first upload of a bundle, so that its task is under way."""
    found: list[Gate] = []
    yield found  # type: ignore[misc]
    for one in found:
        one.open()


def under_way(client: Client, stand_in: SftpStandIn, gates: Any) -> Any:
    """Start a run whose task has begun elsewhere and does not end by itself."""
    gate = Gate(stand_in, 0)
    gates.append(gate)
    started = client.start("nightly")
    assert gate.reached.wait(30)
    (task,) = [task for row in client.workers_list().items for task in row.tasks]
    assert task.begun and task.subject == "account-000"
    return started


def whole_bundles(stand_in: SftpStandIn) -> list[str]:
    folder = stand_in.root / "bundles/accounts/account-000/bundles"
    return sorted(path.parent.name for path in folder.glob("*/bundle.json"))


def check_retried(client: Client, stand_in: SftpStandIn) -> None:
    """The next run makes the bundle, and nobody made another one."""
    done = run(client, "nightly")
    assert done.outcome == "done", [task.error for task in done.tasks]
    (bundle,) = client.bundles_list().items
    assert whole_bundles(stand_in) == [bundle.name]


def ended_truthfully(ended: RunDetail, why: str) -> None:
    (task,) = ended.tasks
    assert task.outcome == "interrupted" and why in task.error, task.error
    assert "No bundle was made" in task.error


def test_a_worker_that_dies(
    with_fleet: Service, tmp_path: Path, heronmere_north: Any, stand_in: SftpStandIn, gate: Any
) -> None:
    with with_fleet.client() as client, workers_of(with_fleet, tmp_path, "north-1") as (one,):
        heronmere_north(client)
        started = under_way(client, stand_in, gate)
        one.kill()
        gate[0].open()
        ended_truthfully(started.wait(), "“north-1” was not heard from for 6 s")
        one.again()
        until(lambda: client.workers_list().items[0].state == "there")
        check_retried(client, stand_in)


def test_a_worker_that_is_started_anew_at_once(
    with_fleet: Service, tmp_path: Path, heronmere_north: Any, stand_in: SftpStandIn, gate: Any
) -> None:
    with with_fleet.client() as client, workers_of(with_fleet, tmp_path, "north-1") as (one,):
        heronmere_north(client)
        started = under_way(client, stand_in, gate)
        one.kill()
        one.again()
        gate[0].open()
        ended_truthfully(started.wait(), "“north-1” restarted")
        check_retried(client, stand_in)


def test_a_cut_network_ends_the_task_on_both_sides(
    with_fleet: Service, tmp_path: Path, heronmere_north: Any, stand_in: SftpStandIn, gate: Any
) -> None:
    proxy = Proxy(with_fleet.port)
    one = WorkerProgram(with_fleet, tmp_path, "north-1", url=proxy.url)
    try:
        with with_fleet.client() as client:
            until(lambda: any(row.state == "there" for row in client.workers_list().items), 60)
            heronmere_north(client)
            started = under_way(client, stand_in, gate)
            proxy.cut()
            begun = time.monotonic()
            # The worker stops before the service does.
            until(lambda: "is killed" in one.log.read_text())
            assert client.runs_show(started.id).state == "running"
            ended_truthfully(started.wait(), "was not heard from")
            assert time.monotonic() - begun < 60
            gate[0].open()
            proxy.mend()
            until(lambda: client.workers_list().items[0].state == "there")
            check_retried(client, stand_in)
            # A short interruption costs nothing.
            started = client.start("nightly")
            until(lambda: client.runs_show(started.id).tasks[0].state == "running")
            proxy.cut()
            proxy.mend()
            assert started.wait().outcome == "done"
    finally:
        one.close()
        proxy.close()


def test_a_broker_that_is_away_and_comes_back(
    with_fleet: Service,
    redis: Redis,
    tmp_path: Path,
    heronmere_north: Any,
    stand_in: SftpStandIn,
    gate: Any,
) -> None:
    with with_fleet.client() as client, workers_of(with_fleet, tmp_path, "north-1") as (one,):
        heronmere_north(client)
        started = under_way(client, stand_in, gate)
        redis.stop()
        gate[0].open()
        # What has begun does not need it.
        assert started.wait().outcome == "done"
        failed = client.start("nightly").wait()
        assert "The broker does not take orders" in failed.tasks[0].error
        assert failed.tasks[0].outcome == "failed"
        redis.start()
        until(lambda: one.log.read_text().count("Connected to redis") > 1, 60)
        assert run(client, "nightly").outcome == "done"
        assert len(whole_bundles(stand_in)) == 2


def test_cancelling_a_task_elsewhere(
    with_fleet: Service, tmp_path: Path, heronmere_north: Any, stand_in: SftpStandIn, gate: Any
) -> None:
    with with_fleet.client() as client, workers_of(with_fleet, tmp_path, "north-1") as (one,):
        heronmere_north(client)
        started = under_way(client, stand_in, gate)
        client.runs_cancel(started.id)
        until(lambda: "is cancelled" in one.log.read_text())
        gate[0].open()
        ended = started.wait()
        assert ended.outcome == "cancelled", ended.tasks
        check_retried(client, stand_in)


def test_a_service_that_is_killed_waits_for_what_it_gave_away(
    redis: Redis, tmp_path: Path, heronmere_north: Any, stand_in: SftpStandIn, gate: Any
) -> None:
    with service_process(tmp_path / "home", FASCICULUS_BROKER=redis.url) as running:
        with workers_of(running, tmp_path, "north-1") as (one,), running.client() as client:
            heronmere_north(client)
            number = under_way(client, stand_in, gate).id
            running.kill()
            running._begin()
            ended_truthfully(client.runs_show(number), "The service was stopped")
            started = client.start("nightly")
            until(lambda: "the service has ended it" in one.log.read_text())
            gate[0].open()
            done = started.wait()
            assert done.outcome == "done", [task.error for task in done.tasks]
            (bundle,) = client.bundles_list().items
            assert whole_bundles(stand_in) == [bundle.name]
