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


@dataclass(frozen=True, slots=True)
class _Computed:
    """Statuses, the state of the records they were computed from, and the seconds it took."""

    state: tuple[int, date] | None
    statuses: dict[str, StoreStatus]
    took: float


class StoreStatuses:
    """The statuses of all stores; needed often, and expensive with many bundles."""

    def __init__(self, records: Records, cipher: SecretCipher) -> None:
        self._records, self._cipher = records, cipher
        self._lock = threading.Lock()
        self._computed = _Computed(None, {}, 0.0)
        self._working = False

    def recent(self) -> dict[str, StoreStatus]:
        """By the name of the store; for those who may not wait.

        If computing them takes long, the last ones are returned while newer ones are computed.
        """
        with self._lock:
            known = self._computed
            if known.state == self._state() or self._working:
                return known.statuses
            if known.state is not None and known.took > _LONG:
                self._working = True
                threading.Thread(target=self._work, daemon=True).start()
                return known.statuses
            return self._compute()

    def current(self) -> dict[str, StoreStatus]:
        """By the name of the store, as the records are now; for those who may wait."""
        known = self._computed
        return known.statuses if known.state == self._state() else self._compute()

    def _state(self) -> tuple[int, date]:
        return self._records.version, datetime.now(UTC).date()

    def _work(self) -> None:
        try:
            self._compute()
        finally:
            with self._lock:
                self._working = False

    def _compute(self) -> dict[str, StoreStatus]:
        began, state = time.monotonic(), self._state()
        statuses = self._look(state[1])
        self._computed = _Computed(state, statuses, time.monotonic() - began)
        return statuses

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
