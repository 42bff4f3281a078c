"""Maintenance that is cancelled, asked for twice, killed: it is said, and every copy is as whole as
before.
"""

from __future__ import annotations

import os
import signal
import threading
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import paramiko
import pytest
from running import (
    run,
    service,
    service_process,
    set_up,
    sftp_store,
    small_account,
    until,
    workers,
)

from fasciculus.client import RefusedError


class Held:
    """Blocks all reading from the stand-in, on request."""

    def __init__(self, monkeypatch: pytest.MonkeyPatch) -> None:
        self.hold, self.reached, self.go_on = (
            threading.Event(),
            threading.Event(),
            threading.Event(),
        )
        read = paramiko.SFTPHandle.read

        def held(handle: Any, offset: Any, length: Any) -> Any:
            if self.hold.is_set():
                self.reached.set()
                self.go_on.wait(60)
            return read(handle, offset, length)

        monkeypatch.setattr(paramiko.SFTPHandle, "read", held)

    def begin(self) -> None:
        self.reached.clear()
        self.go_on.clear()
        self.hold.set()

    def end(self) -> None:
        self.hold.clear()
        self.go_on.set()


@pytest.fixture
def held(monkeypatch: pytest.MonkeyPatch) -> Iterator[Any]:
    found = Held(monkeypatch)
    yield found
    found.end()


def end_of(client: Any, number: Any) -> Any:
    return until(lambda: (u := client.maintenance_show(number)).state == "ended" and u, 90)


def test_maintenance_is_cancelled_killed_and_begun_again(
    tmp_path: Path, stand_in: Any, held: Any
) -> None:
    with service_process(tmp_path / "home") as running:
        with running.client() as client:
            set_up(client, [small_account(tmp_path, "millpond")], [sftp_store(stand_in)])
            run(client, "nightly")
            held.begin()
            (first,) = client.stores_verify("boathouse", deep=True).ids
            assert held.reached.wait(60)
            assert client.stores_verify("boathouse", deep=True).ids == [first], (
                "asked for twice, it is done once"
            )
            (second,) = client.stores_verify("boathouse").ids
            assert client.maintenance_show(second).state == "queued"
            assert running.cli("maintenance", "cancel", str(second)).returncode == 0
            assert (
                end_of(client, second).outcome == "cancelled"
                and "before it began" in client.maintenance_show(second).sentence
            )
            client.maintenance_cancel(first)
            held.end()
            assert end_of(client, first).outcome == "cancelled"
            with pytest.raises(RefusedError, match="ended"):
                client.maintenance_cancel(first)

            held.begin()
            (third,) = client.stores_verify("boathouse", deep=True).ids
            assert held.reached.wait(60)
            for worker in workers(running.process.pid):
                os.kill(worker, signal.SIGKILL)
            held.end()
            ended = end_of(client, third)
            assert ended.outcome == "interrupted" and "was killed (signal 9)" in ended.sentence

            held.begin()
            (fourth,) = client.stores_verify("boathouse", deep=True).ids
            (fifth,) = client.stores_repack("boathouse").ids
            assert held.reached.wait(60)
            running.kill()
            held.end()
        running.start()
        with running.client() as client:
            for number in (fourth, fifth):
                ended = client.maintenance_show(number)
                assert (ended.state, ended.outcome) == (
                    "ended",
                    "interrupted",
                ) and "service was stopped" in ended.sentence
            found = running.cli("stores", "verify", "boathouse", "--deep")
            assert found.returncode == 0 and "intact" in found.stdout, found
            assert run(client, "nightly").outcome == "done", "no reservation is left"
            assert not list((running.home / "spool").iterdir())


def test_a_store_that_is_away_fails_the_verifying_and_no_copy(
    tmp_path: Path, stand_in: Any
) -> None:
    with service(tmp_path / "home") as running, running.client() as client:
        set_up(client, [small_account(tmp_path, "millpond")], [sftp_store(stand_in)])
        run(client, "nightly")
        os.rename(stand_in.root / "bundles", stand_in.root / "away")
        (stand_in.root / "bundles").mkdir()
        (stand_in.root / "bundles/fasciculus-store.json").write_text(
            '{"format": "fasciculus-store", "version": 1, "id": "%s"}' % ("a" * 32)
        )
        found = running.cli("stores", "verify", "boathouse", "--deep")
        assert found.returncode == 1 and "belongs to another store" in found.stdout + found.stderr
        stand_in.close()
        found = running.cli("stores", "verify", "boathouse")
        assert found.returncode == 1 and "Nothing answers" in found.stdout
        assert not client.damage_list().items, "what cannot be seen is not called damaged"
        assert client.stores_show("boathouse").damaged == 0
