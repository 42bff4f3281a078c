"""Stores, and what the records know to be on them."""

from __future__ import annotations

import sqlite3
import uuid
from collections.abc import Iterable
from dataclasses import dataclass

from ...core.errors import NameTakenError, SettingError
from ...models import Page, Store, StoreInput
from ...models.runs import StoreFill
from ...models.stores import StoreFields
from ..db import now
from ..inventory import nearest
from ..odd_rows import readable
from ..paging import PageRequest, Query, like, page
from ..secret_cipher import SecretCipher, merged

_STORE = (
    "store.*, (SELECT count(*) FROM copy WHERE store_id=store.id) AS copies, "
    "(SELECT coalesce(sum(stored), 0) FROM usage WHERE store_id=store.id) AS bytes, "
    "(SELECT group_concat(name, char(10)) FROM job_store JOIN job ON job.id=job_id "
    "WHERE store_id=store.id) AS jobs, "
    "(SELECT count(*) FROM damage WHERE store_id=store.id) AS damaged"
)


def _store(row: sqlite3.Row, cipher: SecretCipher) -> Store:
    return Store(
        **StoreFields.model_validate_json(row["document"]).model_dump(),
        where=row["place"],
        secrets_set=sorted(cipher.decrypt(row["secrets"])),
        copies=row["copies"],
        bytes=row["bytes"],
        damaged=row["damaged"],
        jobs=sorted((row["jobs"] or "").split("\n")) if row["jobs"] else [],
        tried=row["tried"],
        free=row["free"],
        free_at=row["free_at"],
        owner=row["owner"],
    )


def stores(
    db: sqlite3.Connection, cipher: SecretCipher, paging: PageRequest, words: str = ""
) -> Page[Store]:
    """Return a page of the stores that match."""
    query = Query(_STORE, "store", "store.id", {"name": "store.name", "kind": "store.kind"}, "name")
    if words:
        query.only("store.name LIKE ? ESCAPE '\\'", like(words))
    return page(db, query, paging, lambda row: _store(row, cipher))


def store(db: sqlite3.Connection, cipher: SecretCipher, name: str) -> Store:
    """Return a store, without its secrets. Raises ``MissingError``."""
    row = db.execute(f"SELECT {_STORE} FROM store WHERE name=?", (name,)).fetchone()
    if row is None:
        raise nearest(db, "store", name, "store")
    return _store(row, cipher)


def fields(db: sqlite3.Connection, name: str) -> StoreFields:
    """Return what was set of a store. Raises ``MissingError``, with the nearest name."""
    row = db.execute("SELECT document FROM store WHERE name=?", (name,)).fetchone()
    if row is None:
        raise nearest(db, "store", name, "store")
    return StoreFields.model_validate_json(row["document"])


def folders(db: sqlite3.Connection) -> list[str]:
    """Return the folders of this machine that are stores."""
    rows = db.execute(
        "SELECT json_extract(document, '$.settings.folder') FROM store WHERE kind='folder' "
        "ORDER BY name"
    )
    return [str(row[0]) for row in rows]


def max_concurrent(db: sqlite3.Connection, names: Iterable[str]) -> dict[str, int]:
    """Return the task limits of some stores; 0 is no limit, also for a deleted one."""
    rows = db.execute(
        "SELECT name, coalesce(json_extract(document, '$.max_concurrent'), 0) FROM store"
    )
    known: dict[str, int] = dict(rows.fetchall())
    return {name: known.get(name, 0) for name in names}


def never_tried(db: sqlite3.Connection) -> list[str]:
    """Return the stores that were saved without a try, and not tried since."""
    return [row[0] for row in db.execute("SELECT name FROM store WHERE tried IS NULL")]


def verify_days(db: sqlite3.Connection) -> dict[str, int]:
    """By store, within how many days each copy is read through once; 0 for never."""
    rows = db.execute(
        "SELECT name, coalesce(json_extract(document, '$.verify_days'), 30) AS days FROM store"
    )
    return {row["name"]: row["days"] for row in rows}


def copying(db: sqlite3.Connection) -> list[StoreFields]:
    """Return the stores to which bundles of another one are brought on a timetable."""
    rows = db.execute(
        "SELECT name, document FROM store WHERE CASE WHEN json_valid(document) THEN "
        "coalesce(json_extract(document, '$.copy_from'), '') != '' END"
    )
    return readable(rows, lambda row: StoreFields.model_validate_json(row["document"]))


def store_ids(db: sqlite3.Connection) -> dict[str, int]:
    """Return the numbers of the stores by their names."""
    return {row["name"]: row["id"] for row in db.execute("SELECT id, name FROM store")}


def secrets(db: sqlite3.Connection, cipher: SecretCipher, name: str) -> dict[str, str]:
    """Return the secrets of a store by their field; none for an unknown store."""
    row = db.execute("SELECT secrets FROM store WHERE name=?", (name,)).fetchone()
    return cipher.decrypt(row["secrets"]) if row else {}


def id_of(db: sqlite3.Connection, name: str) -> str | None:
    """Return the id that the store's own file must show."""
    row = db.execute("SELECT mark FROM store WHERE name=?", (name,)).fetchone()
    return str(row["mark"]) if row else None


@dataclass(frozen=True, slots=True)
class ProvedStore:
    """A store to be saved: its place in words, its id, and whether all steps went well."""

    where: str
    store_id: str
    tried: bool = True
    #: Its owner in words, if that is another service.
    owner: str = ""


def has_worked(db: sqlite3.Connection, name: str, store_id: str, owner: str) -> None:
    """Note that all steps of trying a store went well, the id that it has, and whose it is."""
    db.execute(
        "UPDATE store SET tried=?, mark=?, owner=? WHERE name=?", (now(), store_id, owner, name)
    )


def foreign(db: sqlite3.Connection, names: Iterable[str]) -> dict[str, str]:
    """By name, those stores that are another service's, and whose, in words."""
    rows = db.execute("SELECT name, owner FROM store WHERE owner != ''").fetchall()
    return {row["name"]: row["owner"] for row in rows if row["name"] in set(names)}


def kinds(db: sqlite3.Connection) -> dict[str, str]:
    """Return the kind of each store, by the store's name."""
    rows = db.execute(
        "SELECT name, json_extract(document, '$.settings.kind') AS kind FROM store ORDER BY name"
    )
    return {row["name"]: row["kind"] for row in rows}


def untried(db: sqlite3.Connection, names: Iterable[str]) -> list[str]:
    """Return those stores that were saved without being tried."""
    return sorted(set(never_tried(db)) & set(names))


def own(db: sqlite3.Connection) -> list[str]:
    """Return the stores that were tried and that no other service writes to."""
    rows = db.execute("SELECT name FROM store WHERE tried IS NOT NULL AND owner='' ORDER BY name")
    return [row["name"] for row in rows]


def new_id() -> str:
    """Return a new id for a store: 32 hexadecimal digits."""
    return uuid.uuid4().hex


def save_store(
    db: sqlite3.Connection,
    cipher: SecretCipher,
    new: StoreInput,
    proved: ProvedStore,
    old_name: str | None = None,
) -> None:
    """Add a store, or change the one of the old name."""
    document, kind = new.model_dump_json(exclude={"secrets"}), new.settings.kind
    tried = now() if proved.tried else None
    try:
        if old_name is None:
            db.execute(
                "INSERT INTO store (name, kind, document, place, secrets, mark, tried, owner) "
                "VALUES (?, ?, ?, ?, ?, ?, ?, ?)",
                (
                    new.name,
                    kind,
                    document,
                    proved.where,
                    cipher.encrypt(merged({}, new.secrets)),
                    proved.store_id,
                    tried,
                    proved.owner,
                ),
            )
            return
        encrypted = cipher.encrypt(merged(secrets(db, cipher, old_name), new.secrets))
        if not db.execute(
            "UPDATE store SET name=?, kind=?, document=?, place=?, secrets=?, mark=?, tried=?, "
            "owner=? WHERE name=?",
            (
                new.name,
                kind,
                document,
                proved.where,
                encrypted,
                proved.store_id,
                tried,
                proved.owner,
                old_name,
            ),
        ).rowcount:
            raise nearest(db, "store", old_name, "store")
    except sqlite3.IntegrityError as error:
        raise NameTakenError(
            f"There is a store “{new.name}” already.", "Choose another name.", field="name"
        ) from error


def name_of_id(db: sqlite3.Connection, store_id: str, except_name: str | None) -> str | None:
    """Return the other store that has this id, if there is one."""
    row = db.execute(
        "SELECT name FROM store WHERE mark=? AND name IS NOT ?", (store_id, except_name)
    ).fetchone()
    return str(row["name"]) if row else None


def remove_store(db: sqlite3.Connection, name: str) -> None:
    """Forget a store and the copies on it; the store itself is not touched."""
    try:
        if not db.execute("DELETE FROM store WHERE name=?", (name,)).rowcount:
            raise nearest(db, "store", name, "store")
    except sqlite3.IntegrityError as error:
        raise SettingError(
            f"Jobs still write to store “{name}”.", "Change or remove those jobs first."
        ) from error
    db.execute("DELETE FROM bundle WHERE NOT EXISTS (SELECT 1 FROM copy WHERE bundle_id=bundle.id)")


def fills(db: sqlite3.Connection, cipher: SecretCipher) -> list[StoreFill]:
    """Return how full each store is, and when its last copy was made."""
    rows = db.execute(
        f"SELECT {_STORE}, (SELECT max(made) FROM copy WHERE store_id=store.id) AS newest "
        "FROM store ORDER BY name"
    )
    return [
        StoreFill(
            name=row["name"],
            kind=row["kind"],
            where=row["place"],
            copies=row["copies"],
            bytes=row["bytes"],
            newest=row["newest"],
            free=row["free"],
            tried=row["tried"] is not None,
        )
        for row in rows
    ]
