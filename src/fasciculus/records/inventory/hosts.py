"""Hosts."""

from __future__ import annotations

import sqlite3

from ...core.errors import NameTakenError, SettingError
from ...models import (
    Host,
    HostInput,
    Page,
)
from ...models.inventory.inventory import HostFields
from ..odd_rows import readable
from ..paging import (
    PageRequest,
    Query,
    like,
    page,
)
from ..secret_cipher import SecretCipher, merged
from .names import nearest


def _host(row: sqlite3.Row, cipher: SecretCipher) -> Host:
    return Host(
        **HostFields.model_validate_json(row["document"]).model_dump(),
        where=row["place"],
        accounts=row["accounts"],
        secrets_set=sorted(cipher.decrypt(row["secrets"])),
    )


_HOST = "host.*, (SELECT count(*) FROM account WHERE host_id=host.id) AS accounts"


def hosts(
    db: sqlite3.Connection, cipher: SecretCipher, paging: PageRequest, words: str = ""
) -> Page[Host]:
    """Return a page of the hosts that match."""
    query = Query(_HOST, "host", "host.id", {"name": "host.name"}, "name")
    if words:
        query.only("host.name LIKE ? ESCAPE '\\'", like(words))
    return page(db, query, paging, lambda row: _host(row, cipher))


def readable_hosts(db: sqlite3.Connection, cipher: SecretCipher) -> list[Host]:
    """Return all hosts that can be read, by name."""
    rows = db.execute(f"SELECT {_HOST} FROM host ORDER BY name")
    return readable(rows, lambda row: _host(row, cipher))


def connection_kind(db: sqlite3.Connection, name: str) -> str:
    """Return the kind of connection that a host is reached by, empty if there is no such host."""
    row = db.execute(
        "SELECT json_extract(document, '$.connection.kind') AS kind FROM host WHERE name=?", (name,)
    ).fetchone()
    return str(row["kind"]) if row else ""


def host(db: sqlite3.Connection, cipher: SecretCipher, name: str) -> Host:
    """Return a host, without its secrets. Raises ``MissingError``."""
    row = db.execute(f"SELECT {_HOST} FROM host WHERE name=?", (name,)).fetchone()
    if row is None:
        raise nearest(db, "host", name, "host")
    return _host(row, cipher)


def host_fields(db: sqlite3.Connection, name: str) -> HostFields:
    """Return what was set of a host. Raises ``MissingError``, with the nearest name."""
    row = db.execute("SELECT document FROM host WHERE name=?", (name,)).fetchone()
    if row is None:
        raise nearest(db, "host", name, "host")
    return HostFields.model_validate_json(row["document"])


def host_count(db: sqlite3.Connection) -> int:
    """Return how many hosts there are."""
    return int(db.execute("SELECT count(*) FROM host").fetchone()[0])


def host_secrets(db: sqlite3.Connection, cipher: SecretCipher, name: str) -> dict[str, str]:
    """Return the secrets of a host by their field; none for an unknown host."""
    row = db.execute("SELECT secrets FROM host WHERE name=?", (name,)).fetchone()
    return cipher.decrypt(row["secrets"]) if row else {}


def save_host(
    db: sqlite3.Connection,
    cipher: SecretCipher,
    new: HostInput,
    where: str,
    old_name: str | None = None,
) -> None:
    """Add a host, or change the one of the old name; ``where`` describes its place."""
    document = new.model_dump_json(exclude={"secrets"})
    try:
        if old_name is None:
            db.execute(
                "INSERT INTO host (name, document, place, secrets) VALUES (?, ?, ?, ?)",
                (new.name, document, where, cipher.encrypt(merged({}, new.secrets))),
            )
            return
        secrets = merged(host_secrets(db, cipher, old_name), new.secrets)
        if not db.execute(
            "UPDATE host SET name=?, document=?, place=?, secrets=? WHERE name=?",
            (new.name, document, where, cipher.encrypt(secrets), old_name),
        ).rowcount:
            raise nearest(db, "host", old_name, "host")
    except sqlite3.IntegrityError as error:
        raise NameTakenError(
            f"There is a host “{new.name}” already.", "Choose another name.", field="name"
        ) from error


def remove_host(db: sqlite3.Connection, name: str) -> None:
    """Remove a host. Raises ``MissingError``, or ``SettingError`` while it has accounts."""
    try:
        if not db.execute("DELETE FROM host WHERE name=?", (name,)).rowcount:
            raise nearest(db, "host", name, "host")
    except sqlite3.IntegrityError as error:
        raise SettingError(f"Host “{name}” still has accounts.", "Remove them first.") from error
