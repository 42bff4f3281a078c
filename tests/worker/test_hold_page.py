"""The hold page, with real nginx and the lines of docs/hold-page.md."""

from __future__ import annotations

import os
import re
import shutil
import signal
import subprocess
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import httpx
import pytest
from ports import free_port
from running import run, set_up, until, workers

from fasciculus.models import (
    AccountInput,
    Command,
    HostInput,
    JobInput,
    Site,
    StoreInput,
)

DOC = Path(__file__).parents[2] / "docs/hold-page.md"


class Nginx:
    """Serves one site with the lines of the documentation."""

    def __init__(self, folder: Path, root: Path, flags: Path) -> None:
        self.port = free_port()
        lines = re.search(r"```nginx\n(.*?)```", DOC.read_text(), re.S)[1].replace(
            "/run/fasciculus-hold", str(flags)
        )
        config = folder / "nginx.conf"
        folder.mkdir()
        config.write_text(
            f"pid {folder}/pid;\nerror_log {folder}/error.log;\nuser root;\nevents {{}}\nhttp "
            f"{{\n access_log off;\n"
            f" client_body_temp_path {folder}/b;\n proxy_temp_path {folder}/p;\n "
            f"fastcgi_temp_path {folder}/f;\n"
            f" uwsgi_temp_path {folder}/u;\n scgi_temp_path {folder}/s;\n"
            f" server {{\n listen 127.0.0.1:{self.port};\n server_name millpond.example;\n root "
            f"{root};\n{lines} }}\n}}\n"
        )
        program = shutil.which("nginx", path="/usr/sbin:/usr/bin")
        assert program, "nginx is missing"
        self.process = subprocess.Popen([program, "-c", str(config), "-g", "daemon off;"])
        until(lambda: self.answer() is not None)

    def answer(self) -> httpx.Response | None:
        try:
            return httpx.get(
                f"http://127.0.0.1:{self.port}/",
                headers={"Host": "millpond.example"},
                trust_env=False,
                timeout=30,
            )
        except httpx.HTTPError:
            return None


@pytest.fixture
def site(tmp_path: Path) -> Iterator[Any]:
    root, flags = tmp_path / "millpond/public", tmp_path / "hold"
    root.mkdir(parents=True)
    (root / "index.html").write_text("pots")
    server = Nginx(tmp_path / "nginx", root, flags)
    yield server, flags
    server.process.terminate()
    server.process.wait(30)


def test_the_site_holds_while_its_bundle_is_taken_and_never_longer(
    running_process: Any, site: Any, tmp_path: Path
) -> None:
    server, flags = site
    (tmp_path / "attic").mkdir()
    gate = tmp_path / "gate"
    os.mkfifo(gate)
    account = AccountInput(
        name="millpond",
        host="reed-1",
        home=str(tmp_path / "millpond"),
        sites=[Site(name="millpond.example", root=str(tmp_path / "millpond/public"))],
    )
    running = running_process
    with running.client() as client:
        set_up(
            client,
            [account],
            [
                StoreInput(
                    name="attic", settings={"kind": "folder", "folder": str(tmp_path / "attic")}
                )
            ],
        )
        client.hosts_change("reed-1", HostInput(name="reed-1", hold_flag=f"{flags}/{{site}}"))
        old = client.jobs_show("nightly").model_dump(include=set(JobInput.model_fields))
        wait = Command(when="before", command=f"cat {gate}", seconds=60)
        client.jobs_change("nightly", JobInput(**{**old, "hold_page": True, "commands": [wait]}))
        assert server.answer().text == "pots"

        number = client.jobs_start("nightly").id
        held = until(lambda: (a := server.answer()).status_code == 503 and a)
        assert held.headers["retry-after"] == "300" and "moment" in held.text
        gate.write_text("go")
        until(lambda: client.runs_show(number).state == "ended")
        assert server.answer().text == "pots" and client.runs_show(number).outcome == "done"

        # A worker that is killed cannot take it away itself.
        number = client.jobs_start("nightly").id
        until(lambda: server.answer().status_code == 503)
        (worker,) = workers(running.process.pid)
        os.kill(worker, signal.SIGKILL)
        until(lambda: client.runs_show(number).state == "ended")
        assert client.runs_show(number).outcome == "interrupted"
        assert server.answer().text == "pots"

        # Nor can a service that is killed together with its worker: the next one does.
        client.jobs_start("nightly")
        until(lambda: server.answer().status_code == 503)
        (worker,) = workers(running.process.pid)
        os.kill(worker, signal.SIGSTOP)
        running.kill()
        os.kill(worker, signal.SIGKILL)
        assert server.answer().status_code == 503
        running.start()
        until(lambda: server.answer().text == "pots")
        client.jobs_change("nightly", JobInput(**{**old, "hold_page": True}))
        assert run(client, "nightly").outcome == "done" and not list(flags.iterdir())
    # The commands of killed workers ended with them: nobody reads there any more.
    with pytest.raises(OSError, match="No such device"):
        os.open(gate, os.O_WRONLY | os.O_NONBLOCK)
