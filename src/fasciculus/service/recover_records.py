"""The records of a lost service, brought to another machine from a store and a recovery sheet."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Mapping
from contextlib import suppress
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from ..config import Config
from ..core.errors import DamagedError, FasciculusError, MissingError, SettingError
from ..records.bundles import copies
from ..records.db import single_transaction, take_lock
from ..records.jobs import pauses
from ..records.secret_cipher import read_key
from ..stores import open_store, store_spec
from ..stores.base import Store, connected
from .tasks.orders.maintenance import RECORDS_FOLDER

_CHUNK = 1024 * 1024
#: Larger copies are refused; the largest that was measured has 2 GiB.
_MOST = 64 * 1024**3
_ENDING = ".records"


@dataclass(frozen=True, slots=True)
class RecoveredRecords:
    """The copy of the records that was taken, and what was passed over or moved aside for it."""

    copy: str
    remarks: list[str]


def recover_records(
    config: Config, settings: Mapping[str, Any], secrets: Mapping[str, str], key: bytes
) -> RecoveredRecords:
    """Put the newest intact copy of the records on a store in place, with its key.

    Present records and another key are moved aside. All jobs are paused: a machine that is not
    restored yet must not be backed up.
    """
    folder = config.records.parent
    folder.mkdir(parents=True, exist_ok=True, mode=0o700)
    hold = take_lock(folder / "service.lock")
    coming = folder / "coming-back.sqlite"
    try:
        with connected(open_store(store_spec("store", settings, secrets))) as store:
            name, remarks = _fetched(store, coming, key, folder)
        os.chmod(coming, 0o600)
        remarks += move_aside(config.records)
        remarks += _put_key(config.key_file, key)
        coming.rename(config.records)
        with single_transaction(config.records) as db:
            reason = f"recovered from {name}; lift this once the machine is restored"
            pauses.pause(db, pauses.ALL, None, reason, "root")
    finally:
        coming.unlink(missing_ok=True)
        os.close(hold)
    return RecoveredRecords(name, remarks)


def _fetched(store: Store, target: Path, key: bytes, folder: Path) -> tuple[str, list[str]]:
    """Bring the newest copy that the key opens; return its name, and what was passed over."""
    names = [item.name for item in store.items(RECORDS_FOLDER) if item.name.endswith(_ENDING)]
    if not names:
        raise MissingError(
            f"There is no copy of the records in {RECORDS_FOLDER}/ there.",
            "Check the folder, or take another store. Without any copy: fasciculus stores add … "
            "--import.",
        )
    remarks = []
    for name in sorted(names, reverse=True):
        with tempfile.TemporaryDirectory(dir=folder) as spool:
            copy = Path(spool) / "copy"
            try:
                _download(store, f"{RECORDS_FOLDER}/{name}", copy)
                copies.unseal(copy, target, key)
            except (DamagedError, SettingError) as error:
                remarks.append(f"{name} was passed over: {error.message}")
                continue
        return name, remarks
    raise DamagedError(
        "The code of the sheet opens none of the copies there.",
        "Check that the sheet is of the service that wrote to this store. " + " ".join(remarks[:3]),
    )


def _download(store: Store, path: str, target: Path) -> None:
    with store.open(path) as source, target.open("wb") as sink:
        while data := source.read(_CHUNK):
            if sink.tell() + len(data) > _MOST:
                raise DamagedError("It is larger than any copy of the records.")
            sink.write(data)


def move_aside(records: Path) -> list[str]:
    """Move the present records and what belongs to them; return where they are, in words."""
    mark, moved = f"{datetime.now(UTC):%Y-%m-%dT%H%M%SZ}", ""
    for suffix in ("-wal", "-shm", ""):
        present = records.with_name(records.name + suffix)
        if present.exists():
            aside = present.with_name(f"{present.name}.before-{mark}")
            present.rename(aside)
            moved = f"The records that were there are in {aside}."
    return [moved] if moved else []


def _put_key(path: Path, key: bytes) -> list[str]:
    """Write the key; return where another one that was there is now, in words."""
    present = b""
    with suppress(FasciculusError):
        present = read_key(path)
    if present == key:
        return []
    remarks = []
    path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
    if path.exists():
        aside = path.with_name(f"{path.name}.before-{datetime.now(UTC):%Y-%m-%dT%H%M%SZ}")
        path.rename(aside)
        remarks.append(f"The key that was there is in {aside}.")
    partial = path.with_suffix(".part")
    partial.unlink(missing_ok=True)
    with os.fdopen(os.open(partial, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "wb") as sink:
        sink.write(key + b"\n")
        sink.flush()
        os.fsync(sink.fileno())
    partial.rename(path)
    return remarks
