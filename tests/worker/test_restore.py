"""Restores with trouble: damage on the store, a lost connection."""

from __future__ import annotations

import os
import threading
from pathlib import Path
from typing import Any

import pytest
from running import run, set_up, small_account, stand_in_spec, until
from trees import picture

from fasciculus.core.errors import ConnectionLostError
from fasciculus.models import RestoreStart, StoreInput
from fasciculus.stores import open_store
from fasciculus.stores.retrying import RetryingStore

MIB = 1024 * 1024


def test_what_is_damaged_does_not_keep_the_rest_from_coming_back(
    running: Any, tmp_path: Path
) -> None:
    account = small_account(tmp_path, "millpond")
    home, attic = tmp_path / "millpond", tmp_path / "attic"
    attic.mkdir()
    for number in range(60):
        (home / f"picture-{number:02}.jpg").write_bytes(os.urandom(300_000))
    with running.client() as client:
        set_up(
            client,
            [account],
            [StoreInput(name="attic", settings={"kind": "folder", "folder": str(attic)})],
            piece_size=8 * MIB,
        )
        run(client, "nightly")
        bundle = client.bundles_list().items[0]
        first, second, *_ = sorted((attic / "accounts/millpond/pieces").iterdir())
        data = bytearray(first.read_bytes())
        data[len(data) // 2] ^= 1
        first.write_bytes(data)
        second.unlink()
        found = running.cli("restore", str(bundle.id), "--to", str(tmp_path / "back"))
        assert (
            found.returncode == 1
            and "did not come back" in found.stderr
            and "picture-" in found.stderr
        )
        before, after = picture(home), picture(tmp_path / "back/files")
        assert all(after[path][:6] == before[path][:6] for path in after if path), (
            "what is there is right"
        )
        lacking = before.keys() - after.keys()
        assert 20 <= len(lacking) < 40, (
            "all of the missing piece, and of the damaged one that file alone"
        )
        assert b"picture-59.jpg" not in lacking
        (row,) = client.restores_list().items
        log = " ".join(
            line.text
            for line in client.every(client.restores_log, restore_id=row.id)
            if line.level == "error"
        )
        assert (
            row.outcome == "failed"
            and row.entries == len(after)
            and f"{len(lacking)} entries did not" in row.error
        )
        assert all(path.decode() in log for path in lacking)
        part = client.restores_start(
            RestoreStart(bundle=bundle.id, target=str(tmp_path / "part"), paths=["picture-59.jpg"])
        )
        assert (
            until(lambda: (r := client.restores_show(part.id)).state == "ended" and r).outcome
            == "done"
        )


# A thread of paramiko's own that was asking ahead ends with the connection.
@pytest.mark.filterwarnings("ignore::pytest.PytestUnhandledThreadExceptionWarning")
def test_a_connection_that_is_cut_while_reading_is_taken_up_where_it_was(stand_in: Any) -> None:
    data = {name: os.urandom(9 * MIB) for name in ("one", "two")}
    store, told = open_store(stand_in_spec(stand_in)), []
    store.connect()
    for name, whole in data.items():
        store.put_bytes(whole, name)
    patient = RetryingStore(store, threading.Event(), told.append)
    streams = {"one": patient.open("one", 1000), "two": patient.open("two", 5, 8 * MIB)}
    read = {name: stream.read(MIB) for name, stream in streams.items()}
    stand_in.cut()
    for name, stream in streams.items():
        while chunk := stream.read(MIB):
            read[name] += chunk
        stream.close()
    assert read["one"] == data["one"][1000:] and read["two"] == data["two"][5 : 5 + 8 * MIB]
    assert told and all("Trying again" in text for text in told)
    stand_in.close()
    stopped = threading.Event()
    stopped.set()
    with pytest.raises(ConnectionLostError):
        RetryingStore(store, stopped, told.append).open("one").read(1)
