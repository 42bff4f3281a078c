"""The file at a store's root by which it explains itself and is recognised."""

from __future__ import annotations

import json
from dataclasses import asdict, dataclass
from datetime import UTC, datetime
from typing import Any

from ..core.bundle.layout import STORE_FILE, is_store_id
from ..core.errors import DamagedError, FasciculusError, MissingError, TooNewError
from .base import Store
from .reading import read_all

STORE_FORMAT = "fasciculus-store"
STORE_VERSION = 1
_MOST = 64 * 1024


@dataclass(frozen=True, slots=True)
class StoreOwner:
    """The service that writes to a store: its id, its machine, and since when."""

    id: str
    machine: str
    since: str

    def words(self) -> str:
        """Return whose it is, for people."""
        return f"the Fasciculus on {self.machine}, since {self.since[:10]}"


def write_identity(store: Store, store_id: str, owner: StoreOwner | None = None) -> None:
    """Write the file, unless it is there."""
    if store.size(STORE_FILE) is None:
        _write(store, store_id, datetime.now(UTC).isoformat(timespec="seconds"), owner)


def claim(store: Store, owner: StoreOwner) -> None:
    """Write into the file whose the store is from now on."""
    known = _read(store)
    since = str(known.get("since", ""))[:40]
    _write(store, known["id"], since, owner)


def _write(store: Store, store_id: str, since: str, owner: StoreOwner | None) -> None:
    document = {
        "format": STORE_FORMAT,
        "version": STORE_VERSION,
        "id": store_id,
        "since": since,
        **({"owner": asdict(owner)} if owner is not None else {}),
        "about": "Bundles of Fasciculus. accounts/, sites/ and hosts/ hold one folder per "
        "subject; a bundle is complete when its bundle.json is there.",
    }
    store.put_bytes((json.dumps(document, indent=1) + "\n").encode(), STORE_FILE)


def read_identity(store: Store) -> str:
    """Return the store's id.

    Raises :class:`MissingError` where the folder is not a store, which is what an unmounted disk
    looks like, and :class:`TooNewError` for a later format.
    """
    return str(_read(store)["id"])


def read_owner(store: Store) -> StoreOwner | None:
    """Return the service that writes to the store, None where an earlier version has not noted it;
    errors as those of :func:`read_identity`.
    """
    return _owner(_read(store))


def _owner(document: dict[str, Any]) -> StoreOwner | None:
    found = document.get("owner")
    if not isinstance(found, dict):
        return None
    # It may come from anyone, and is shown to people.
    words = {
        key: "".join(c for c in str(found.get(key, "")) if c.isprintable())[:80]
        for key in ("id", "machine", "since")
    }
    return StoreOwner(**words)


def _read(store: Store) -> dict[str, Any]:
    try:
        document: dict[str, Any] = json.loads(read_all(store, STORE_FILE, most=_MOST))
        if document["format"] != STORE_FORMAT:
            raise KeyError("format")
        if document["version"] > STORE_VERSION:
            raise TooNewError(
                f"Store “{store.spec.name}” is in version {document['version']} of its format.",
                "Use a newer Fasciculus.",
            )
        # It becomes part of file names.
        if not is_store_id(document["id"]):
            raise KeyError("id")
        return document
    except MissingError as error:
        raise MissingError(
            f"The folder of store “{store.spec.name}” holds no {STORE_FILE}.",
            "Is the right disk mounted, the right folder named? "
            "If the folder was emptied on purpose, save the store again.",
        ) from error
    except FasciculusError:
        raise
    except (ValueError, KeyError, TypeError, RecursionError) as error:
        raise DamagedError(
            f"{STORE_FILE} of store “{store.spec.name}” is not what Fasciculus writes there.",
            "Put it back from a copy, or use an empty folder.",
        ) from error


def check_identity(store: Store, store_id: str) -> None:
    """Raise :class:`DamagedError` unless this is the store with that id."""
    _check_id(store, str(_read(store)["id"]), store_id)


def check_ours(store: Store, store_id: str, owner_id: str) -> None:
    """Check this, and that no other service writes to it. Required before writing and removing."""
    document = _read(store)
    _check_id(store, str(document["id"]), store_id)
    found = _owner(document)
    if owner_id and found is not None and found.id != owner_id:
        raise DamagedError(
            f"Store “{store.spec.name}” is used by {found.words()}: two services on one store "
            "would remove each other's bundles.",
            f"Give each its own folder; or take it over once the other one has stopped: fasciculus "
            f"stores claim {store.spec.name}",
        )


def _check_id(store: Store, found: str, wanted: str) -> None:
    if found != wanted:
        raise DamagedError(
            f"The folder of store “{store.spec.name}” belongs to another store.",
            "Is the right disk mounted, the right folder named?",
        )
