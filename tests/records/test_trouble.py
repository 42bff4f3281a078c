"""Records that are full, truncated, altered or missing, a missing key, and recovery."""

from __future__ import annotations

import os
import sqlite3
from collections.abc import Callable, Iterator
from contextlib import closing
from pathlib import Path
from typing import Any

import httpx
import pytest
from running import PASSWORD, Service, set_up, small_account, until
from web_hook import webhook

from fasciculus.client import ClientError
from fasciculus.core.errors import DamagedError, FasciculusError, SettingError
from fasciculus.models import StoreInput
from fasciculus.records import settings
from fasciculus.records.bundles import copies
from fasciculus.records.db import Records, UnwritableError
from fasciculus.records.secret_cipher import SecretCipher
from fasciculus.service.http.operations import PREFIX


def full(records: Records) -> None:
    """Let the disk of the records be full."""
    # The connection that writes: a disk cannot be filled for a test.
    records._writer.execute("PRAGMA query_only=ON")


def roomy(records: Records) -> None:
    """There is space again."""
    # The connection that writes: a disk cannot be filled for a test.
    records._writer.execute("PRAGMA query_only=OFF")


# Full --------------------------------------------------------------------------------


def test_a_full_disk_is_told_and_nothing_of_the_change_stays(tmp_path: Path) -> None:
    records = Records(tmp_path / "records.sqlite")
    pages = records.reader.execute("PRAGMA page_count").fetchone()[0]
    # The connection that writes: a disk cannot be filled for a test.
    records._writer.execute(f"PRAGMA max_page_count={pages + 1}")
    with (
        pytest.raises(UnwritableError, match="disk is full") as caught,
        records.write() as db,
    ):
        settings.put(db, "small", 1)
        settings.put(db, "large", "x" * 200_000)
    assert "Free space on the disk" in caught.value.hint and records.trouble
    assert settings.get(records.reader, "small") is None
    records._writer.execute("PRAGMA max_page_count=1000000")
    with records.write() as db:
        settings.put(db, "small", 2)
    assert settings.get(records.reader, "small") == 2 and not records.trouble
    records.close()


def test_an_error_of_one_statement_is_no_trouble_of_the_disk(tmp_path: Path) -> None:
    records = Records(tmp_path / "records.sqlite")
    with pytest.raises(sqlite3.IntegrityError), records.write() as db:
        db.execute("INSERT INTO session VALUES (1, 99, 'x', 'x', 'x')")
    # Only the connection that writes knows whether a change is still open.
    assert not records.trouble and not records._writer.in_transaction
    records.close()


def test_the_service_goes_on_when_there_is_space_again(tmp_path: Path) -> None:
    """Sign-in and status work meanwhile, health says so, and a run's end is written later."""
    (tmp_path / "attic").mkdir()
    one = Service(tmp_path / "home").start()
    records = one.parts.records
    store = StoreInput(name="attic", settings={"kind": "folder", "folder": str(tmp_path / "attic")})
    try:
        with one.client() as client, httpx.Client(base_url=one.url, trust_env=False) as http:
            hold = tmp_path / "hold"
            command = f"while [ ! -e {hold} ]; do sleep 0.05; done"
            set_up(
                client,
                [small_account(tmp_path, "millpond")],
                [store],
                commands=[{"when": "before", "command": command, "seconds": 120}],
            )
            run = client.start("nightly").id
            until(lambda: client.runs_show(run).tasks[0].state == "running")
            full(records)
            hold.touch()
            bundles = tmp_path / "attic/accounts/millpond/bundles"
            until(lambda: list(bundles.glob("*/bundle.json")))
            until(lambda: http.get("/health").status_code == 503)
            assert http.get("/health").json()["checks"]["records_writable"] is False
            answer = http.post(
                f"{PREFIX}/session", json={"name": "administrator", "password": PASSWORD}
            )
            assert answer.status_code == 200
            assert http.get(f"{PREFIX}/jobs").json()["total"] == 1
            shown = http.get(f"{PREFIX}/overview").json()["attention"]
            assert any("The records cannot be written" in row["text"] for row in shown)
            refused = http.post(
                f"{PREFIX}/tokens",
                json={"name": "x"},
                headers={"X-CSRF-Token": answer.json()["csrf"]},
            )
            assert refused.status_code == 503 and "Free space" in refused.json()["hint"]
            assert client.runs_show(run).state == "running", "what is not written is not said"
            roomy(records)
            ended = until(lambda: (r := client.runs_show(run)).state == "ended" and r)
            assert ended.outcome == "done" and client.bundles_list().total == 1
            one.parts.scheduler.refresh()
            # Its round may have come while nothing could be written.
            one.parts.housekeeper.loop.wake()
            until(lambda: http.get("/health").status_code == 200)
    finally:
        one.stop()


# Cut off, altered, gone ----------------------------------------------------------------


@pytest.fixture
def home(tmp_path: Path) -> Service:
    """The home of a service that is stopped, with a host's password in it."""
    (tmp_path / "attic").mkdir()
    one = Service(tmp_path / "home").start()
    with one.client() as client:
        store = StoreInput(
            name="attic", settings={"kind": "folder", "folder": str(tmp_path / "attic")}
        )
        set_up(client, [small_account(tmp_path, "millpond")], [store])
    one.stop()
    # All in one file, so that what harms it harms the records.
    with closing(sqlite3.connect(one.home / "records/fasciculus.sqlite", timeout=30)) as db:
        assert db.execute("PRAGMA wal_checkpoint(TRUNCATE)").fetchone()[0] == 0
    return one


def halve(path: Path) -> None:
    os.truncate(path, path.stat().st_size // 2)


def empty(path: Path) -> None:
    os.truncate(path, 0)


def overwrite(path: Path) -> None:
    data = bytearray(path.read_bytes())
    for at in range(4096 * 3, len(data), 4096):
        data[at : at + 64] = b"\xff" * 64
    path.write_bytes(data)


def another_file(path: Path) -> None:
    path.write_bytes(b"<html>not found</html>" * 1000)


@pytest.mark.parametrize("harm", [halve, empty, overwrite, another_file])
def test_harmed_records_are_one_clear_message(home: Service, harm: Callable[..., Any]) -> None:
    harm(home.home / "records/fasciculus.sqlite")
    done = home.program("serve")
    assert done.returncode == 2 and "Traceback" not in done.stderr
    assert "records in" in done.stderr and "restore-records FILE" in done.stderr, done.stderr


@pytest.mark.parametrize("harm", [empty, another_file])
def test_a_key_that_cannot_be_read_is_said(home: Service, harm: Callable[..., Any]) -> None:
    harm(home.home / "keys/secrets.key")
    done = home.program("serve")
    assert done.returncode == 2 and "Traceback" not in done.stderr
    assert "missing or damaged" in done.stderr and "admin new-key" in done.stderr


def test_a_key_that_is_missing_is_said_before_a_new_one_is_made(home: Service) -> None:
    home.start()
    with home.client() as client:
        client.channels_save(webhook("bell", "https://bell.example/hook"))
        client.keys_make("the safe", keep=True)
    home.stop()
    (home.home / "keys/secrets.key").unlink()
    done = home.program("serve")
    assert done.returncode == 2 and "Traceback" not in done.stderr
    assert "missing or damaged" in done.stderr and "admin new-key" in done.stderr
    made = home.administer("new-key")
    assert made.returncode == 0 and "enter them again" in made.stdout, made.stderr
    assert "So is 1 private key" in made.stdout
    assert home.administer("new-key").returncode == 2, "one that is there stays"
    home.start()
    with home.client() as client:
        assert client.accounts_list().total == 1 and client.keys_list().items == []
        with pytest.raises(ClientError, match="was forgotten with the key"):
            client.channels_try("bell")
        assert client.stores_try("attic").ok, "what is left can be used"
        client.channels_remove("bell")
    home.stop()


def test_a_copy_on_a_store_brings_the_records_back_by_one_command(
    tmp_path: Path, home: Service
) -> None:
    home.environment["FASCICULUS_RECORDS_STORES"] = "attic, nowhere"
    home.start()
    with home.client() as client:
        folder = tmp_path / "attic/records"
        (copy,) = until(lambda: folder.is_dir() and list(folder.glob("*.records")))  # type: ignore[misc]
        overview = client.overview()
        assert any("nowhere" in row.text and "no copy" in row.text for row in overview.attention)
        home.parts.housekeeper.copy_records()
        assert len(list(folder.iterdir())) == 1, "one a day"
        client.accounts_add(small_account(tmp_path, "ferryline"))
        refused = home.administer("restore-records", str(copy))
        assert refused.returncode == 2 and "Stop it first" in refused.stderr
    home.stop()
    assert b"millpond" not in copy.read_bytes(), "a store reads nothing in it"
    empty(home.home / "records/fasciculus.sqlite")
    back = home.administer("restore-records", str(copy))
    assert back.returncode == 0 and copy.name in back.stdout, back.stderr
    home.start()
    with home.client() as client:
        assert [account.name for account in client.accounts_list().items] == ["millpond"]
        assert client.jobs_list().total == 1
    home.stop()


@pytest.fixture
def copied(tmp_path: Path) -> Iterator[Any]:
    """A copy of records with a large setting, and the key that it is sealed with."""
    records, cipher = Records(tmp_path / "records.sqlite"), SecretCipher(tmp_path / "key")
    with records.write() as db:
        settings.put(db, "noise", os.urandom(3 * 1024 * 1024).hex())
    target = tmp_path / "copy.records"
    copies.copy_out(tmp_path / "records.sqlite", target, cipher.key, tmp_path)
    yield target, cipher.key, tmp_path / "back.sqlite"
    records.close()


def test_a_copy_is_the_records(copied: Any) -> None:
    copy, key, back = copied
    copies.unseal(copy, back, key)
    found = sqlite3.connect(back).execute("SELECT length(value) FROM setting").fetchone()[0]
    assert found == 6 * 1024 * 1024 + 2


def without_line(data: bytes, number: int) -> bytes:
    lines = data.splitlines(keepends=True)
    return b"".join(lines[:number] + lines[number + 1 :])


@pytest.mark.parametrize(
    "change",
    [
        lambda data: data[:-100],
        lambda data: without_line(data, 1),
        lambda data: without_line(data, 2),
        lambda data: data[: data.rindex(b"\n", 0, -1) + 1],
        lambda data: data + data.splitlines(keepends=True)[1],
        # Any of the base64 characters.
        lambda data: data[:5000] + (b"B" if data[5000:5001] == b"A" else b"A") + data[5001:],
        lambda data: data.replace(b"\n", b"\n\n", 3),
    ],
)
def test_a_copy_that_was_altered_is_refused(copied: Any, change: Any) -> None:
    copy, key, back = copied
    copy.write_bytes(change(copy.read_bytes()))
    with pytest.raises(DamagedError):
        copies.unseal(copy, back, key)


def test_another_key_or_another_file_is_refused(copied: Any, tmp_path: Path) -> None:
    copy, key, back = copied
    with pytest.raises(DamagedError, match="key does not open"):
        copies.unseal(copy, back, SecretCipher(tmp_path / "other").key)
    copy.write_bytes(b"SQLite format 3")
    with pytest.raises(SettingError, match="not a copy"):
        copies.unseal(copy, back, key)
    assert issubclass(DamagedError, FasciculusError)
