"""The recovery sheet of this service, and whether someone has saved it."""

from __future__ import annotations

import socket
import sqlite3
from datetime import UTC, datetime

from .. import __version__
from ..config import Config
from ..core.errors import SettingError
from ..core.recovery.key_code import check_group, key_code
from ..core.recovery.sheet import StoreOnSheet, sheet_text
from ..models import Store
from ..records import settings
from ..records.db import stamp
from ..records.secret_cipher import SecretCipher
from ..records.stores import stores
from ..stores import KINDS
from . import records_copy

_KEY = "recovery.sheet"


def recovery_sheet(config: Config, db: sqlite3.Connection, cipher: SecretCipher) -> str:
    """Return the sheet as text, with the stores that have copies of the records."""
    names = records_copy.wanted(config, db)
    found = [_on_sheet(stores.store(db, cipher, name), db, cipher) for name in names]
    return sheet_text(
        key_code(cipher.key), found, socket.gethostname(), datetime.now(UTC), __version__
    )


def _on_sheet(store: Store, db: sqlite3.Connection, cipher: SecretCipher) -> StoreOnSheet:
    kind = KINDS.get(store.settings.kind)
    fields = kind.settings.model_fields if kind.settings else {}
    settings = {
        name: value
        for name, value in store.settings.model_dump().items()
        if name in fields and name != "kind" and value != fields[name].default
    }
    return StoreOnSheet(
        store.name, kind.name, settings, sorted(stores.secrets(db, cipher, store.name))
    )


def confirm_sheet(db: sqlite3.Connection, cipher: SecretCipher, group: str) -> None:
    """Record that the sheet was saved. Raises ``SettingError`` if ``group`` is not its last one."""
    if group.strip().upper() != check_group(cipher.key):
        raise SettingError(
            f"“{group}” is not the last group of this service's code.",
            "Read it from the saved sheet.",
            field="confirm",
        )
    saved = {"key": check_group(cipher.key), "at": stamp(datetime.now(UTC))}
    settings.put(db, _KEY, saved)


def is_saved(db: sqlite3.Connection, cipher: SecretCipher) -> bool:
    """Return whether the sheet with the present key was saved."""
    saved = settings.get(db, _KEY) or {}
    return bool(saved.get("key") == check_group(cipher.key))
