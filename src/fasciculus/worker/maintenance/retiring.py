"""Retires copies of an append-only store, with separate credentials."""

from __future__ import annotations

import shutil
import threading
from datetime import UTC, datetime
from pathlib import Path

from ...bundles.records_copies import remove_old_copies
from ...bundles.retiring import StoreKeep, complete, retire, sweep
from ...contracts.events import CopyRetired, Progress
from ...contracts.orders import RetireOrder, SeriesOrder
from ...contracts.results import RetireResult
from ...core import retention, schedule
from ...core.formatting import format_count, format_size
from ...stores.base import Store
from ...stores.trying import TRIAL
from ..emitter import Emitter
from ..store_access import owned
from .known_copies import known_copies


class RetireTask:
    """Carries out one :class:`RetireOrder`. Nothing else may work on the subject's copies
    meanwhile.
    """

    def __init__(self, order: RetireOrder, emitter: Emitter, stop: threading.Event) -> None:
        self._order, self._emitter, self._stop = order, emitter, stop
        self._subject = order.subject.ref()
        self._spool = Path(order.spool)
        self._recorded = known_copies(order, emitter)
        self._retired: list[str] = []

    def run(self) -> RetireResult:
        """Retire what no keep rule wants, and remove what interrupted runs left."""
        self._spool.mkdir(parents=True, exist_ok=True, mode=0o700)
        self._emitter.emit(Progress("retiring"))
        try:
            with owned(self._order.store, self._stop, self._emitter) as store:
                before = self._held(store)
                for series in self._order.series:
                    self._apply(store, series)
                for name in sweep(store, self._subject, self._recorded, self._spool):
                    self._emitter.info(f"removed {name}, which no bundle needs")
                freed = before - self._held(store)
                self._clear_trials(store)
                folder, kept = self._order.records_folder, self._order.records_kept
                remove_old_copies(store, folder, kept)
        finally:
            shutil.rmtree(self._spool, ignore_errors=True)
        copies = format_count(len(self._retired), "copy", "copies")
        return RetireResult(
            outcome="done",
            summary=f"{copies} retired, {format_size(freed)} are free again.{self._locked()}",
            entries=len(self._retired),
            bytes=freed,
        )

    def _held(self, store: Store) -> int:
        return sum(item.size for item in store.items(self._subject.pieces))

    def _apply(self, store: Store, series: SeriesOrder) -> None:
        keep = StoreKeep(
            retention.parse(series.keep),
            schedule.zone(series.zone),
            datetime.now(UTC) if series.is_closed else None,
            set(series.pinned),
            set(series.unsound),
            set(series.locked),
        )
        retire(
            store,
            self._subject,
            series.known,
            keep,
            self._on_retired,
            self._recorded,
            self._spool,
            complete(store, self._subject),
        )

    def _on_retired(self, bundle: str) -> None:
        self._retired.append(bundle)
        self._emitter.emit(CopyRetired(self._order.store.name, bundle))
        self._emitter.info(f"retired {bundle}")

    def _locked(self) -> str:
        count = sum(len(series.locked) for series in self._order.series)
        return f" {format_count(count, 'copy is', 'copies are')} locked still." if count else ""

    def _clear_trials(self, store: Store) -> None:
        """Remove what trying the store left, which the service itself cannot."""
        for folder in store.items("."):
            if folder.folder and folder.name.startswith(TRIAL):
                for item in store.items(folder.name):
                    store.remove(f"{folder.name}/{item.name}")
                store.remove_folder(folder.name)
