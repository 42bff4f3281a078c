"""All places of the records that hold sealed secrets."""

from __future__ import annotations

import sqlite3

from . import settings

#: The setting of the mail server; its secrets are in the field “sealed”.
MAIL = "mail"


def forget_all(db: sqlite3.Connection) -> int:
    """Forget the secrets of hosts, stores and the mail server. Returns of how many."""
    count = 0
    for table in ("host", "store"):
        done = db.execute(f"UPDATE {table} SET secrets=NULL WHERE secrets IS NOT NULL")
        count += done.rowcount
    mail = settings.get(db, MAIL, {})
    if mail.get("sealed"):
        settings.put(db, MAIL, {**mail, "sealed": None})
        count += 1
    return count
