"""A host over SSH and a store over SFTP, near the workers of queue “north”."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest
from fleet_servers import Redis
from running import Service, service, sftp_store

from fasciculus.client import Client
from fasciculus.demo.sftp import SftpStandIn
from fasciculus.models import AccountInput, HostInput, JobInput, KindSettings
from fasciculus.service.fleet import lease

SetUp = Callable[..., None]


@pytest.fixture
def redis(tmp_path: Path) -> Iterator[Redis]:
    found = Redis(tmp_path / "redis")
    yield found
    found.stop()


@pytest.fixture
def with_fleet(tmp_path: Path, redis: Redis, monkeypatch: pytest.MonkeyPatch) -> Iterator[Service]:
    """A service with a broker that soon takes silent workers for dead."""
    monkeypatch.setattr(lease, "LEASE_SECONDS", 6.0)
    monkeypatch.setattr(lease, "OFFER_SECONDS", 6.0)
    with service(tmp_path / "home", FASCICULUS_BROKER=redis.url) as found:
        yield found


@pytest.fixture
def heronmere_north(tmp_path: Path, openssh: Any, stand_in: SftpStandIn) -> SetUp:
    def set_up(client: Client, count: int = 1, **job: Any) -> None:
        host = openssh.host()
        connection = {
            "kind": "ssh",
            "address": "127.0.0.1",
            "port": host.port,
            "user": host.user,
            "host_key": host.host_key,
        }
        client.hosts_add(
            HostInput(
                name="reed-2",
                connection=KindSettings(**connection),
                secrets={"private_key": openssh.key},
                queue="north",
                max_concurrent=8,
            )
        )
        for number in range(count):
            home = tmp_path / "homes" / f"account-{number:03}"
            home.mkdir(parents=True)
            for page in range(4):
                (home / f"page-{page}.html").write_text(f"account {number}, page {page}\n" * 20)
            client.accounts_add(AccountInput(name=home.name, host="reed-2", home=str(home)))
        client.stores_add(sftp_store(stand_in))
        fields: dict[str, Any] = {"contents": ["files"], "timetable": "by hand", **job}
        client.jobs_add(JobInput(name="nightly", stores=["boathouse"], **fields))

    return set_up
