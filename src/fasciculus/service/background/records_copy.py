"""A copy of the records on the stores that are named for it, once a day."""

from __future__ import annotations

import logging
import tempfile
from datetime import UTC, datetime, timedelta
from pathlib import Path

from ...config import Config
from ...records import copies, settings
from ...records.db import Records, stamp
from ...records.encryption import SecretCipher
from ...stores import open_store
from ...stores.base import connected
from ...stores.identity import check_ours
from ..tasks.orders.connections import OrderSources, store_order

log = logging.getLogger(__name__)

FOLDER = "records"
KEPT = 14
_EVERY = timedelta(hours=23, minutes=30)
_KEY = "records.copies"


def copy_if_due(config: Config, records: Records, cipher: SecretCipher) -> None:
    """Bring a copy to each store whose last is a day old; what fails is said and tried again."""
    done: dict[str, str] = settings.get(records.reader, _KEY, {})
    now = datetime.now(UTC)
    due = [
        name
        for name in config.records_stores
        if not (name in done and timedelta(0) <= now - datetime.fromisoformat(done[name]) < _EVERY)
    ]
    if not due:
        return
    with tempfile.TemporaryDirectory(dir=config.spool) as folder:
        local = Path(folder) / f"{now:%Y-%m-%dT%H%M%SZ}.records"
        copies.copy_out(config.records, local, cipher.key, Path(folder))
        for name in due:
            try:
                _put(OrderSources(config, records.reader, cipher), name, local)
                done[name] = stamp(now)
                log.info("a copy of the records is on store %s", name)
            except Exception as error:
                log.warning("store %s took no copy of the records: %s", name, error)
    with records.write() as db:
        settings.put(db, _KEY, {name: done[name] for name in config.records_stores if name in done})


def overdue(config: Config, records: Records) -> list[str]:
    """The stores that should have a copy no older than two days, and have not."""
    done: dict[str, str] = settings.get(records.reader, _KEY, {})
    oldest = stamp(datetime.now(UTC) - 2 * _EVERY)
    return [name for name in config.records_stores if done.get(name, "") < oldest]


def _put(sources: OrderSources, name: str, local: Path) -> None:
    order = store_order(sources, name)
    with connected(open_store(order.spec())) as store:
        check_ours(store, order.store_id, order.owner_id)
        # A store may take the very file that is put; others are to have it too.
        store.put_bytes(local.read_bytes(), f"{FOLDER}/{local.name}")
        names = sorted(item.name for item in store.items(FOLDER) if item.name.endswith(".records"))
        for old in names[:-KEPT]:
            store.remove(f"{FOLDER}/{old}")
