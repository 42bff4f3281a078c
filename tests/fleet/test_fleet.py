"""Workers on other machines: real brokers, real worker programs, a host over SSH."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from fleet_servers import RabbitMq, Redis, workers_of
from running import Service, run, service, sftp_store, until

from fasciculus.client import Client
from fasciculus.demo.sftp import SftpStandIn
from fasciculus.models import AccountInput, HostInput, JobInput, KindSettings

QUEUE = "north"


@pytest.fixture(params=["redis", "rabbitmq"])
def broker(request: pytest.FixtureRequest, tmp_path: Path) -> Iterator[Any]:
    kind = {"redis": Redis, "rabbitmq": RabbitMq}[request.param]
    found = kind(tmp_path / "broker")
    yield found
    found.stop()


def set_up(client: Client, openssh: Any, stand_in: SftpStandIn, homes: Path, count: int) -> None:
    host = openssh.host()
    client.hosts_add(
        HostInput(
            name="reed-2",
            connection=KindSettings(
                kind="ssh",
                address="127.0.0.1",
                port=host.port,
                user=host.user,
                host_key=host.host_key,
            ),
            secrets={"private_key": openssh.key},
            queue=QUEUE,
            max_concurrent=8,
        )
    )
    for number in range(count):
        home = homes / f"account-{number:03}"
        home.mkdir(parents=True)
        for page in range(4):
            (home / f"page-{page}.html").write_text(f"account {number}, page {page}\n" * 20)
        client.accounts_add(AccountInput(name=home.name, host="reed-2", home=str(home)))
    client.stores_add(sftp_store(stand_in))
    client.jobs_add(
        JobInput(name="nightly", contents=["files"], stores=["boathouse"], timetable="by hand")
    )


def test_a_run_elsewhere_and_all_that_follows(
    tmp_path: Path, broker: Any, openssh: Any, stand_in: SftpStandIn
) -> None:
    with service(tmp_path / "home", FASCICULUS_BROKER=broker.url) as running:
        with running.client() as client, workers_of(running, tmp_path, "north-1", "north-2"):
            set_up(client, openssh, stand_in, tmp_path / "homes", 6)
            for _ in range(2):
                done = run(client, "nightly")
                assert done.outcome == "done", [(t.subject, t.outcome, t.error) for t in done.tasks]
            assert len(client.bundles_list().items) == 12
