"""A real service for tests, and commands for it."""

from __future__ import annotations

import atexit
import io
import os
import signal
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Self, TypeVar

import httpx
from ports import free_port
from waitress import wasyncore

from fasciculus.cli.main import main as command_line
from fasciculus.client import Client
from fasciculus.config import load
from fasciculus.databases.base import ServerSpec
from fasciculus.databases.mariadb.server import MariaDbSettings
from fasciculus.demo.mariadb import PrivateMariaDb
from fasciculus.demo.sftp import SftpStandIn
from fasciculus.models import (
    AccountInput,
    HostInput,
    JobInput,
    RunDetail,
    StoreInput,
)
from fasciculus.records import users
from fasciculus.service import administration
from fasciculus.service import main as program
from fasciculus.service.context import Context
from fasciculus.service.http.app import create_app
from fasciculus.service.http.web_server import listen
from fasciculus.stores import store_spec
from fasciculus.stores.base import StoreSpec
from fasciculus.worker.pool import WorkerPool

PASSWORD = "sedge-and-quill"
#: Services in the process of the tests hash passwords cheaply; there are hundreds of them.
DEAR, users.HASHING = users.HASHING, "scrypt:1024:8:1"
MIB = 1024 * 1024
T = TypeVar("T")


class SharedWorkers(WorkerPool):
    """Forks the workers of all services in the process of the tests from one process: hundreds of
    them would each import everything.
    """

    def close(self) -> None:
        """Leave it to the next service."""


_WORKERS = SharedWorkers()
atexit.register(WorkerPool.close, _WORKERS)
program.WorkerPool = lambda: _WORKERS  # type: ignore[assignment,misc]


def until(condition: Callable[[], T], seconds: float = 30.0) -> T:
    """Ask again and again until the answer is true; fail after a while."""
    deadline = time.monotonic() + seconds
    pause = 0.01
    while not (found := condition()):
        if time.monotonic() > deadline:
            raise AssertionError("it did not come true in time")
        # Not a guess at how long something takes: only how often it is asked for.
        time.sleep(pause)
        pause = min(pause * 1.5, 0.2)
    return found


class Service:
    """A service on a free port of loopback, here in the process of the tests.

    It is built, started and stopped like the program, with the same web server and worker
    processes. ``ServiceProcess`` is for tests that need a separate process.
    """

    def __init__(self, home: Path, **environment: str) -> None:
        self.home = home
        self.port = free_port()
        self.environment = {
            **os.environ,
            "FASCICULUS_HOME": str(home),
            "FASCICULUS_PORT": str(self.port),
            "FASCICULUS_ADMIN_PASSWORD": PASSWORD,
            "FASCICULUS_WEBHOOK_NETWORKS": "127.0.0.0/8",
            # A copy may come at any time: tests that look at stores want to know when.
            "FASCICULUS_RECORDS_STORES": "none",
            **environment,
        }
        self.environment.pop("FASCICULUS_TOKEN", None)
        self.url = f"http://127.0.0.1:{self.port}"
        self.token = ""
        self.parts: Context | None = None

    def start(self) -> Self:
        self.home.mkdir(parents=True, exist_ok=True)
        self._begin()
        if not self.token:
            with Client(self.url) as client:
                client.session_open("administrator", PASSWORD)
                self.token = client.tokens_add("tests").token
        return self

    def _begin(self) -> None:
        config = load(self.environment)
        parts = program.build(config, self.environment)
        self._server = listen(create_app(parts), config)
        self.parts = parts
        program.start(parts)
        self._loop = threading.Thread(target=self._server.run, daemon=True)
        self._loop.start()

    def stop(self) -> None:
        if self.parts is not None:
            self.parts.events.close()
            # In its own thread: a socket that is being polled stays open when it is closed.
            channels = self._server._map
            with suppress(OSError):  # it was awake already, and has closed it
                self._server.trigger.pull_trigger(
                    lambda: wasyncore.close_all(channels, ignore_all=True)
                )
            self._loop.join(30)
            self._server.task_dispatcher.shutdown()
            program.stop(self.parts)
            self.parts = None

    def client(self) -> Client:
        return Client(self.url, token=self.token)

    def surroundings(self, **more: str) -> dict[str, str]:
        """The environment of a command for this service."""
        return {
            **self.environment,
            "FASCICULUS_URL": self.url,
            "FASCICULUS_TOKEN": self.token,
            "COLUMNS": "200",
            "HOME": str(self.home.parent),
            **more,
        }

    def cli(self, *words: str, env: dict[str, str] | None = None, typed: str = "") -> Said:
        """Run a command in the process of the tests, and return its output."""
        with surroundings(self.surroundings(**(env or {}))):
            return say(*words, typed=typed)

    def administer(self, *words: str) -> Said:
        """Run what ``fasciculus admin`` becomes, in the process of the tests."""
        with surroundings(self.surroundings()):
            return say(*words, program=administration.main)

    def program(self, *words: str) -> subprocess.CompletedProcess[str]:
        """The same by the installed program, in a separate process."""
        name = str(Path(sys.executable).with_name("fasciculus"))
        return subprocess.run(
            [name, *words], env=self.surroundings(), capture_output=True, text=True, timeout=120
        )


class ServiceProcess(Service):
    """``fasciculus serve``: for what is killed, or starts and stops as a program."""

    process: subprocess.Popen[bytes] | None = None

    def _begin(self) -> None:
        self.log = self.home.parent / f"{self.home.name}.log"
        with self.log.open("ab") as log:
            self.process = subprocess.Popen(
                [str(Path(sys.executable).with_name("fasciculus")), "serve"],
                env=self.environment,
                stdin=subprocess.DEVNULL,
                stdout=log,
                stderr=log,
            )
        until(self._answers, 60)

    def _answers(self) -> bool:
        assert self.process is not None
        if self.process.poll() is not None:
            raise AssertionError(self.log.read_text())
        try:
            # To read the authorities of certificates takes longer than the rest of it.
            found = httpx.get(f"{self.url}/health", trust_env=False, verify=False)
            return found.status_code == 200
        except httpx.HTTPError:
            return False

    def kill(self) -> None:
        """End it as a power cut would."""
        assert self.process is not None
        self.process.send_signal(signal.SIGKILL)
        self.process.wait(30)

    def stop(self) -> None:
        if self.process is not None and self.process.poll() is None:
            self.process.terminate()
            self.process.wait(60)


@dataclass(frozen=True, slots=True)
class Said:
    """The output of a command, and its exit code."""

    returncode: int
    stdout: str
    stderr: str


@contextmanager
def surroundings(environment: dict[str, str]) -> Iterator[None]:
    """Another environment for a while."""
    kept = dict(os.environ)
    os.environ.clear()
    os.environ.update(environment)
    try:
        yield
    finally:
        os.environ.clear()
        os.environ.update(kept)


def say(*words: str, typed: str = "", program: Callable[[], int | None] = command_line) -> Said:
    """Run the command line here, with ``typed`` as its standard input."""
    streams = [io.TextIOWrapper(io.BytesIO(text.encode())) for text in (typed, "", "")]
    kept = sys.argv, sys.stdin, sys.stdout, sys.stderr
    sys.argv = ["fasciculus", *words]
    sys.stdin, sys.stdout, sys.stderr = streams
    try:
        code: Any = program()
    except SystemExit as end:
        code = end.code
    finally:
        sys.argv, sys.stdin, sys.stdout, sys.stderr = kept
    for stream in streams:
        stream.flush()
    wrote = [stream.buffer.getvalue().decode() for stream in streams[1:]]
    return Said(int(code or 0), *wrote)


@contextmanager
def service(home: Path, **environment: str) -> Iterator[Service]:
    running = Service(home, **environment)
    try:
        yield running.start()
    finally:
        running.stop()


@contextmanager
def service_process(home: Path, **environment: str) -> Iterator[ServiceProcess]:
    running = ServiceProcess(home, **environment)
    try:
        yield running.start()
    finally:
        running.stop()


def children(pid: int) -> list[tuple[int, str]]:
    """The processes that a process started, with their command lines."""
    found = subprocess.run(
        ["ps", "-ww", "--ppid", str(pid), "-o", "pid=,args="], capture_output=True, text=True
    )
    rows = [line.split(maxsplit=1) for line in found.stdout.splitlines()]
    return [(int(number), args) for number, args in rows if "defunct" not in args]


def workers(service_pid: int) -> list[int]:
    """The workers of a service, which its fork server started."""
    servers = [number for number, args in children(service_pid) if "fasciculus.worker" in args]
    return [number for server in servers for number, _ in children(server)]


def folder_stores(folder: Path, *names: str) -> list[StoreInput]:
    """Stores of this machine, each in its own folder."""
    for name in names:
        (folder / name).mkdir()
    return [
        StoreInput(name=name, settings={"kind": "folder", "folder": str(folder / name)})
        for name in names
    ]


def sftp_store(
    stand_in: SftpStandIn, name: str = "boathouse", password: str | None = None
) -> StoreInput:
    (stand_in.root / "bundles").mkdir(exist_ok=True)
    return StoreInput(
        name=name,
        settings={
            "kind": "sftp",
            "address": "127.0.0.1",
            "port": stand_in.port,
            "user": stand_in.user,
            "folder": "/bundles",
            "host_key": stand_in.host_key,
        },
        secrets={"password": stand_in.password if password is None else password},
    )


def small_account(folder: Path, name: str, files: int = 3) -> AccountInput:
    """An account of a few files, described."""
    home = folder / name
    home.mkdir(parents=True)
    for number in range(files):
        (home / f"page-{number}.html").write_text(f"{name} {number}\n" * 20)
    return AccountInput(name=name, host="reed-1", home=str(home))


@contextmanager
def private_mariadb(folder: Path) -> Iterator[PrivateMariaDb]:
    """A MariaDB server of a test's own, with the user that the service signs in as."""
    found = PrivateMariaDb(folder)
    found.run(
        "CREATE USER fasciculus@localhost IDENTIFIED BY 'ledger'",
        "GRANT ALL ON *.* TO fasciculus@localhost WITH GRANT OPTION",
    )
    yield found
    found.close()


def mariadb_spec(password: str = "", **settings: Any) -> ServerSpec:
    """The connection of a test to a MariaDB server."""
    return ServerSpec(MariaDbSettings(**settings), {"password": password} if password else {})


def run(client: Client, job: str) -> RunDetail:
    return client.start(job).wait()


def set_up(
    client: Client, accounts: list[AccountInput], stores: list[StoreInput], **job: Any
) -> None:
    """A host, its accounts, stores, and the job “nightly” by hand."""
    client.hosts_add(HostInput(name="reed-1"))
    for account in accounts:
        client.accounts_add(account)
    for store in stores:
        client.stores_add(store)
    fields: dict[str, Any] = {"timetable": "by hand", "contents": ["files"], **job}
    client.jobs_add(JobInput(name="nightly", stores=[store.name for store in stores], **fields))


def stand_in_spec(stand_in: SftpStandIn, **changes: object) -> StoreSpec:
    settings = {
        "address": "127.0.0.1",
        "port": stand_in.port,
        "user": stand_in.user,
        "folder": "/",
        "host_key": stand_in.host_key,
        **changes,
    }
    return store_spec("boathouse", {"kind": "sftp", **settings}, {"password": stand_in.password})
