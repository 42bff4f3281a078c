"""Workers on other machines: real brokers, real worker programs, a host over SSH."""

from __future__ import annotations

import json
import threading
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from fleet_servers import RabbitMq, Redis, workers_of
from running import PASSWORD, Service, folder_stores, run, service, until

from fasciculus.client.errors import NotFoundError, RefusedError
from fasciculus.contracts.fleet import Hello, Welcome
from fasciculus.demo.sftp import SftpStandIn
from fasciculus.fleet import enrolment
from fasciculus.fleet.service_link import RefusedByServiceError, ServiceLink
from fasciculus.models import InPlace, JobInput, RestoreStart, RestoreUndo


@pytest.fixture(params=[Redis, RabbitMq])
def broker(request: pytest.FixtureRequest, tmp_path: Path) -> Iterator[Any]:
    found = request.param(tmp_path / "broker")
    yield found
    found.stop()


def worked(worker: Any) -> int:
    return int(worker.log.read_text().count("succeeded"))


def ended(client: Any, number: int) -> Any:
    until(lambda: client.restores_show(number).state == "ended")
    return client.restores_show(number)


def test_tasks_run_elsewhere_night_after_night_and_come_back(
    tmp_path: Path, broker: Any, heronmere_north: Any
) -> None:
    with service(tmp_path / "home", FASCICULUS_BROKER=broker.url) as running:
        with running.client() as client, workers_of(running, tmp_path, "north-1", "north-2") as two:
            heronmere_north(client, 6, mode="incremental")
            page = tmp_path / "homes/account-003/page-1.html"
            for night in range(3):
                page.write_text(f"night {night}")
                done = run(client, "nightly")
                assert done.outcome == "done", [(t.subject, t.error) for t in done.tasks]
            newest = client.bundles_list(subject="account-003").items[0]
            # What the service keeps of a bundle has come here from the worker.
            kept = tmp_path / "home/listings/account/account-003"
            assert {f"{newest.name}.zst", f"{newest.name}.json"} <= {p.name for p in kept.iterdir()}
            assert client.bundles_show(newest.id).brings == "incremental"
            (number,) = client.stores_verify("boathouse", True, "account-003").ids
            until(lambda: client.maintenance_show(number).state == "ended")
            assert client.maintenance_show(number).outcome == "done"
            page.write_text("hacked")
            start = RestoreStart(bundle=newest.id, in_place=InPlace())
            restore = client.restores_start(start)
            assert ended(client, restore.id).outcome == "done"
            assert page.read_text() == "night 2"
            undo = client.restores_undo(restore.id, RestoreUndo())
            assert ended(client, undo.id).outcome == "done" and page.read_text() == "hacked"
            # The service hears of an end before the worker has cleared up.
            until(lambda: sum(worked(one) for one in two) >= 20)
            assert min(worked(one) for one in two) > 0, "both worked"
            for one in two:
                left = one.folder / "home"
                until(lambda left=left: not [*left.glob("home/*"), *left.glob("spool/*")])  # type: ignore[misc]


def test_enrolling_draining_and_removing(
    with_fleet: Service, tmp_path: Path, heronmere_north: Any
) -> None:
    with with_fleet.client() as client:
        heronmere_north(client, 2)
        assert "Write small letters" in with_fleet.cli("workers", "code", "No rth").stderr
        failed = run(client, "nightly")
        assert {task.error.split(".")[0] for task in failed.tasks} == {
            "No worker of queue “north” is there"
        }
        with workers_of(with_fleet, tmp_path, "north-1") as (one,):
            said = with_fleet.cli("workers", "list").stdout
            assert "north-1" in said and "there" in said and "none of 2" in said
            # A code is good for one worker, and for no second one of the same name.
            again = one.folder / "code"
            copy = one.program("--code-file", str(again), home=tmp_path / "other")
            assert copy.returncode == 2 and "used" in copy.stderr
            again.write_text(client.workers_code("north").code)
            twin = one.program("--code-file", str(again), "--name=north-1", home=tmp_path / "twin")
            assert twin.returncode == 2 and "north-1” already" in twin.stderr
            assert run(client, "nightly").outcome == "done"
            assert "drains" in with_fleet.cli("workers", "drain", "north-1").stdout
            until(lambda: one.process.poll() is not None)
            assert "drain" in one.log.read_text()
            one.again()
            assert one.process.wait(30) == 0, "it drains still"
            with_fleet.cli("workers", "drain", "north-1", "--off")
            one.again()
            until(lambda: client.workers_list().items[0].state == "there")
            # A worker of another version gets nothing.
            one.kill()
            with pytest.raises(RefusedByServiceError, match=r"of 9\.9"):
                link_of(one).ask(Hello("9.9", "reed-9", 2), Welcome)
            (row,) = client.workers_list().items
            assert (row.state, row.place) == ("other version", "reed-9")
            assert "No worker" in run(client, "nightly").tasks[0].error
            one.again()
            until(lambda: client.workers_list().items[0].state == "there")
            client.workers_remove("north-1")
            assert one.process.wait(30) == 1
            assert "does not know this worker" in one.log.read_text()
    with pytest.raises(NotFoundError), with_fleet.client() as client:
        client.workers_drain("north-1")


def test_the_broker_sees_no_secret_and_nothing_it_sends_twice_happens_twice(
    with_fleet: Service, redis: Redis, tmp_path: Path, heronmere_north: Any, openssh: Any
) -> None:
    with with_fleet.client() as client, workers_of(with_fleet, tmp_path, "north-1") as (one,):
        heronmere_north(client)
        key = f"fasciculus.{worker_id(one)}"
        # It is taken to be there for a while.
        one.kill()
        started = client.start("nightly")
        until(lambda: redis.client().llen(key))
        (raw,) = redis.client().lrange(key, 0, -1)
        for secret in ("boat-and-rope", openssh.key[100:160], "account-000", "nightly", "page-1"):
            assert secret.encode() not in raw
        message = json.loads(raw)
        changed = {**message, "body": "AAAA" + message["body"][4:]}
        for more in (raw, json.dumps(changed).encode(), raw):
            redis.client().lpush(key, more)
        one.again()
        assert started.wait().outcome == "done"
        until(lambda: not redis.client().llen(key))
        assert len(client.bundles_list().items) == 1
        assert run(client, "nightly").outcome == "done"


def link_of(worker: Any) -> ServiceLink:
    known = enrolment.load(worker.folder / "home")
    assert known is not None
    return ServiceLink(known, threading.Event())


def worker_id(worker: Any) -> str:
    found = json.loads((worker.folder / "home/worker.json").read_text())
    return str(found["worker"])


def test_what_is_on_the_services_machine_stays_there(
    with_fleet: Service, tmp_path: Path, heronmere_north: Any, stand_in: SftpStandIn
) -> None:
    with with_fleet.client() as client:
        heronmere_north(client)
        (attic,) = folder_stores(tmp_path, "attic")
        with pytest.raises(RefusedError, match="no worker can take its tasks") as refused:
            client.stores_add(attic.model_copy(update={"queue": "north"}))
        assert refused.value.field == "queue"
        client.stores_add(attic)
        job = JobInput(name="both", contents=["files"], stores=["boathouse", "attic"])
        client.jobs_add(job)
        # No worker is there, and none is needed.
        assert run(client, "both").outcome == "done"


def test_strangers_get_no_answer(with_fleet: Service, tmp_path: Path) -> None:
    import httpx

    with with_fleet.client() as client, workers_of(with_fleet, tmp_path, "north-1") as (one,):
        code = client.workers_code("north").code
        api = f"{with_fleet.url}/api/v1/fleet"
        for path, body in (
            (f"workers/{'0' * 32}", b"x" * 60),
            (f"workers/{worker_id(one)}", b""),
            (f"workers/{worker_id(one)}", b"x" * 60),
            (f"enrolments/{code.partition('-')[0]}", b"x" * 60),
            ("enrolments/00000000", b"x"),
        ):
            assert httpx.post(f"{api}/{path}", content=body).status_code == 401, path
        said = with_fleet.cli("workers", "list", "--json").stdout
        assert PASSWORD not in said and "key" not in json.loads(said)[0]
