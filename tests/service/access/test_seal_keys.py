"""Sealing as its users meet it: keys, stores, restores, and what the service cannot do without."""

from __future__ import annotations

import os
import subprocess
from pathlib import Path

from running import Service, folder_stores, run, set_up, small_account
from trees import picture


def test_a_service_without_the_key_writes_and_retires_and_says_what_it_cannot(
    running: Service, tmp_path: Path
) -> None:
    client = running.client()
    account, stores = small_account(tmp_path, "millpond"), folder_stores(tmp_path, "attic", "shed")
    set_up(client, [account], stores, keep=2, mode="incremental")
    assert run(client, "nightly").outcome == "done"
    sheet, key = tmp_path / "sheet.html", tmp_path / "key"
    made = client.keys_make("tests")
    key.write_text(made.identity + "\n")
    assert made.identity in made.sheet and "age -d -i" in made.sheet and not made.kept
    said = running.cli("keys", "make", "--sheet", str(sheet))
    assert said.returncode == 0 and "the bundles are lost too" in " ".join(said.stdout.split()), (
        said
    )
    assert sheet.stat().st_mode & 0o777 == 0o600 and "AGE-SECRET-KEY-1" in sheet.read_text()
    # The loss of the key is explained before it is switched on.
    asked = running.cli("stores", "change", "attic", "--seal-to", made.recipient, typed="n\n")
    assert asked.returncode != 0 and not client.stores_show("attic").recipients
    assert "the bundles are lost too" in " ".join((asked.stdout + asked.stderr).split())
    changed = running.cli("stores", "change", "attic", "--seal-to", made.recipient, "--yes")
    assert changed.returncode == 0, changed
    for number in range(3):
        (tmp_path / "millpond/page-0.html").write_text(f"night {number}")
        ended = run(client, "nightly")
        assert ended.outcome == "done", ended.tasks[0].error
    assert client.bundles_list().total == 2, "older ones retire without a key"
    newest = client.bundles_list(limit=1).items[0]
    # Both stores hold the same bytes: one bundle is sealed for all of them.
    for name in ("attic", "shed"):
        pieces = [p.name for p in (tmp_path / name / "accounts/millpond/pieces").iterdir()]
        assert pieces and all(piece.endswith(".age") for piece in pieces)
    assert running.cli("stores", "verify", "attic", "--deep").returncode == 0
    assert "page-0.html" in running.cli("bundles", "files", str(newest.id)).stdout
    refused = running.cli("restore", str(newest.id), "--to", str(tmp_path / "no"))
    assert refused.returncode == 1 and "none of its private keys is at hand" in refused.stderr
    good = running.cli(
        "restore", str(newest.id), "--to", str(tmp_path / "back"), "--key-file", str(key)
    )
    assert good.returncode == 0, good
    assert picture(tmp_path / "back/files") == picture(tmp_path / "millpond")
    records = running.home / "records"
    for path in records.iterdir():
        assert made.identity.encode() not in path.read_bytes(), "no private key in the clear"
    # Kept with the service, it opens what is asked for.
    assert running.cli("keys", "keep", "--key-file", str(key)).returncode == 0
    assert [k.recipient for k in client.keys_list().items] == [made.recipient]
    target = tmp_path / "with-kept"
    assert running.cli("restore", str(newest.id), "--to", str(target)).returncode == 0
    out = str(tmp_path / "one.zip")
    got = running.cli("bundles", "download", str(newest.id), "--to", out, "--as", "zip")
    assert got.returncode == 0, got
    # Other keys: existing bundles are sealed to them, and the next bundle is a full one.
    other = client.keys_make("other", keep=True)
    assert running.cli("stores", "change", "attic", "--seal-to", other.recipient, "--yes")
    assert running.cli("stores", "seal", "attic").returncode == 0
    attic = tmp_path / "attic/accounts/millpond/pieces"
    assert all(path.name.endswith(".2.age") for path in attic.iterdir())
    (tmp_path / "other-key").write_text(other.identity + "\n")
    for path in attic.iterdir():
        command = ["age", "-d", "-i", str(tmp_path / "other-key"), str(path)]
        assert subprocess.run(command, capture_output=True).returncode == 0
    ended = run(client, "nightly")
    assert ended.outcome == "done" and client.bundles_list(limit=1).items[0].id > newest.id
    assert running.cli("keys", "remove", made.recipient, "--yes").returncode == 0
    assert running.cli("keys", "remove", made.recipient, "--yes").returncode == 5
    assert os.listdir(tmp_path / "shed")
