"""Facts about a store from the records and this machine: its place, growth and cost."""

from __future__ import annotations

import os
import sqlite3
from collections.abc import Iterable
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path

from ....core import forecast, store_advice
from ....core.formatting import format_size
from ....core.stolen_credentials import GuardedStore
from ....core.store_advice import StoreFacts
from ....models import Store, StoreDay, StoreShare, StoreUsage
from ....records import inventory, transfers
from ....records.stores import store_days
from ....stores import KINDS
from ....stores.base import StoreSettings
from ....stores.folder import FolderSettings

_SHARES = 50


def facts(db: sqlite3.Connection, store: Store) -> StoreFacts:
    """Return a store as advice sees it."""
    settings = KINDS.parse(store.settings.model_dump())
    assert isinstance(settings, StoreSettings)
    local = settings.on_this_machine()
    folder = Path(settings.folder) if isinstance(settings, FolderSettings) else None
    return StoreFacts(
        store.name,
        on_this_machine=local,
        same_disk=folder is not None and local and _shares_disk(folder, inventory.local_homes(db)),
        published="" if folder is None else _published(folder, inventory.local_roots(db)),
        unprotected=settings.unprotected(),
        untried=store.tried is None,
        room=None if store.free is None else max(0, store.bytes + store.free - store.reserve),
    )


def guarded(store: Store) -> GuardedStore:
    """Return the protection of a store against stolen credentials."""
    settings = KINDS.parse(store.settings.model_dump())
    assert isinstance(settings, StoreSettings)
    tried = store.tried.date().isoformat() if store.tried is not None else ""
    return GuardedStore(
        store.name, store.append_only, tried, settings.lock_mode(), len(store.recipients)
    )


def _shares_disk(folder: Path, homes: Iterable[str]) -> bool:
    try:
        own = os.stat(folder).st_dev
    except OSError:
        return False
    for home in homes:
        try:
            if os.stat(home).st_dev == own:
                return True
        except OSError:
            continue
    return False


def _published(folder: Path, roots: Iterable[tuple[str, str]]) -> str:
    """Return the site whose document root contains a folder, with links followed."""
    real = Path(os.path.realpath(folder))
    for site, root in roots:
        place = Path(os.path.realpath(root))
        if place == real or place in real.parents:
            return site
    return ""


def usage(db: sqlite3.Connection, store: Store, old_versions: int | None) -> StoreUsage:
    """Return a store's usage, growth, cost, missing copies, and the day it will be full, unless the
    store's output model has them. ``old_versions`` are the bytes of removed files that a bucket
    retains.
    """
    days = store_days.days(db, store.name)
    today = datetime.now(UTC).date()
    per_day = forecast.growth_per_day(days)
    kept, moved = forecast.price_of_month(
        store.bytes, days, store.price_kept, store.price_moved, today
    )
    return StoreUsage(
        name=store.name,
        bytes=store.bytes,
        copies=store.copies,
        free=store.free,
        free_at=store.free_at,
        reserve=store.reserve,
        per_day=None if per_day is None else round(per_day),
        full_on=forecast.full_on(store.free, store.reserve, per_day, today),
        why=_why(store, per_day),
        price_kept=round(kept, 4),
        price_moved=round(moved, 4),
        currency=store.currency,
        lag=store.lag,
        oldest_read=store.oldest_read,
        old_versions=old_versions,
        days=[
            StoreDay(day=row.day, sent=row.sent, received=row.received, stored=row.stored)
            for row in days
        ],
        transfers=transfers.days(db, store.name),
        subjects=[StoreShare(**row) for row in store_days.by_subject(db, store.name, _SHARES)],
        jobs=[StoreShare(**row) for row in store_days.by_job(db, store.name)],
        advice=store_advice.of_store(replace(facts(db, store), old_versions=old_versions or 0)),
    )


def _why(store: Store, per_day: float | None) -> str:
    """Return the basis of the forecast, or why there is none."""
    if store.free is None:
        return "The store does not tell how much is free."
    if store.free <= store.reserve:
        kept = f", and {format_size(store.reserve)} are to stay free" if store.reserve else ""
        return f"It is full: {format_size(store.free)} are free{kept}."
    if per_day is None:
        return "A forecast needs three days on which the store was counted."
    if per_day <= 0:
        return "It does not grow."
    return f"At the pace of the days counted, {format_size(round(per_day))} a day."
