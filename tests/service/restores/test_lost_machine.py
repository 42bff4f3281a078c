"""A lost machine: the commands of docs/lost-machine.md, followed literally."""

from __future__ import annotations

import dataclasses
import re
import shlex
import shutil
import time
from pathlib import Path
from typing import Any

import pytest
from running import PASSWORD, ServiceProcess, run, sftp_store
from trees import picture

from fasciculus.models import HostInput, JobInput
from fasciculus.service import records_copy

PAGE = Path(__file__).parents[3] / "docs/lost-machine.md"
pytestmark = pytest.mark.xdist_group("mariadb")
SECONDS = "The whole morning, in seconds"


def commands(title: str, page: Path = PAGE) -> list[list[str]]:
    sections = re.split(r"^## ", page.read_text(), flags=re.M)
    text = next(part for part in sections if part.startswith(title))
    return [shlex.split(line)[1:] for line in text.splitlines() if line.startswith("    fasc")]


def every_command() -> list[list[str]]:
    return [shlex.split(line)[1:] for line in PAGE.read_text().splitlines() if "  fasc" in line]


@pytest.fixture
def lost(running: Any, stand_in: Any, mariadb: Any, millpond: Any, tmp_path: Path) -> Path:
    """A service whose bundles are on an SFTP store; the folder of its host's settings."""
    settings = tmp_path / "etc"
    settings.mkdir()
    (settings / "hosts.conf").write_text("reed-1\n")
    (tmp_path / "spare").mkdir()
    with running.client() as client:
        found = client.hosts_show("reed-1").model_dump()
        new = HostInput(**{key: found[key] for key in HostInput.model_fields if key in found})
        new.system = [f"{settings}/*.conf"]
        client.hosts_change("reed-1", new)
        client.stores_add(sftp_store(stand_in))
        nightly = client.jobs_show("nightly").model_dump()
        nightly = {key: nightly[key] for key in JobInput.model_fields if key in nightly}
        client.jobs_change("nightly", JobInput(**{**nightly, "stores": ["boathouse"]}))
        client.jobs_add(
            JobInput(
                name="machines",
                subjects="hosts",
                contents=["system"],
                stores=["boathouse"],
                timetable="by hand",
            )
        )
        assert run(client, "nightly").outcome == "done"
        assert run(client, "machines").outcome == "done"
    return settings


def test_one_page_brings_all_of_it_back(
    tmp_path: Path, running: Any, stand_in: Any, mariadb: Any, millpond: Any, lost: Path
) -> None:
    parts = running.parts
    config = dataclasses.replace(parts.config, records_stores=("boathouse",))
    sheet = tmp_path / "sheet.txt"
    records_copy.copy_if_due(config, parts.records, parts.cipher)
    with running.client() as client:
        (millpond / "sites/new.php").write_text("after the copy of the records")
        assert run(client, "nightly").outcome == "done"
    environment = {**running.environment, "FASCICULUS_RECORDS_STORES": "boathouse"}
    running.environment = environment
    printed = running.administer("recovery-sheet")
    sheet.write_text(printed.stdout)
    assert "--address 127.0.0.1" in printed.stdout and stand_in.password not in printed.stdout
    group = re.findall(r"[A-Z2-7]{4}", printed.stdout.split("Code of the key")[1])[13]
    assert running.administer("recovery-sheet", "--confirm", "AAAA").returncode == 2
    assert running.administer("recovery-sheet", "--confirm", group).returncode == 0
    before, conf = picture(millpond), (lost / "hosts.conf").read_text()
    running.stop()

    shutil.rmtree(running.home)
    shutil.rmtree(millpond)
    shutil.rmtree(tmp_path / "attic")
    (lost / "hosts.conf").unlink()
    mariadb.run("DROP DATABASE shop")
    (tmp_path / "mail/virtual").write_text("")

    short = commands("The machine is lost", PAGE.with_name("worst-morning.md"))
    assert all(words in every_command() for words in short), "both pages say the same"
    began = time.monotonic()
    secret = tmp_path / "secret"
    secret.write_text(stand_in.password)
    there = ServiceProcess(tmp_path / "fresh", **environment)
    there.environment["FASCICULUS_HOME"] = str(there.home)
    there.environment["FASCICULUS_PORT"] = str(there.port)
    (recover,) = commands("The machine with the service")[:1]
    words = [{"FILE": str(secret), "SHEET": str(sheet)}.get(word, word) for word in recover]
    at = words.index("--address") + 1
    words[at], words[words.index("--user") + 1] = "127.0.0.1", stand_in.user
    words += ["--port", str(stand_in.port), "--host-key", stand_in.host_key]
    done = there.program(*words)
    assert done.returncode == 0, done.stderr
    assert "every job is paused" in done.stdout
    there.token = running.token
    try:
        there.start()
        for section in ("The machine with the service", "A host is lost"):
            for words in commands(section):
                if words[0] in ("admin", "serve"):
                    continue
                if words[0] == "sign-in":
                    (tmp_path / "password").write_text(PASSWORD)
                    words = [*words, "--password-file", str(tmp_path / "password")]
                if words[:2] == ["recoveries", "run"]:
                    words = [*words, "--web-address", "127.0.0.1:9", "--yes"]
                said = there.program(*words)
                assert said.returncode == 0, (words, said.stdout, said.stderr)
                if words[0] == "recoveries":
                    assert "Back: 2 of 2 subjects" in said.stdout, said.stdout
        print(SECONDS, time.monotonic() - began)
    finally:
        there.stop()
    assert picture(millpond) == before
    assert (lost / "hosts.conf").read_text() == conf
    assert "info@millpond.example" in (tmp_path / "mail/virtual").read_text()
    with mariadb.connect() as connection, connection.cursor() as cursor:
        cursor.execute("SELECT count(*) FROM shop.orders")
        assert cursor.fetchone() == (500,)
