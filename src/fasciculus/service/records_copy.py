"""A copy of the records on the stores that are named for it, once a day."""

from __future__ import annotations

import logging
import sqlite3
import tempfile
from datetime import UTC, datetime, timedelta
from pathlib import Path

from ..config import Config
from ..records import settings
from ..records.bundles import copies
from ..records.db import Records, stamp
from ..records.jobs import jobs
from ..records.secret_cipher import SecretCipher
from ..records.stores import stores
from . import outside
from .stores.store_work import put_records
from .tasks.orders.connections import OrderInputs, store_order
from .tasks.orders.maintenance import RECORDS_FOLDER, RECORDS_KEPT

log = logging.getLogger(__name__)

ALL = ("all",)
_EVERY = timedelta(hours=23, minutes=30)
_KEY = "records.copies"
#: Seconds that one store may take.
_DEADLINE = 1800.0


def copy_if_due(config: Config, records: Records, cipher: SecretCipher) -> None:
    """Bring a copy to each store whose last is a day old; what fails is said and tried again."""
    done: dict[str, str] = settings.get(records.reader, _KEY, {})
    now = datetime.now(UTC)
    names = wanted(config, records.reader)
    due = [
        name
        for name in names
        if not (name in done and timedelta(0) <= now - datetime.fromisoformat(done[name]) < _EVERY)
    ]
    if not due:
        return
    with tempfile.TemporaryDirectory(dir=config.spool) as folder:
        local = Path(folder) / f"{now:%Y-%m-%dT%H%M%SZ}.records"
        copies.copy_out(config.records, local, cipher.key, Path(folder))
        for name in due:
            try:
                order = store_order(OrderInputs(config, records.reader, cipher), name)
                outside.call_within(
                    _DEADLINE, put_records, order, local, RECORDS_FOLDER, RECORDS_KEPT
                )
                done[name] = stamp(now)
                log.info("a copy of the records is on store %s", name)
            except Exception as error:
                log.warning("store %s took no copy of the records: %s", name, error)
    with records.write() as db:
        settings.put(db, _KEY, {name: done[name] for name in names if name in done})


def wanted(config: Config, db: sqlite3.Connection) -> list[str]:
    """Return the stores that are to have copies: those that are named, or all that jobs write to
    and that are this service's own.
    """
    if config.records_stores != ALL:
        return [name for name in config.records_stores if name != "none"]
    used = {name for job in jobs.jobs(db) if job.enabled for name in job.stores}
    return sorted(used & set(stores.own(db)))


def overdue(config: Config, records: Records) -> list[str]:
    """Return the stores that should have a copy no older than two days, and have not."""
    done: dict[str, str] = settings.get(records.reader, _KEY, {})
    oldest = stamp(datetime.now(UTC) - 2 * _EVERY)
    # One that was not named has its first copy within an hour of its first job.
    first = "" if config.records_stores != ALL else stamp(datetime.now(UTC))
    return [name for name in wanted(config, records.reader) if done.get(name, first) < oldest]
