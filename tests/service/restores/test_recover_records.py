"""The records brought to another machine, from stores that may hold anything."""

from __future__ import annotations

import dataclasses
import sqlite3
from pathlib import Path
from typing import Any

import pytest
from cryptography.fernet import Fernet
from running import folder_stores, set_up

from fasciculus.config import Config
from fasciculus.core.errors import DamagedError, MissingError, SettingError
from fasciculus.core.recovery.key_code import check_group, key_code
from fasciculus.records.secret_cipher import read_key
from fasciculus.service import records_copy, recovery_sheet
from fasciculus.service.monitoring.checks import Watched, findings
from fasciculus.service.recover_records import recover_records


@pytest.fixture
def copied(running: Any, tmp_path: Path) -> tuple[Config, dict[str, str], Path]:
    """Two copies of a service's records on a store; its configuration, store and their folder."""
    with running.client() as client:
        set_up(client, [], folder_stores(tmp_path, "attic"))
    parts = running.parts
    config = dataclasses.replace(parts.config, records_stores=("attic",))
    records_copy.copy_if_due(config, parts.records, parts.cipher)
    folder = tmp_path / "attic/records"
    (name,) = folder.iterdir()
    (folder / "2020-01-01T000000Z.records").write_bytes(name.read_bytes())
    return config, {"kind": "folder", "folder": str(tmp_path / "attic")}, name


def fresh(config: Config, tmp_path: Path) -> Config:
    home = tmp_path / "fresh"
    return dataclasses.replace(config, home=home, spool=home / "spool")


def test_a_damaged_copy_is_passed_over_and_nothing_present_is_lost(
    copied: Any, tmp_path: Path
) -> None:
    config, store, newest = copied
    key, there = read_key(config.key_file), fresh(config, tmp_path)
    newest.write_bytes(newest.read_bytes()[:-40])
    (newest.parent / "2090-01-01T000000Z.records").write_bytes(b"anything")
    there.records.parent.mkdir(parents=True)
    there.records.write_bytes(b"what was here")
    there.key_file.parent.mkdir(parents=True)
    there.key_file.write_bytes(Fernet.generate_key())
    other = there.key_file.read_bytes()
    found = recover_records(there, store, {}, key)
    assert found.copy == "2020-01-01T000000Z.records"
    assert [text.split()[0] for text in found.remarks[:2]] == [
        "2090-01-01T000000Z.records",
        newest.name,
    ]
    assert read_key(there.key_file) == key and there.key_file.stat().st_mode & 0o77 == 0
    aside = [path.read_bytes() for path in there.home.rglob("*.before-*")]
    assert sorted(aside) == sorted([b"what was here", other])
    with sqlite3.connect(there.records) as db:
        assert db.execute("SELECT job, until FROM pause").fetchall() == [("", None)]


def test_another_code_opens_nothing_and_changes_nothing(copied: Any, tmp_path: Path) -> None:
    config, store, newest = copied
    there = fresh(config, tmp_path)
    with pytest.raises(DamagedError, match="opens none of the copies"):
        recover_records(there, store, {}, Fernet.generate_key())
    assert not there.records.exists() and not there.key_file.exists()
    for path in newest.parent.iterdir():
        path.unlink()
    with pytest.raises(MissingError, match="no copy of the records"):
        recover_records(there, store, {}, read_key(config.key_file))


def test_wrong_settings_are_named_as_options(running: Any, tmp_path: Path) -> None:
    sheet = tmp_path / "sheet"
    sheet.write_text(key_code(Fernet.generate_key()))
    said = running.program("admin", "recover", "--kind", "sftp", "--sheet", str(sheet))
    assert said.returncode == 2 and "Stop it first" in said.stderr, "two services on one home"
    running.stop()
    said = running.program("admin", "recover", "--kind", "sftp", "--sheet", str(sheet))
    assert said.returncode == 2 and "--address" in said.stderr, said
    said = running.program("admin", "recover", "--kind", "folder", "--fold", "/x", "--sheet", "-")
    assert said.returncode == 2 and "Did you mean --folder?" in said.stderr, said
    (tmp_path / "empty").mkdir()
    where = ("--kind", "folder", "--folder", str(tmp_path / "empty"))
    sheet.write_text(sheet.read_text()[:-1])
    said = running.program("admin", "recover", *where, "--sheet", str(sheet))
    assert said.returncode == 2 and "Type all 14 groups" in said.stderr, said


def test_the_watch_asks_for_the_sheet_until_it_is_saved(running: Any, copied: Any) -> None:
    parts = running.parts
    config = copied[0]

    def asked() -> bool:
        fields = {name: None for name in Watched.__dataclass_fields__ if name != "troubles"}
        watched = Watched(
            **{**fields, "config": config, "records": parts.records, "cipher": parts.cipher}
        )
        return any(row.key == "recovery-sheet" for row in findings(watched))

    assert asked()
    with parts.records.write() as db, pytest.raises(SettingError, match="is not the last group"):
        recovery_sheet.confirm_sheet(db, parts.cipher, "AAA2")
    assert asked()
    with parts.records.write() as db:
        recovery_sheet.confirm_sheet(db, parts.cipher, check_group(parts.cipher.key).lower())
    assert not asked()
