"""All places of the records that hold sealed secrets."""

from __future__ import annotations

import sqlite3
from dataclasses import dataclass

from . import settings

#: The setting of the mail server; its secrets are in the field “sealed”.
MAIL = "mail"


@dataclass(frozen=True, slots=True)
class Forgotten:
    """The number of hosts, stores, channels and mail servers whose secrets were forgotten, and of
    private keys.
    """

    places: int
    keys: int


def forget_all(db: sqlite3.Connection) -> Forgotten:
    """Forget all secrets: the key that opens them is lost."""
    places = 0
    for table in ("host", "store", "channel"):
        done = db.execute(f"UPDATE {table} SET secrets=NULL WHERE secrets IS NOT NULL")
        places += done.rowcount
    mail = settings.get(db, MAIL, {})
    if mail.get("sealed"):
        settings.put(db, MAIL, {**mail, "sealed": None})
        places += 1
    db.execute("UPDATE restore SET identity=NULL WHERE identity IS NOT NULL")
    return Forgotten(places, db.execute("DELETE FROM seal_key").rowcount)
