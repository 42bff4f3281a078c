"""The status of each store, computed once for each state of the records."""

from __future__ import annotations

import threading
import time
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta

from ...core import forecast
from ...core.forecast import DayCount
from ...models import Store
from ...records import transfers
from ...records.db import Records
from ...records.paging import PageRequest
from ...records.runs import maintenance
from ...records.secret_cipher import SecretCipher
from ...records.stores import store_days, stores

_TREND_DAYS = 60
#: Seconds from which on nobody is to wait for it.
_LONG = 0.04
_ALL = PageRequest(limit=10_000)


@dataclass(frozen=True, slots=True)
class StoreStatus:
    """The day a store will be full, its missed bundles, its monthly cost, and the oldest deep
    verification.
    """

    full_on: date | None
    lag: int
    month_price: float
    oldest_read: datetime | None


class StoreStatuses:
    """The statuses of all stores; needed often, and expensive with many bundles.

    If computing them takes long, the last ones are returned while newer ones are computed.
    """

    def __init__(self, records: Records, cipher: SecretCipher) -> None:
        self._records, self._cipher = records, cipher
        self._lock = threading.Lock()
        self._state: tuple[int, date] | None = None
        self._known: dict[str, StoreStatus] = {}
        self._took = 0.0
        self._working = False

    def all(self) -> dict[str, StoreStatus]:
        """By the name of the store."""
        state = (self._records.version, datetime.now(UTC).date())
        with self._lock:
            if self._state == state or self._working:
                return self._known
            if self._state is not None and self._took > _LONG:
                self._working = True
                threading.Thread(target=self._work, args=(state,), daemon=True).start()
                return self._known
            self._compute(state)
            return self._known

    def _work(self, state: tuple[int, date]) -> None:
        try:
            self._compute(state)
        finally:
            with self._lock:
                self._working = False

    def _compute(self, state: tuple[int, date]) -> None:
        began = time.monotonic()
        self._known = self._look(state[1])
        self._took, self._state = time.monotonic() - began, state

    def _look(self, today: date) -> dict[str, StoreStatus]:
        db = self._records.reader
        counted = store_days.every_day(db, (today - timedelta(days=_TREND_DAYS)).isoformat())
        lags, reads = transfers.lagging(db), maintenance.oldest_reads(db)
        return {
            store.name: _status(
                store,
                counted.get(store.name, []),
                lags.get(store.name, 0),
                reads.get(store.name),
                today,
            )
            for store in stores.stores(db, self._cipher, _ALL).items
        }


def _status(
    store: Store, days: list[DayCount], lag: int, read: str | None, today: date
) -> StoreStatus:
    kept, moved = forecast.price_of_month(
        store.bytes, days, store.price_kept, store.price_moved, today
    )
    return StoreStatus(
        forecast.full_on(store.free, store.reserve, forecast.growth_per_day(days), today),
        lag,
        round(kept + moved, 4),
        datetime.fromisoformat(read) if read else None,
    )
