"""Old versions in buckets, measured once a day."""

from __future__ import annotations

import logging
from collections.abc import Mapping
from contextlib import suppress
from datetime import UTC, datetime, timedelta

from ...config import Config
from ...contracts.orders import StoreOrder
from ...core.errors import FasciculusError
from ...records import settings
from ...records.db import Records, stamp
from ...records.secret_cipher import SecretCipher
from ...records.stores import stores
from ...stores import KINDS, open_unguarded
from ...stores.base import VersionedStore, connected
from .. import outside
from ..tasks.orders.connections import OrderInputs, store_order

log = logging.getLogger(__name__)

_EVERY = timedelta(hours=23, minutes=30)
_KEY = "stores.old_versions"
#: Seconds that listing one store may take.
_DEADLINE = 1800.0


def measure_if_due(config: Config, records: Records, cipher: SecretCipher) -> None:
    """Measure each store that may keep old versions, once a day; what fails is tried again."""
    db = records.reader
    known = _known(records)
    now = datetime.now(UTC)
    names = _versioned(stores.kinds(db))
    found = {name: row for name, row in known.items() if name in names}
    for name in names:
        age = now - datetime.fromisoformat(str(known[name]["at"])) if name in known else None
        if age is not None and timedelta(0) <= age < _EVERY:
            continue
        try:
            order = store_order(OrderInputs(config, db, cipher), name)
            count = outside.call_within(_DEADLINE, old_bytes, order)
        except (FasciculusError, OSError) as error:
            log.info("store %s: its old versions could not be listed: %s", name, error)
            continue
        found[name] = {"bytes": count, "at": stamp(now)}
    if found != known:
        with records.write() as writer:
            settings.put(writer, _KEY, found)


def _versioned(kinds: Mapping[str, str]) -> list[str]:
    """Return the stores whose kind may keep old versions; one whose kind is not installed
    may not.
    """
    found = []
    for name, kind in kinds.items():
        with suppress(FasciculusError):
            if KINDS.get(kind).versioned:
                found.append(name)
    return found


def old_bytes(order: StoreOrder) -> int:
    """Return bytes of what a store keeps though it was removed or replaced."""
    with connected(open_unguarded(order.spec())) as store:
        return store.old_bytes() if isinstance(store, VersionedStore) else 0


def of_store(records: Records, name: str) -> int | None:
    """Return the bytes of a store's old versions when they were last measured; None for never."""
    row = _known(records).get(name)
    return None if row is None else int(row["bytes"])


def _known(records: Records) -> dict[str, dict[str, str | int]]:
    found: dict[str, dict[str, str | int]] = settings.get(records.reader, _KEY, {})
    return found
