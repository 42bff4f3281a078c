"""Three workers in network namespaces, killed and cut off at random: ``fleet_fault_run.py COUNT``.

Accounts are backed up until each has its bundle. Then no account may be without one, no bundle may
be on the store that the records lack, and none may be in the records that the store lacks.
"""

from __future__ import annotations

import random
import subprocess
import sys
import tempfile
import threading
import time
from collections import Counter
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager, suppress
from dataclasses import dataclass, field
from pathlib import Path

from fleet_servers import Redis, WorkerProgram
from openssh import OpenSsh
from running import service, sftp_store, until

from fasciculus.client import Client
from fasciculus.demo.sftp import SftpStandIn
from fasciculus.models import AccountInput, HostInput, JobInput, KindSettings

NETWORK = "10.231.77"
NAMES = ("north-1", "north-2", "north-3")


def ip(*words: str) -> None:
    subprocess.run(["ip", *words], check=True, capture_output=True)


@contextmanager
def network() -> Iterator[None]:
    """A bridge on this machine, and a namespace for each worker."""
    _remove_network()
    ip("link", "add", "fasciculus0", "type", "bridge")
    ip("addr", "add", f"{NETWORK}.1/24", "dev", "fasciculus0")
    ip("link", "set", "fasciculus0", "up")
    for number, name in enumerate(NAMES, 11):
        ip("netns", "add", name)
        ip("link", "add", f"f-{name}", "type", "veth", "peer", "name", "eth0", "netns", name)
        ip("link", "set", f"f-{name}", "master", "fasciculus0", "up")
        ip("-n", name, "addr", "add", f"{NETWORK}.{number}/24", "dev", "eth0")
        ip("-n", name, "link", "set", "eth0", "up")
        ip("-n", name, "link", "set", "lo", "up")
    try:
        yield
    finally:
        _remove_network()


def _remove_network() -> None:
    for name in NAMES:
        with suppress(subprocess.CalledProcessError):
            ip("netns", "del", name)
    with suppress(subprocess.CalledProcessError):
        ip("link", "del", "fasciculus0")


@dataclass
class Figures:
    """The faults of a run and their results."""

    faults: Counter[str] = field(default_factory=Counter)
    outcomes: Counter[str] = field(default_factory=Counter)
    runs: int = 0
    lost: list[str] = field(default_factory=list)
    doubled: list[str] = field(default_factory=list)
    seconds: float = 0.0


class Faults:
    """Kills workers and cuts their network, one fault after the other, until it is stopped."""

    def __init__(self, workers: list[WorkerProgram], redis: Redis, figures: Figures) -> None:
        self._workers, self._redis, self._figures = workers, redis, figures
        self._random, self._stop = random.Random(7), threading.Event()
        self._thread = threading.Thread(target=self._work)
        self._thread.start()

    def stop(self) -> None:
        self._stop.set()
        self._thread.join()

    def _work(self) -> None:
        while not self._stop.wait(self._random.uniform(1.0, 4.0)):
            worker = self._random.choice(self._workers)
            kind = self._random.choices(["killed", "cut off", "broker"], [6, 6, 1])[0]
            self._figures.faults[kind] += 1
            if kind == "killed":
                worker.kill()
                self._stop.wait(self._random.uniform(0.0, 5.0))
                worker.again()
            elif kind == "cut off":
                ip("link", "set", f"f-{worker.name}", "down")
                self._stop.wait(self._random.uniform(0.5, 10.0))
                ip("link", "set", f"f-{worker.name}", "up")
            else:
                self._redis.stop()
                self._stop.wait(self._random.uniform(0.0, 3.0))
                self._redis.start()


def set_up(client: Client, openssh: OpenSsh, store: SftpStandIn, homes: Path, count: int) -> None:
    host = openssh.host()
    connection = {"address": host.address, "port": host.port, "user": host.user}
    client.hosts_add(
        HostInput(
            name="reed-2",
            connection=KindSettings(kind="ssh", host_key=host.host_key, **connection),  # type: ignore[call-arg]
            secrets={"private_key": openssh.key},
            queue="north",
            max_concurrent=8,
        )
    )
    for number in range(count):
        home = homes / f"account-{number:04}"
        home.mkdir(parents=True)
        for page in range(4):
            (home / f"page-{page}.html").write_text(f"account {number}, page {page}\n" * 20)
        client.accounts_add(AccountInput(name=home.name, host="reed-2", home=str(home)))
    boathouse = sftp_store(store)
    boathouse.settings = KindSettings(
        **{**boathouse.settings.model_dump(), "address": f"{NETWORK}.1"}
    )
    client.stores_add(boathouse)
    client.jobs_add(JobInput(name="nightly", contents=["files"], stores=["boathouse"]))


def fault_run(folder: Path, count: int, rounds: int) -> Figures:
    """Back up accounts while workers fail, then until all have a bundle; return the figures."""
    figures, begun = Figures(), time.monotonic()
    address = f"{NETWORK}.1"
    (folder / "openssh").mkdir(parents=True)
    with ExitStack() as stack:
        stack.enter_context(network())
        openssh = OpenSsh(folder / "openssh", address=address)
        stack.callback(openssh.close)
        store = SftpStandIn(
            folder / "boathouse", folder / "key", "heron", "boat-and-rope", address=address
        )
        stack.callback(store.close)
        redis = Redis(folder / "redis", address)
        stack.callback(redis.stop)
        settings = {"FASCICULUS_BROKER": redis.url, "FASCICULUS_ADDRESS": "0.0.0.0"}
        running = stack.enter_context(service(folder / "home", **settings))
        client = stack.enter_context(running.client())
        set_up(client, openssh, store, folder / "homes", count)
        workers = []
        for name in NAMES:
            inside = ("ip", "netns", "exec", name)
            url = f"http://{address}:{running.port}"
            workers.append(WorkerProgram(running, folder, name, prefix=inside, url=url))
            stack.callback(workers[-1].close)
        _until_all_are_there(client)
        faults = Faults(workers, redis, figures)
        stack.callback(faults.stop)
        until(lambda: figures.faults.total())
        for _ in range(rounds):
            _one_round(client, figures)
        faults.stop()
        _until_all_are_there(client)
        while _without(client):
            _one_round(client, figures)
        _compare(client, store, figures, count)
    figures.seconds = time.monotonic() - begun
    return figures


def _until_all_are_there(client: Client) -> None:
    there = ["there"] * len(NAMES)
    until(lambda: [row.state for row in client.workers_list().items] == there, 90)


def _one_round(client: Client, figures: Figures) -> None:
    """Run the job for the accounts that have no bundle yet."""
    names = _without(client)
    if not names:
        return
    ended = client.start("nightly", names=names).wait()
    figures.runs += 1
    figures.outcomes.update(str(task.outcome) for task in ended.tasks)


def _without(client: Client) -> list[str]:
    """Return the accounts that have no bundle."""
    have = {row.subject for row in client.every(client.bundles_list)}
    return [row.name for row in client.every(client.accounts_list) if row.name not in have]


def _compare(client: Client, store: SftpStandIn, figures: Figures, count: int) -> None:
    known = Counter((row.subject, row.name) for row in client.every(client.bundles_list))
    folder = store.root / "bundles/accounts"
    there = {(p.parts[-4], p.parts[-2]) for p in folder.glob("*/bundles/*/bundle.json")}
    figures.doubled += [f"{s} {n}" for (s, n), times in known.items() if times > 1]
    figures.doubled += [f"{s} {n}" for s, n in there - set(known)]
    figures.lost += [f"{s} {n}" for s, n in set(known) - there]
    subjects = {subject for subject, _ in known}
    figures.lost += [f"account-{n:04}" for n in range(count) if f"account-{n:04}" not in subjects]


if __name__ == "__main__":
    with tempfile.TemporaryDirectory() as place:
        print(fault_run(Path(place), int(sys.argv[1]), int(sys.argv[2]) if sys.argv[2:] else 1))
