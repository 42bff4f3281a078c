"""What there is to say of each store at a glance, computed once for each state of the records."""

from __future__ import annotations

import threading
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta

from ..core import forecast
from ..core.forecast import DayCount
from ..models import Store
from ..records import maintenance, store_days, stores, transfers
from ..records.db import Records
from ..records.encryption import SecretCipher
from ..records.paging import PageRequest

_TREND_DAYS = 60
_ALL = PageRequest(limit=10_000)


@dataclass(frozen=True, slots=True)
class Glance:
    """When it will be full, how many bundles it lacks, what a month costs, when the copy that was
    read through longest ago was read.
    """

    full_on: date | None
    lag: int
    month_price: float
    oldest_read: datetime | None


class StoreGlances:
    """The glances of all stores; looked at often, and dear where there are many bundles."""

    def __init__(self, records: Records, cipher: SecretCipher) -> None:
        self._records, self._cipher = records, cipher
        self._lock = threading.Lock()
        self._of: tuple[int, date] | None = None
        self._known: dict[str, Glance] = {}

    def all(self) -> dict[str, Glance]:
        """By the name of the store."""
        today = datetime.now(UTC).date()
        with self._lock:
            state = (self._records.version, today)
            if self._of != state:
                self._known, self._of = self._look(today), state
            return self._known

    def _look(self, today: date) -> dict[str, Glance]:
        db = self._records.reader
        counted = store_days.every_day(db, (today - timedelta(days=_TREND_DAYS)).isoformat())
        lags = transfers.lagging(db)
        return {
            store.name: self._glance(store, counted.get(store.name, []), lags, today)
            for store in stores.stores(db, self._cipher, _ALL).items
        }

    def _glance(
        self, store: Store, days: list[DayCount], lags: dict[str, int], today: date
    ) -> Glance:
        kept, moved = forecast.price_of_month(
            store.bytes, days, store.price_kept, store.price_moved, today
        )
        read = maintenance.last_read(self._records.reader, store.name).values()
        return Glance(
            forecast.full_on(store.free, store.floor, forecast.growth_per_day(days), today),
            lags.get(store.name, 0),
            round(kept + moved, 4),
            min(map(datetime.fromisoformat, read), default=None),
        )
