"""Reads what bundles a store holds, for records that know nothing of them."""

from __future__ import annotations

import hashlib
import threading
from pathlib import Path

from ...bundles.retiring import complete
from ...contracts.events import BundleFound, Progress, RecordsCopyFound
from ...contracts.orders import ImportOrder
from ...contracts.results import ImportResult
from ...core.bundle.layout import (
    MANIFEST,
    check_name,
    moment_of,
)
from ...core.bundle.manifest import MOST_BYTES, parse_manifest
from ...core.bundle.seal.authentication import Origin, origin_of
from ...core.errors import DamagedError, FasciculusError
from ...core.formatting import format_count
from ...core.subject import BUNDLED, Subject, SubjectKind
from ...stores.base import Store
from ...stores.reading import read_all
from ..emitter import Emitter
from ..errors import error_text
from ..fetching import fetch
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
                self._emitter.emit(self._bundle(store, subject, name))
                self._progress.entries += 1
            except FasciculusError as error:
                self._warn(f"{subject.folder}: {name!r}", error_text(error))
        self._progress.bytes += 1
        self._emitter.emit(self._progress)

    def _bundle(self, store: Store, subject: Subject, name: str) -> BundleFound:
        data = read_all(store, f"{subject.bundle(name)}/{MANIFEST}", MOST_BYTES)
        manifest = parse_manifest(data)
        named = (manifest.name, manifest.subject_kind, manifest.subject)
        if named != (name, subject.kind, subject.name) or moment_of(name) is None:
            raise DamagedError(f"its manifest is that of {manifest.name}")
        ours = origin_of(data, self._order.store.key) is Origin.OURS
        return BundleFound(
            subject_kind=subject.kind,
            subject=subject.name,
            name=name,
            job=_known_name(manifest.job),
            host=_known_name(manifest.host),
            entries=manifest.entries,
            bytes=manifest.bytes,
            packed=manifest.packed,
            vouched=ours,
            origin=manifest.origin,
            manifest=manifest.summary(hashlib.sha256(data).hexdigest()),
        )


def _known_name(text: str) -> str:
    """Return a name out of a manifest, where it can be one."""
    try:
        return check_name(text)
    except FasciculusError:
        return "unknown"
