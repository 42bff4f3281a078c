"""Private keys that the service keeps, to read what is sealed."""

from __future__ import annotations

import sqlite3

from ..core.errors import MissingError
from ..models import SealKey
from .db import now
from .secret_cipher import SecretCipher

_NAME = "identity"


def keys(db: sqlite3.Connection) -> list[SealKey]:
    """Return the keys that are kept, without what is secret of them."""
    rows = db.execute("SELECT recipient, note, added FROM seal_key ORDER BY added, recipient")
    return [SealKey(recipient=r["recipient"], note=r["note"], added=r["added"]) for r in rows]


def identities(db: sqlite3.Connection, cipher: SecretCipher) -> list[str]:
    """Return the private keys themselves, for orders."""
    rows = db.execute("SELECT identity FROM seal_key ORDER BY added, recipient")
    return [cipher.decrypt(row["identity"])[_NAME] for row in rows]


def keep(
    db: sqlite3.Connection, cipher: SecretCipher, recipient: str, identity: str, note: str
) -> None:
    """Keep a private key; one that is kept already gets the new note."""
    db.execute(
        "INSERT INTO seal_key (recipient, identity, note, added) VALUES (?, ?, ?, ?) "
        "ON CONFLICT DO UPDATE SET note=excluded.note",
        (recipient, cipher.encrypt({_NAME: identity}), note, now()),
    )


def remove(db: sqlite3.Connection, recipient: str) -> None:
    """Forget a private key. Raises ``MissingError`` where none is kept."""
    if not db.execute("DELETE FROM seal_key WHERE recipient=?", (recipient,)).rowcount:
        raise MissingError(
            f"No private key of {recipient} is kept.", "“fasciculus keys list” names them."
        )
