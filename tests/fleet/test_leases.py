"""Messages and files that the service accepts of a worker."""

from __future__ import annotations

from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import pytest
from nights import artifact, made

from fasciculus import config as configuration
from fasciculus.config import Config
from fasciculus.contracts.artifacts import Artifact
from fasciculus.contracts.events import Log, to_line
from fasciculus.contracts.order_files import files_of
from fasciculus.contracts.orders import BackupOrder, StoreOrder
from fasciculus.records.fleet.workers import EnrolledWorker
from fasciculus.service.fleet import lease as module
from fasciculus.service.fleet.files import LeaseFiles
from fasciculus.service.fleet.lease import Lease
from fasciculus.service.fleet.routing import queue_for

WORKER = EnrolledWorker(
    id="w",
    name="north-1",
    queue="north",
    recipient="",
    key=b"",
    version="",
    place="",
    slots=1,
    drains=False,
    enrolled=datetime.now(UTC),
    last_seen=None,
)


@pytest.fixture
def config(tmp_path: Path) -> Config:
    found = configuration.load({"FASCICULUS_HOME": str(tmp_path / "home")})
    found.under_way.mkdir(parents=True)
    return found


def order(config: Config, **more: Any) -> BackupOrder:
    def kept(name: str) -> Artifact:
        return Artifact.within("home", config.home, config.home / name)

    values: dict[str, Any] = {
        "run": 1,
        "job": "nightly",
        "subject": {
            "kind": "account",
            "name": "millpond",
            "host": "reed-2",
            "root": "/home/millpond",
        },
        "contents": ["files"],
        "host": {"settings": '{"kind": "ssh"}', "queue": "north"},
        "stores": [{"name": "boathouse", "settings": '{"kind": "sftp"}', "store_id": "5" * 32}],
        "piece_size": 1,
        "spool": str(artifact("/x")),
        "spool_limit": 1,
        "listing": "/x",
        "writer": "test",
    }
    found: BackupOrder = made(BackupOrder, {**values, **more})
    found.listing = kept("listings/under-way/task-1.zst")
    found.before = kept("listings/account/millpond/before.zst")
    found.own_folders = [kept("."), kept("keys")]
    return found


def test_events_come_once_and_in_order(config: Config) -> None:
    lease = Lease(WORKER, order(config))
    lines = [to_line(Log("info", str(number))) for number in range(6)]
    assert not lease.renew(), "nothing before it has begun"
    assert lease.begin("a" * 32) and lease.begin("a" * 32) and not lease.begin("b" * 32)
    lease.take(0, lines[:2])
    lease.take(0, lines[:3])  # the answer was lost
    lease.take(2, lines[2:4])
    lease.take(4, [])
    with pytest.raises(ValueError, match="missing"):
        lease.take(5, lines[5:])
    with pytest.raises(ValueError):
        lease.take(4, [b'{"event": "strange"}'])
    lease.take(4, lines[4:])
    lease.close("was removed")
    found = []
    while (event := lease.next_event()) is not None:
        assert isinstance(event, Log)
        found.append(event.text)
    assert found == ["0", "1", "2", "3", "4", "5"] and lease.ended == "was removed"
    assert not lease.renew() and not lease.begin("a" * 32)


def test_silence_ends_it(config: Config, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(module, "OFFER_SECONDS", 0.05)
    monkeypatch.setattr(module, "LEASE_SECONDS", 0.2)
    offered = Lease(WORKER, order(config))
    assert offered.next_event() is None and not offered.is_begun
    begun = Lease(WORKER, order(config))
    begun.begin("a" * 32)
    assert begun.next_event() is None and begun.is_begun and not begun.is_over


def test_an_order_names_what_may_be_read_and_what_may_be_left(config: Config) -> None:
    rows = {Path(row.artifact).name: row.is_output for row in files_of(order(config))}
    assert rows == {"task-1.zst": True, "before.zst": False}


def test_a_worker_reaches_no_other_file(config: Config, tmp_path: Path) -> None:
    files = LeaseFiles(config, Lease(WORKER, order(config)))
    before = config.listings / "account/millpond/before.zst"
    before.parent.mkdir(parents=True)
    before.write_bytes(b"the one before")
    (config.home / "keys").mkdir()
    (config.home / "keys/secrets.key").write_bytes(b"secret")
    assert [(row.reference, row.size) for row in files.existing()] == [
        ("home/listings/account/millpond/before.zst", 14)
    ]
    assert files.read("home/listings/account/millpond/before.zst", 4) == b"one before"
    for reference in (
        "home/keys/secrets.key",
        "home/.",
        "spool/x",
        "home/../home/keys/secrets.key",
        "home/listings/account/millpond",
        "home/listings/account/millpond/before.zst/../x",
        "/etc/passwd",
        "home/listings/under-way/task-10.zst",
        "home/listings/under-way/task-1.zst.x",
    ):
        with pytest.raises((ValueError, OSError)):
            files.read(reference, 0)
        with pytest.raises(ValueError):
            files.write(reference, 0, b"x", True)
    with pytest.raises(ValueError, match="not to be written"):
        files.write("home/listings/account/millpond/before.zst", 0, b"x", True)
    left, target = "home/listings/under-way/task-1.zst", config.under_way / "task-1.zst"
    files.write(left, 0, b"list", False)
    with pytest.raises(ValueError, match="missing"):
        files.write(left, 9, b"x", False)
    files.write(left, 0, b"list", False)  # the answer was lost
    files.write(left, 4, b"ing", True)
    assert not target.exists()
    files.finish()
    assert target.read_bytes() == b"listing" and list(config.under_way.iterdir()) == [target]
    target.unlink()
    target.symlink_to(config.home / "keys/secrets.key")
    assert len(files.existing()) == 1
    with pytest.raises(OSError):
        files.read(left, 0)


def test_an_order_goes_to_the_queue_near_its_host(config: Config) -> None:
    found = order(config)
    assert queue_for(found) == "north"
    found.host.queue = ""
    assert queue_for(found) == ""
    south = StoreOrder(name="mill", settings='{"kind": "sftp"}', store_id="5" * 32, queue="south")
    found.stores.append(south)
    assert queue_for(found) == "south"
    found.host.queue = "north"
    assert queue_for(found) == "north"
    south.is_here = True
    assert queue_for(found) == "", "only this machine reaches all of it"
    south.is_here = False
    found.host.settings = '{"kind": "local"}'
    assert queue_for(found) == ""
