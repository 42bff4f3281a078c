"""Reads what bundles a store holds, for records that know nothing of them."""

from __future__ import annotations

import threading
from pathlib import Path

from ...bundles.retiring import complete
from ...contracts.events import Progress, RecordsCopyFound
from ...contracts.orders import ImportOrder
from ...contracts.results import ImportResult
from ...core.bundle.layout import (
    check_name,
)
from ...core.errors import FasciculusError
from ...core.formatting import format_count
from ...core.subject import BUNDLED, Subject, SubjectKind
from ...stores.base import Store
from ..emitter import Emitter
from ..errors import error_text
from ..fetching import fetch
from ..found_bundles import found_bundle
from ..store_access import identified


class ImportTask:
    """Carries out one :class:`ImportOrder`. Only reads; one odd bundle costs that bundle."""

    def __init__(self, order: ImportOrder, emitter: Emitter, stop: threading.Event) -> None:
        self._order, self._emitter, self._stop = order, emitter, stop
        self._progress = Progress("reading")
        self._odd = 0

    def run(self) -> ImportResult:
        """Report each complete bundle; unreadable ones are logged and left untouched."""
        with identified(self._order.store, self._stop, self._emitter) as store:
            subjects = [row for kind in BUNDLED for row in self._subjects(store, kind)]
            self._progress.total = len(subjects)
            for subject in subjects:
                if self._stop.is_set():
                    break
                self._subject(store, subject)
            if not self._stop.is_set():
                self._records(store)
        what = (
            f"{format_count(self._progress.entries, 'bundle')} of "
            f"{format_count(len(subjects), 'subject')} found"
        )
        odd = f"; {format_count(self._odd, 'thing')} could not be read" if self._odd else ""
        return ImportResult(
            outcome="warned" if self._odd else "done",
            summary=f"{what}{odd}.",
            entries=self._progress.entries,
        )

    def _records(self, store: Store) -> None:
        """Bring the newest copy of the records, where the store has one."""
        folder = self._order.records_folder
        try:
            copies = [item for item in store.items(folder) if item.name.endswith(".records")]
            if not copies:
                return
            newest, local = copies[-1], Path(self._order.records)
            local.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
            fetch(store, f"{folder}/{newest.name}", local, newest.size)
        except (FasciculusError, OSError) as error:
            self._emitter.warn(f"the copy of the records cannot be read: {error_text(error)}")
            return
        self._emitter.emit(RecordsCopyFound(newest.name))

    def _warn(self, place: str, error: str) -> None:
        self._odd += 1
        self._emitter.warn(f"{place}: {error}")

    def _subjects(self, store: Store, kind: SubjectKind) -> list[Subject]:
        found = []
        for item in store.items(kind.plural):
            if item.folder:
                try:
                    found.append(Subject(kind, check_name(item.name)))
                except FasciculusError as error:
                    self._warn(f"{kind.plural}/{item.name!r}", error.message)
        return found

    def _subject(self, store: Store, subject: Subject) -> None:
        try:
            names = complete(store, subject)
        except FasciculusError as error:
            self._warn(subject.folder, error_text(error))
            return
        for name in names:
            try:
                self._emitter.emit(found_bundle(store, subject, name, self._order.store.key))
                self._progress.entries += 1
            except FasciculusError as error:
                self._warn(f"{subject.folder}: {name!r}", error_text(error))
        self._progress.bytes += 1
        self._emitter.emit(self._progress)
