"""Killing, cancelling, cutting and missing: whatever happens, no copy is lost and none is half."""

from __future__ import annotations

import contextlib
import json
import os
import shutil
import signal
import subprocess
import threading
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import httpx
import pytest
from gate import Gate
from running import (
    Service,
    ServiceProcess,
    folder_stores,
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
from fasciculus.client.client import Client
from fasciculus.core.bundle.manifest import PieceRecord
from fasciculus.core.subject import Subject
from fasciculus.demo.sftp import SftpStandIn
from fasciculus.models import Command, HostInput, JobInput, StoreInput
from fasciculus.models.inventory.inventory import AccountInput
from fasciculus.records import inventory, settings
from fasciculus.records.db import Records, stamp
from fasciculus.records.jobs import jobs
from fasciculus.records.runs import runs
from fasciculus.records.secret_cipher import SecretCipher
from fasciculus.records.stores import stores
from fasciculus.service.background.scheduler import Scheduler
from fasciculus.service.tasks.backups import AlreadyRunningError, RunStart
from fasciculus.service.tasks.queue import Paused
from fasciculus.stores import open_store, store_spec
from fasciculus.worker.backup.upload import Spool, Uploader
from fasciculus.worker.errors import NoStoreLeftError

MIB = 1024 * 1024


def big_account(tmp_path: Path) -> AccountInput:
    account = small_account(tmp_path, "millpond")
    for number in range(4):
        (tmp_path / f"millpond/data-{number}.bin").write_bytes(os.urandom(2_000_000))
    return account


def complete(stand_in: SftpStandIn) -> list[str]:
    return sorted(p.parent.name for p in (stand_in.root / "bundles").rglob("bundle.json"))


def assert_clean(stand_in: SftpStandIn, client: Client) -> None:
    """Store, records and pieces agree, and every copy is whole."""
    folder = stand_in.root / "bundles/accounts/millpond"
    names = complete(stand_in)
    assert (
        names
        == sorted(os.listdir(folder / "bundles"))
        == sorted(b.name for b in client.every(client.bundles_list))
    )
    needed = set()
    for name in names:
        subprocess.run(
            ["sha256sum", "--quiet", "-c", "SHA256SUMS"], check=True, cwd=folder / "bundles" / name
        )
        needed |= {
            p["name"]
            for p in json.loads((folder / "bundles" / name / "bundle.json").read_text())["pieces"]
        }
    assert set(os.listdir(folder / "pieces")) == needed


@pytest.mark.parametrize("victim", ["worker", "service"])
def test_killing_in_the_middle_of_a_run(tmp_path: Path, stand_in: SftpStandIn, victim: str) -> None:
    with service_process(tmp_path / "home") as running, running.client() as client:
        set_up(client, [big_account(tmp_path)], [sftp_store(stand_in)], piece_size=MIB)
        assert run(client, "nightly").outcome == "done"
        first = complete(stand_in)
        gate = Gate(stand_in, 3_000_000)
        number = client.jobs_start("nightly").id
        assert gate.reached.wait(60)
        (worker,) = workers(running.process.pid)
        if victim == "worker":
            os.kill(worker, signal.SIGKILL)
        else:
            running.kill()
            gate.open()
            # The worker notices by itself that nobody waits for it any more.
            until(lambda: not _alive(worker), 60)
            running.start()
        gate.open()
        found = until(lambda: (r := client.runs_show(number)).state == "ended" and r)
        assert found.outcome == "interrupted" and "No bundle was made" in found.tasks[0].error
        assert complete(stand_in) == first == [b.name for b in client.every(client.bundles_list)]
        until(lambda: not list((running.home / "spool").iterdir()))
        assert "interrupted" in client.overview().attention[0].text
        again = run(client, "nightly")
        assert again.outcome == "done" and again.tasks[0].copies[0].kept == 2
        assert_clean(stand_in, client)


def test_whatever_it_does_the_service_ends_when_it_is_told_to(
    tmp_path: Path, stand_in: SftpStandIn
) -> None:
    """A worker that waits for a store, a command that never ends, and an open live view."""
    with service_process(tmp_path / "home") as running, running.client() as client:
        accounts = [big_account(tmp_path), small_account(tmp_path, "zither")]
        set_up(client, accounts, [sftp_store(stand_in)], piece_size=MIB)
        endless = Command(when="before", command="trap '' TERM; sleep 300", seconds=3600)
        client.jobs_add(
            JobInput(
                name="endless",
                choice="listed",
                names=["zither"],
                stores=["boathouse"],
                timetable="by hand",
                commands=[endless],
            )
        )
        client.jobs_change("nightly", _only(client, "millpond"))
        gate = Gate(stand_in, 2_000_000)
        numbers = [client.jobs_start(name).id for name in ("nightly", "endless")]
        assert gate.reached.wait(60)
        until(lambda: all(client.runs_show(number).state == "running" for number in numbers))
        own = workers(running.process.pid)
        headers = {"Authorization": f"Bearer {running.token}"}
        with httpx.stream("GET", f"{running.url}/api/v1/live", headers=headers) as watching:
            assert watching.status_code == 200
            running.process.terminate()
            assert running.process.wait(30) == 0
        gate.open()
        until(lambda: not any(_alive(worker) for worker in own), 60)
        running.start()
        for number in numbers:
            until(lambda number=number: client.runs_show(number).state == "ended")  # type: ignore[misc]
            assert client.runs_show(number).outcome == "interrupted"


def _only(client: Client, name: str) -> JobInput:
    job = client.jobs_show("nightly").model_dump(include=set(JobInput.model_fields))
    return JobInput(**{**job, "choice": "listed", "names": [name]})


def _alive(pid: int) -> bool:
    try:
        return Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[0] != "Z"
    except (FileNotFoundError, ProcessLookupError):
        return False


def test_cancelling_leaves_nothing_half(
    running: Service, stand_in: SftpStandIn, tmp_path: Path
) -> None:
    with running.client() as client:
        set_up(
            client,
            [big_account(tmp_path), small_account(tmp_path, "zither")],
            [sftp_store(stand_in)],
            piece_size=MIB,
        )
        gate = Gate(stand_in, 2_000_000)
        number = client.jobs_start("nightly").id
        assert gate.reached.wait(60)
        with pytest.raises(RefusedError, match="running already"):
            client.jobs_start("nightly")
        with pytest.raises(RefusedError, match="running"):
            client.jobs_remove("nightly")
        client.runs_cancel(number)
        gate.open()
        found = until(lambda: (r := client.runs_show(number)).state == "ended" and r, 90)
        assert found.tasks[0].outcome == "cancelled" and found.outcome == "cancelled"
        assert not any(b.subject == "millpond" for b in client.every(client.bundles_list))
        left = [p for p in (stand_in.root / "bundles/accounts/millpond").rglob("*") if p.is_file()]
        assert left == []
        with pytest.raises(RefusedError, match="ended already"):
            client.runs_cancel(number)


def test_a_connection_that_is_cut_mid_piece_is_taken_up_again(
    running: Service, stand_in: SftpStandIn, tmp_path: Path
) -> None:
    with running.client() as client:
        set_up(client, [big_account(tmp_path)], [sftp_store(stand_in)], piece_size=MIB)
        gate = Gate(stand_in, 2_500_000)
        number = client.jobs_start("nightly").id
        assert gate.reached.wait(60)
        stand_in.cut()
        gate.open()
        found = until(lambda: (r := client.runs_show(number)).state == "ended" and r, 90)
        assert found.outcome == "done", found.tasks[0].error
        assert "Trying again" in " ".join(
            line.text for line in client.every(client.runs_log, run_id=number)
        )
        assert_clean(stand_in, client)


def test_a_missed_start_is_made_up_for_once(tmp_path: Path, stand_in: SftpStandIn) -> None:
    with service(tmp_path / "home") as running:
        with running.client() as client:
            set_up(
                client,
                [small_account(tmp_path, "millpond")],
                [sftp_store(stand_in)],
                timetable="daily 02:15",
            )
            assert client.jobs_show("nightly").next_start > datetime.now(UTC)
        running.stop()
        records = Records(running.home / "records" / "fasciculus.sqlite")
        with records.write() as db:
            settings.put(db, "scheduler.last_look", stamp(datetime.now(UTC) - timedelta(days=5)))
        records.close()
        running.start()
        with running.client() as client:
            found = until(lambda: [r for r in client.runs_list().items if r.state == "ended"])
            assert [r.started_by for r in found] == ["timetable, made up for a missed start"]
            assert found[0].outcome == "done"
        running.stop()
        running.start()
        with running.client() as client:
            assert client.runs_list().total == 1


def test_a_start_that_falls_into_the_previous_run_is_shown_as_not_started(tmp_path: Path) -> None:
    records, cipher, told = Records(tmp_path / "records.sqlite"), SecretCipher(tmp_path / "key"), []

    class Busy:
        def start_run(self, start: RunStart) -> None:
            raise AlreadyRunningError(start.job, 12)

        def pause(self, paused: Paused) -> None:
            pass

    with records.write() as db:
        inventory.save_host(db, cipher, HostInput(name="reed-1"), "this machine")
        inventory.save_account(db, small_account(tmp_path, "millpond"))
        stores.save_store(
            db,
            cipher,
            StoreInput(name="attic", settings={"kind": "folder", "folder": "/x"}),
            stores.ProvedStore("/x", "mark"),
        )
        jobs.save_job(db, JobInput(name="nightly", stores=["attic"], timetable="daily 02:15"))
        settings.put(db, "scheduler.last_look", stamp(datetime.now(UTC) - timedelta(days=2)))
    scheduler = Scheduler(records, Busy(), told.append)
    scheduler.start()
    until(lambda: told)
    found = runs.run(records.reader, told[0])
    assert found.outcome == "skipped" and "running already, as run 12" in found.sentence
    assert scheduler.alive
    scheduler.stop()
    assert told == [found.id], "one start that could not be is said once"
    records.close()


def test_one_service_per_home(running_process: ServiceProcess) -> None:
    running = running_process
    second = running.__class__(running.home)
    second.environment["FASCICULUS_HOME"] = str(running.home)
    found = subprocess.run(
        [os.sys.executable, "-m", "fasciculus.service"],  # type: ignore[attr-defined]
        env=second.environment,
        capture_output=True,
        text=True,
        timeout=60,
    )
    assert found.returncode == 2
    assert f"Another Fasciculus service (process {running.process.pid}) uses" in found.stderr


def _until_none_is_left(spool: Spool) -> None:
    with contextlib.suppress(NoStoreLeftError):
        spool.take()


def test_the_spool_is_bounded(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Packing waits until a store has accepted a piece; a failed store blocks nothing."""

    def other_disk(*_: Any, **__: Any) -> None:
        raise OSError("another disk")

    # What is copied is read back; what is linked is the very file.
    monkeypatch.setattr("os.link", other_disk)
    (tmp_path / "store").mkdir()
    store = open_store(store_spec("attic", {"kind": "folder", "folder": str(tmp_path / "store")}))
    stop = threading.Event()
    uploader = Uploader(store, Subject("account", "millpond"), stop, lambda n: None)
    spool = Spool(tmp_path, 2 * MIB, MIB, [uploader], stop)
    for number in range(2):
        path = spool.take() / f"p{number}"
        path.write_bytes(bytes(MIB))
        spool.put(path, PieceRecord(path.name, MIB, "0" * 64))
    third = threading.Thread(target=_until_none_is_left, args=(spool,), daemon=True)
    third.start()
    third.join(0.3)
    assert third.is_alive(), "two pieces are all that fits"
    uploader.start()
    third.join(20)
    assert not third.is_alive() and not (tmp_path / "p0").exists()
    uploader.join()
    assert "altered" in str(uploader.failure), "the digest was wrong on purpose"
    with pytest.raises(NoStoreLeftError):
        spool.take()


def test_a_disk_that_fills_is_said_and_keeps_nothing_half(running: Service, tmp_path: Path) -> None:
    """A folder store on a separate disk, smaller than the bundle."""
    disk = tmp_path / "disk"
    disk.mkdir()
    subprocess.run(["mount", "-t", "tmpfs", "-o", "size=4m", "tmpfs", str(disk)], check=True)
    try:
        with running.client() as client:
            store = StoreInput(name="small", settings={"kind": "folder", "folder": str(disk)})
            set_up(client, [big_account(tmp_path)], [store], piece_size=MIB)
            found = run(client, "nightly")
            assert found.outcome == "failed"
            assert (
                "Store “small” is full" in found.tasks[0].error
                and "Free space there" in found.tasks[0].error
            )
            assert [p.name for p in disk.rglob("*") if p.is_file()] == ["fasciculus-store.json"]
            assert list(client.every(client.bundles_list)) == []
    finally:
        subprocess.run(["umount", str(disk)], check=True)


def test_a_bundle_whose_task_was_lost_at_its_very_end_is_found_by_the_next_run(
    running: Service, tmp_path: Path
) -> None:
    with running.client() as client:
        stores = folder_stores(tmp_path, "attic", "loft")
        set_up(client, [small_account(tmp_path, "millpond")], stores, mode="incremental")
        for _ in range(2):
            assert run(client, "nightly").outcome == "done"
        lost, kept = client.bundles_list().items
        assert running.parts is not None
        with running.parts.records.write() as db:
            db.execute("DELETE FROM bundle WHERE name=?", (lost.name,))
        # Another service's bundle is nobody's to take.
        folder = tmp_path / "attic/accounts/millpond/bundles"
        strange = folder / "2090-01-01T000000Z-nightly"
        shutil.copytree(folder / lost.name, strange)
        # That one is odd is said.
        assert run(client, "nightly").outcome == "warned"
        shutil.rmtree(strange)
        _, found, oldest = client.bundles_list().items
        assert (found.name, oldest.name) == (lost.name, kept.name)
        assert sorted(copy.store for copy in found.copies) == ["attic", "loft"]
        assert run(client, "nightly").outcome == "done"
        assert len(client.bundles_list().items) == 4
        (number,) = client.stores_verify("attic", deep=True).ids
        until(lambda: client.maintenance_show(number).state == "ended")
        assert client.maintenance_show(number).outcome == "done"
