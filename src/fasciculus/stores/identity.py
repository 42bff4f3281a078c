"""The file at a store's root by which it explains itself and is recognised."""

from __future__ import annotations

import json
from datetime import UTC, datetime

from ..core.bundle.layout import STORE_FILE
from ..core.errors import DamagedError, FasciculusError, MissingError, TooNewError
from .base import Store, read_all

STORE_FORMAT = "fasciculus-store"
STORE_VERSION = 1
_MOST = 64 * 1024


def write_identity(store: Store, store_id: str) -> None:
    """Write the file, unless it is there."""
    if store.size(STORE_FILE) is None:
        document = {
            "format": STORE_FORMAT,
            "version": STORE_VERSION,
            "id": store_id,
            "since": datetime.now(UTC).isoformat(timespec="seconds"),
            "about": "Bundles of Fasciculus. accounts/, sites/ and hosts/ hold one folder per "
            "subject; a bundle is complete when its bundle.json is there.",
        }
        store.put_bytes((json.dumps(document, indent=1) + "\n").encode(), STORE_FILE)


def read_identity(store: Store) -> str:
    """The store's id.

    Raises :class:`MissingError` where the folder is not a store, which is what an unmounted disk
    looks like, and :class:`TooNewError` for a later format.
    """
    if store.size(STORE_FILE) is None:
        raise MissingError(
            f"The folder of store “{store.spec.name}” holds no {STORE_FILE}.",
            "Is the right disk mounted, the right folder named? "
            "If the folder was emptied on purpose, save the store again.",
        )
    try:
        document = json.loads(read_all(store, STORE_FILE, most=_MOST))
        if document["format"] != STORE_FORMAT:
            raise KeyError("format")
        if document["version"] > STORE_VERSION:
            raise TooNewError(
                f"Store “{store.spec.name}” is in version {document['version']} of its format.",
                "Use a newer Fasciculus.",
            )
        return str(document["id"])
    except FasciculusError:
        raise
    except (ValueError, KeyError, TypeError, RecursionError) as error:
        raise DamagedError(
            f"{STORE_FILE} of store “{store.spec.name}” cannot be read.",
            "Correct it by hand, or save the store again.",
        ) from error


def check_identity(store: Store, store_id: str) -> None:
    """Raise :class:`DamagedError` unless this is the store with that id."""
    if read_identity(store) != store_id:
        raise DamagedError(
            f"The folder of store “{store.spec.name}” belongs to another store.",
            "Is the right disk mounted, the right folder named?",
        )
