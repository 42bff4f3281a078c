"""Puts intact files from other stores in the place of damaged ones."""

from __future__ import annotations

import shutil
import threading
from contextlib import ExitStack
from pathlib import Path
from typing import TypeVar

from ...bundles.files import fetch_stored_listing
from ...contracts.events import DamageCleared, DamageMet, Progress
from ...contracts.orders import RepairOrder
from ...contracts.results import RepairResult
from ...core.bundle.layout import MANIFEST, SUMS
from ...core.bundle.manifest import (
    Manifest,
    PieceRecord,
)
from ...core.errors import (
    DamagedError,
    FasciculusError,
    MissingError,
)
from ...core.formatting import (
    THE_RECORDS,
    format_count,
    format_list,
    format_size,
)
from ...stores.base import Store
from ...stores.confirmation import confirm
from ..emitter import Emitter
from ..fetching import fetch
from ..store_access import identified, owned
from .known_copies import listing_at_hand

_T = TypeVar("_T")


class RepairTask:
    """Carries out one :class:`RepairOrder`. Nothing may write or retire bundles of the subject
    meanwhile.
    """

    def __init__(self, order: RepairOrder, emitter: Emitter, stop: threading.Event) -> None:
        self._order, self._emitter, self._stop = order, emitter, stop
        self._subject = order.subject.ref()
        self._spool = Path(order.spool)
        self._progress = Progress("repairing")
        self._repaired: list[str] = []
        self._helped: set[str] = set()
        self._recorded = {
            store.name: store.recorded_copies(self._subject, emitter.warn)
            for store in (order.store, *order.sources)
        }

    def run(self) -> RepairResult:
        """Repair what can be repaired; what cannot is said, and the next run stores it again."""
        self._spool.mkdir(parents=True, exist_ok=True, mode=0o700)
        try:
            with ExitStack() as open_ones:
                store = open_ones.enter_context(owned(self._order.store, self._stop, self._emitter))
                sources = self._sources(open_ones)
                self._repair(store, sources)
        finally:
            shutil.rmtree(self._spool, ignore_errors=True)
        left = [file for file in self._order.files if file not in self._repaired]
        whence = f" from {format_list(sorted(self._helped))}" if self._helped else ""
        what = (
            f"{format_count(len(self._repaired), 'file')} repaired{whence}, "
            f"{format_size(self._progress.bytes)}"
        )
        if not left:
            return RepairResult(
                outcome="done",
                summary=f"{what}.",
                entries=len(self._repaired),
                bytes=self._progress.bytes,
            )
        return RepairResult(
            outcome="warned",
            summary=f"{what}; {format_count(len(left), 'file')} found intact on no other store. "
            "The next run of the job stores their contents again.",
            entries=len(self._repaired),
            bytes=self._progress.bytes,
        )

    def _sources(self, open_ones: ExitStack) -> list[Store]:
        found = []
        for order in self._order.sources:
            try:
                found.append(open_ones.enter_context(identified(order, self._stop, self._emitter)))
            except (FasciculusError, OSError) as error:
                self._emitter.warn(f"store {order.name} cannot help: {error}")
        return found

    def _repair(self, store: Store, sources: list[Store]) -> None:
        files = [file for file in self._order.files if not self._stays(store, file)]
        for file in files:
            if file.startswith("pieces/"):
                self._piece(store, sources, file.removeprefix("pieces/"))
        # A bundle counts again once its bundle.json is there: after all that it needs.
        for name in sorted({file.split("/")[1] for file in files if file.startswith("bundles/")}):
            self._bundle(store, sources, name)

    def _stays(self, store: Store, file: str) -> bool:
        """Return whether a damaged file cannot be replaced, with a warning."""
        path = f"{self._subject.folder}/{file}"
        if not store.spec.append_only or store.size(path) is None:
            return False
        self._emitter.warn(
            f"{file}: store {store.spec.name} is append-only, so that it cannot be replaced"
        )
        return True

    def _is_repaired(self, file: str, source: str) -> None:
        self._repaired.append(file)
        self._helped.add(source)
        self._emitter.emit(DamageCleared(file, source))
        self._emitter.info(f"{file}: repaired from {source}")

    # Pieces --------------------------------------------------------------------

    def _piece(self, store: Store, sources: list[Store], name: str) -> None:
        wanted = self._wanted(store, sources, name)
        path = self._subject.piece(name)
        for source in sources if wanted is not None else ():
            assert wanted is not None
            if source.size(path) != wanted.bytes:
                continue
            local = self._spool / name
            try:
                if fetch(source, path, local, wanted.bytes) != wanted.sha256:
                    self._emitter.warn(f"pieces/{name}: damaged on {source.spec.name} too")
                    self._emitter.emit(DamageMet(source.spec.name))
                    continue
                store.put(local, path, lambda count: None)
                confirm(store, path, wanted.bytes, wanted.sha256)
            except MissingError:
                continue
            finally:
                local.unlink(missing_ok=True)
            self._progress.bytes += wanted.bytes
            self._emitter.emit(self._progress)
            self._is_repaired(f"pieces/{name}", source.spec.name)
            return
        self._emitter.warn(f"pieces/{name}: no intact one on another store")

    def _wanted(self, store: Store, sources: list[Store], name: str) -> PieceRecord | None:
        """Return the piece's record: from the records, otherwise from a manifest of its store, or
        of another.
        """
        for piece in self._order.pieces:
            if piece.name == name:
                return piece
        for place in (store, *sources):
            for held in self._order.bundles:
                found = self._manifest(place, held.name)
                for piece in found[0].pieces if found is not None else ():
                    if piece.name == name:
                        return piece
        return None

    def _manifest(self, store: Store, bundle: str) -> tuple[Manifest, bytes] | None:
        """Return a manifest that is what was stored, and its bytes."""
        try:
            return self._recorded[store.spec.name].manifest_and_bytes(store, bundle)
        except (MissingError, DamagedError):
            return None

    # A bundle's own files --------------------------------------------------------

    def _bundle(self, store: Store, sources: list[Store], name: str) -> None:
        folder = f"bundles/{name}"
        found = self._manifest(store, name)
        source = THE_RECORDS
        if found is None:
            found, source = self._manifest_elsewhere(store, sources, name)
        if found is None:
            self._emitter.warn(f"{folder}: no store has what makes it whole again")
            return
        manifest, bundle_json = found
        wanted = [file for file in self._order.files if file.startswith(f"{folder}/")]
        listing = f"{folder}/{manifest.listing}"
        whole = f"{folder}/{MANIFEST}" in wanted
        if (whole or listing in wanted) and not self._listing(store, sources, manifest):
            self._emitter.warn(f"{listing}: no intact one on another store")
            return
        put = {
            f"{folder}/{SUMS}": manifest.sums(),
            f"{folder}/{MANIFEST}": bundle_json,
        }
        for file, data in put.items():
            if whole or file in wanted:
                path = f"{self._subject.folder}/{file}"
                store.put_bytes(data, path)
        for file in wanted:
            self._is_repaired(file, source)

    def _manifest_elsewhere(
        self, store: Store, sources: list[Store], name: str
    ) -> tuple[tuple[Manifest, bytes] | None, str]:
        """Return a manifest that a store lost, all of whose pieces it has, and where that
        is from.
        """
        kept = self._recorded[store.spec.name].kept_manifest(name)
        if kept is not None and self._has_all(store, kept[0]):
            return kept, THE_RECORDS
        for other in sources:
            found = self._manifest(other, name)
            if found is not None and self._has_all(store, found[0]):
                return found, other.spec.name
        return None, ""

    def _has_all(self, store: Store, manifest: Manifest) -> bool:
        held = {item.name: item.size for item in store.items(self._subject.pieces)}
        return all(held.get(piece.name) == piece.bytes for piece in manifest.pieces)

    def _listing(self, store: Store, sources: list[Store], manifest: Manifest) -> bool:
        """Restore the listing: from next to the records, or from another store."""
        path = f"{self._subject.bundle(manifest.name)}/{manifest.listing}"
        local = self._spool / "listing"
        at_hand = listing_at_hand(self._order.bundles, manifest)
        # Sealed again it would be another file: only another store has that one.
        if at_hand is not None and manifest.sealed_listing is None:
            # A folder store may take the very file that is put: never write to it again.
            local.unlink(missing_ok=True)
            shutil.copyfile(at_hand, local)
            store.put(local, path, lambda count: None)
            return True
        for source in sources:
            found = self._manifest(source, manifest.name)
            if found is None or found[0].stored_listing != manifest.stored_listing:
                continue
            try:
                fetch_stored_listing(source, self._subject, found[0], local)
            except (MissingError, DamagedError):
                continue
            store.put(local, path, lambda count: None)
            return True
        return False
