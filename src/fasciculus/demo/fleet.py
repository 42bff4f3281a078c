"""``python -m fasciculus.demo.fleet``: three workers at work, until Ctrl-C.

It needs Redis (``redis-server``) as the broker. The workers are processes of this machine; each has
its own folder and shares nothing with the service.
"""

from __future__ import annotations

import os
import secrets
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Mapping
from contextlib import suppress
from pathlib import Path

from rich.live import Live
from rich.table import Table

from ..client import Client, ClientError
from ..core.contents import Contents
from ..models import AccountInput, FleetWorker, HostInput, JobInput, KindSettings, StoreInput
from .__main__ import ADMINISTRATOR, PASSWORD, free_port
from .ftp import FtpStandIn
from .sftp import SftpStandIn

_WORKERS = ("north-1", "north-2", "north-3")
_ACCOUNTS = 60
_SPACE = "/srv/reed-2"


class FleetDemo:
    """The broker, the stand-ins, the service and its workers."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._processes: list[subprocess.Popen[bytes]] = []
        password = secrets.token_urlsafe(12)
        self._space = FtpStandIn(folder / "reed-2", "heron", password)
        self._boathouse = SftpStandIn(folder / "boathouse", folder / "key", "heron", password)
        self._port, self._broker = free_port(7470), free_port(7471)

    @property
    def url(self) -> str:
        """Return the address of the service."""
        return f"http://127.0.0.1:{self._port}"

    def start(self) -> None:
        """Start everything, and tell the service of it."""
        self._begin(
            ["redis-server", "--bind", "127.0.0.1", "--port", str(self._broker), "--save", ""]
        )
        environment = {
            "FASCICULUS_HOME": str(self._folder / "home"),
            "FASCICULUS_PORT": str(self._port),
            "FASCICULUS_ADMIN_PASSWORD": PASSWORD,
            "FASCICULUS_BROKER": f"redis://127.0.0.1:{self._broker}/0",
        }
        self._begin([sys.executable, "-m", "fasciculus.service"], environment)
        with self._client() as client:
            self._tell(client)
            for name in _WORKERS:
                self._enrol(client, name)
            while any(row.state != "there" for row in client.workers_list().items):
                time.sleep(0.2)

    def _begin(self, program: list[str], more: Mapping[str, str] | None = None) -> None:
        with (self._folder / "log").open("ab") as log:
            self._processes.append(
                subprocess.Popen(
                    program,
                    env={**os.environ, **(more or {})},
                    stdin=subprocess.DEVNULL,
                    stdout=log,
                    stderr=log,
                    cwd=self._folder,
                    start_new_session=True,
                )
            )

    def _client(self) -> Client:
        """Return a client that is signed in, once the service answers."""
        client, deadline = Client(self.url), time.monotonic() + 60
        while True:
            try:
                client.session_open(ADMINISTRATOR, PASSWORD)
                return client
            except ClientError:
                if time.monotonic() > deadline:
                    raise
                time.sleep(0.2)

    def _tell(self, client: Client) -> None:
        space = KindSettings.model_validate(
            {
                "kind": "ftp",
                "address": "127.0.0.1",
                "port": self._space.port,
                "user": "heron",
                "security": "none",
                "root": _SPACE,
            }
        )
        secret: dict[str, str | None] = {"password": self._space.password}
        client.hosts_add(
            HostInput(
                name="reed-2", connection=space, secrets=secret, queue="north", max_concurrent=9
            )
        )
        for number in range(1, _ACCOUNTS + 1):
            name = f"member-{number:02}"
            pages = self._space.root / name / "sites"
            pages.mkdir(parents=True)
            for page in range(25):
                (pages / f"page-{page}.html").write_text(f"<h1>{name}, page {page}</h1>\n" * 200)
            client.accounts_add(AccountInput(name=name, host="reed-2", home=f"{_SPACE}/{name}"))
        settings = {
            "kind": "sftp",
            "address": "127.0.0.1",
            "port": self._boathouse.port,
            "user": "heron",
            "folder": "/bundles",
            "host_key": self._boathouse.host_key,
        }
        store = KindSettings.model_validate(settings)
        client.stores_add(StoreInput(name="boathouse", settings=store, secrets=secret))
        client.jobs_add(
            JobInput(
                name="nightly",
                contents=[Contents.FILES],
                stores=["boathouse"],
                timetable="daily 02:15",
            )
        )

    def _enrol(self, client: Client, name: str) -> None:
        code = self._folder / f"{name}.code"
        code.write_text(client.workers_code("north").code)
        self._begin(
            [
                *(sys.executable, "-m", "fasciculus.fleet", f"--home={self._folder / name}"),
                *(f"--service={self.url}", f"--code-file={code}", f"--name={name}", "--slots=2"),
            ]
        )

    def show(self) -> None:
        """Run the job, and show what each worker does until it has ended."""
        with self._client() as client, Live(refresh_per_second=4) as live:
            run = client.start("nightly")
            while (shown := client.runs_show(run.id)).state != "ended":
                done = sum(task.state == "ended" for task in shown.tasks)
                live.update(_table(client.workers_list().items, f"{done} of {len(shown.tasks)}"))
                time.sleep(0.25)
            live.update(_table(client.workers_list().items, f"all {len(shown.tasks)}"))
        print(f"The run ended: {shown.outcome}.")

    def close(self) -> None:
        """End everything, the broker last."""
        for process in reversed(self._processes):
            with suppress(ProcessLookupError):
                os.killpg(process.pid, signal.SIGTERM)
        for process in self._processes:
            with suppress(subprocess.TimeoutExpired):
                process.wait(20)
        self._space.close()
        self._boathouse.close()


def _table(rows: list[FleetWorker], done: str) -> Table:
    table = Table(title=f"{done} accounts done")
    for title in ("WORKER", "QUEUE", "UNDER WAY"):
        table.add_column(title, min_width=12)
    for row in rows:
        table.add_row(row.name, row.queue, ", ".join(task.subject for task in row.tasks) or "–")
    return table


def main() -> int:
    """Run the demo; return the exit code."""
    if shutil.which("redis-server") is None:
        print("This demo needs Redis: install redis-server. (make demo needs no server.)")
        return 2
    with tempfile.TemporaryDirectory(prefix="fasciculus-fleet-") as folder:
        demo = FleetDemo(Path(folder))
        try:
            print("Starting a broker, the service, a host, a store and three workers …", flush=True)
            demo.start()
            demo.show()
            print(f"The console: {demo.url} (administrator, {PASSWORD}); see Settings, Workers.")
            print("Ctrl-C ends everything.", flush=True)
            signal.pause()
        except KeyboardInterrupt:
            print("Ending …")
        finally:
            demo.close()
    return 0


if __name__ == "__main__":
    sys.exit(main())
