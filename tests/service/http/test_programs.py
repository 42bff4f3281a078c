"""Interfaces to other programs: systemd, log readers, and deleted accounts."""

from __future__ import annotations

import json
import logging
import socket
from collections.abc import Callable, Iterator
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import pytest
from running import Service, folder_stores, run, set_up, small_account, until

from fasciculus.config import Config, load
from fasciculus.core.errors import SettingError
from fasciculus.models import JobInput
from fasciculus.records import inventory
from fasciculus.records.db import stamp
from fasciculus.service import log_output
from fasciculus.service.systemd import SystemdNotifier, watchdog_seconds


@pytest.fixture
def systemd(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[Callable[..., Any]]:
    """Systemd's end of the notification socket, with the received messages."""
    path = str(tmp_path / "notify")
    end = socket.socket(socket.AF_UNIX, socket.SOCK_DGRAM)
    end.bind(path)
    end.settimeout(20)
    monkeypatch.setenv("NOTIFY_SOCKET", path)
    yield lambda: end.recv(256).decode()
    end.close()


def test_systemd_is_told_that_the_service_is_ready_well_and_stopping(
    systemd: Callable[..., Any], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("WATCHDOG_USEC", "60000")
    well = [True]
    found = SystemdNotifier(lambda: well[0])
    found.ready()
    assert systemd() == "READY=1"
    assert [systemd() for _ in range(3)] == ["WATCHDOG=1"] * 3
    well[0] = False
    found.stopping()
    while (told := systemd()) == "WATCHDOG=1":
        pass
    assert told == "STOPPING=1"


def test_without_systemd_nothing_is_told(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.delenv("NOTIFY_SOCKET", raising=False)
    found = SystemdNotifier(lambda: True)
    found.ready()
    found.stopping()
    assert [watchdog_seconds(text) for text in ("120000000", "", "soon")] == [120, 0, 0]


@pytest.fixture
def root_logger() -> Iterator[Any]:
    """The root logger without handlers, as at a program's start; restored afterwards."""
    root = logging.getLogger()
    kept, level = root.handlers[:], root.level
    root.handlers.clear()
    yield root
    for handler in root.handlers:
        handler.close()
    root.handlers[:] = kept
    root.setLevel(level)


def settings(tmp_path: Path, **more: Any) -> Config:
    return load({"FASCICULUS_HOME": str(tmp_path), **{k.upper(): v for k, v in more.items()}})


def test_the_log_is_json_and_is_rotated(tmp_path: Path, root_logger: Any) -> None:
    # Pytest has put its own there meanwhile.
    root_logger.handlers.clear()
    path = tmp_path / "log" / "fasciculus.log"
    log_output.set_up(
        settings(
            tmp_path,
            fasciculus_log_file=str(path),
            fasciculus_log_format="json",
            fasciculus_log_size="400",
            fasciculus_log_files="2",
        )
    )
    for number in range(20):
        logging.getLogger("fasciculus.reed").warning("store %s lags behind", number)
    files = sorted(row.name for row in path.parent.iterdir())
    assert files == ["fasciculus.log", "fasciculus.log.1", "fasciculus.log.2"]
    line = json.loads(path.read_text().splitlines()[-1])
    assert line["message"] == "store 19 lags behind" and line["level"] == "WARNING"
    assert line["logger"] == "fasciculus.reed" and datetime.fromisoformat(line["at"]).tzinfo
    with pytest.raises(SettingError, match="log_format"):
        settings(tmp_path, fasciculus_log_format="xml")


def test_copies_of_accounts_that_are_gone_have_a_rule_of_their_own(
    running: Service, tmp_path: Path
) -> None:
    with running.client() as client:
        accounts = [small_account(tmp_path, name) for name in ("millpond", "ferryline")]
        set_up(client, accounts, folder_stores(tmp_path, "attic"))
        for _ in range(3):
            run(client, "nightly")
        parts = running.parts
        with parts.records.write() as db:
            inventory.mark_gone(db, "millpond", stamp(datetime.now(UTC) - timedelta(days=3)))
        until(lambda: not parts.tasks.busy())
        parts.housekeeper.retire_gone()
        assert client.bundles_list(subject="millpond").total == 3, "no rule, nothing goes"
        job = client.jobs_show("nightly").model_dump(include=set(JobInput.model_fields))
        client.jobs_change("nightly", JobInput(**{**job, "keep_gone": "1 newest"}))
        newest = client.bundles_list(subject="millpond").items[0].name
        parts.housekeeper.retire_gone()
        assert [row.name for row in client.bundles_list(subject="millpond").items] == [newest]
        folder = tmp_path / "attic/accounts/millpond/bundles"
        assert [path.name for path in folder.iterdir()] == [newest]
        assert client.bundles_list(subject="ferryline").total == 3
