"""Brings bundles that a store lacks from other stores, byte for byte."""

from __future__ import annotations

import hashlib
import shutil
import threading
from contextlib import ExitStack
from pathlib import Path

from ...bundles.files import fetch_stored_listing
from ...bundles.retiring import needed_pieces, remove_bundle
from ...contracts.events import CopyMade, CopyRetired, DamageMet, Progress
from ...contracts.orders import TransferOrder
from ...contracts.results import TransferResult
from ...core.bundle.layout import MANIFEST, SUMS
from ...core.bundle.manifest import Manifest, PieceRecord
from ...core.errors import DamagedError, FasciculusError, MissingError, StoreFullError
from ...core.formatting import format_count, format_list, format_size
from ...stores.base import Store
from ...stores.confirmation import confirm
from ...stores.identity import check_ours
from ..emitter import Emitter
from ..errors import error_text
from ..fetching import fetch
from ..store_access import identified, owned
from .known_copies import listing_at_hand


class TransferTask:
    """Carries out one :class:`TransferOrder`. Nothing may write or retire bundles of the subject
    meanwhile. Cancelled at any point, each bundle is whole on the store or not there at all.
    """

    def __init__(self, order: TransferOrder, emitter: Emitter, stop: threading.Event) -> None:
        self._order, self._emitter, self._stop = order, emitter, stop
        self._subject = order.subject.ref()
        self._spool = Path(order.spool)
        self._progress = Progress("copying")
        self._recorded = {
            store.name: store.recorded_copies(self._subject, emitter.warn)
            for store in (order.store, *order.sources)
        }
        #: Pieces that are on the store as they should be.
        self._there: dict[str, PieceRecord] = {}
        #: By the bundles that were brought, the store that each came from.
        self._made: dict[str, str] = {}
        self._moved: list[str] = []
        self._left: list[str] = []

    def run(self) -> TransferResult:
        """Bring what can be brought; what cannot is said."""
        self._spool.mkdir(parents=True, exist_ok=True, mode=0o700)
        try:
            with ExitStack() as open_ones:
                store = open_ones.enter_context(owned(self._order.store, self._stop, self._emitter))
                sources = self._sources(open_ones)
                self._look(store)
                for wanted in self._order.bundles:
                    if self._stop.is_set():
                        break
                    self._bundle(store, sources, wanted.name)
                for name in self._order.brought if self._order.move else ():
                    self._take_up(store, name)
                if self._order.move and self._made:
                    for source in sources:
                        self._remove(source)
        finally:
            shutil.rmtree(self._spool, ignore_errors=True)
        return self._result()

    def _result(self) -> TransferResult:
        used = set(self._made.values()) or {order.name for order in self._order.sources}
        names = format_list(sorted(used))
        verb = "moved" if self._order.move else "brought"
        what = (
            f"{format_count(len(self._made), 'bundle')} {verb} from {names}, "
            f"{format_size(self._progress.pushed)} sent"
        )
        lacking = f"; {format_count(len(self._left), 'bundle')} could not be" if self._left else ""
        return TransferResult(
            outcome="warned" if self._left else "done",
            summary=f"{what}{lacking}.",
            entries=len(self._made),
            bytes=self._progress.pushed,
        )

    def _sources(self, open_ones: ExitStack) -> list[Store]:
        found: list[Store] = []
        for order in self._order.sources:
            try:
                found.append(open_ones.enter_context(identified(order, self._stop, self._emitter)))
            except (FasciculusError, OSError) as error:
                self._emitter.warn(f"store {order.name} cannot help: {error_text(error)}")
        return found

    def _look(self, store: Store) -> None:
        """Note the pieces that the store has already: those of its recorded copies."""
        recorded = self._recorded[self._order.store.name]
        held = {item.name: item.size for item in store.items(self._subject.pieces)}
        for copy in self._order.store.recorded:
            try:
                manifest = recorded.manifest(store, copy.name)
            except (MissingError, DamagedError):
                continue
            for piece in manifest.pieces:
                if held.get(piece.name) == piece.bytes:
                    self._there[piece.name] = piece

    def _bundle(self, store: Store, sources: list[Store], name: str) -> None:
        trouble = "no store that can be reached has it whole"
        for source in sources:
            try:
                manifest, data = self._recorded[source.spec.name].manifest_and_bytes(source, name)
                self._bring(store, source, manifest, data)
            except StoreFullError:
                raise
            except (MissingError, DamagedError) as error:
                trouble = error_text(error)
                if name in self._recorded[source.spec.name]:
                    self._emitter.emit(DamageMet(source.spec.name, name))
                continue
            self._made[name] = source.spec.name
            return
        self._left.append(name)
        self._emitter.warn(f"{name}: {trouble}")

    def _take_up(self, store: Store, name: str) -> None:
        """Count a bundle as moved that an earlier move brought: if the store holds all of it."""
        try:
            manifest = self._recorded[store.spec.name].manifest(store, name)
            for piece in manifest.pieces:
                confirm(store, self._subject.piece(piece.name), piece.bytes, piece.sha256)
            listing = manifest.stored_listing
            path = f"{self._subject.bundle(name)}/{manifest.listing}"
            confirm(store, path, listing.bytes, listing.sha256)
        except (MissingError, DamagedError) as error:
            self._left.append(name)
            self._emitter.warn(f"{name} stays where it was: {error_text(error)}")
            return
        self._made[name] = self._order.sources[0].name

    def _bring(self, store: Store, source: Store, manifest: Manifest, data: bytes) -> None:
        """Pieces, then listing and sums, and ``bundle.json`` last."""
        before = self._progress.pushed
        for piece in manifest.pieces:
            self._piece(store, source, piece)
        folder = self._subject.bundle(manifest.name)
        local = self._spool / "listing"
        # A folder store may take the very file that is put: never write to it again.
        local.unlink(missing_ok=True)
        at_hand = listing_at_hand(self._order.bundles, manifest)
        if at_hand is not None and manifest.sealed_listing is None:
            shutil.copyfile(at_hand, local)
        else:
            fetch_stored_listing(source, self._subject, manifest, local)
        path = f"{folder}/{manifest.listing}"
        store.put(local, path, self._sent)
        stored = manifest.stored_listing
        confirm(store, path, stored.bytes, stored.sha256)
        store.put_bytes(manifest.sums(), f"{folder}/{SUMS}")
        store.put_bytes(data, f"{folder}/{MANIFEST}")
        moved = self._progress.pushed - before
        summary = manifest.summary(hashlib.sha256(data).hexdigest())
        self._emitter.emit(CopyMade(manifest.name, source.spec.name, moved, summary))
        self._emitter.info(f"{manifest.name}: from {source.spec.name}, {format_size(moved)}")

    def _piece(self, store: Store, source: Store, piece: PieceRecord) -> None:
        known = self._there.get(piece.name)
        if known is not None:
            if known.sha256 != piece.sha256:
                raise DamagedError(
                    f"Store “{store.spec.name}” has another {piece.name}.",
                    "Two services write to it, or it was altered; verify it.",
                )
            return
        path, local = self._subject.piece(piece.name), self._spool / piece.name
        try:
            if fetch(source, path, local, piece.bytes) != piece.sha256:
                raise DamagedError(f"{piece.name} is damaged on store “{source.spec.name}”.")
            store.put(local, path, self._sent)
            confirm(store, path, piece.bytes, piece.sha256)
        finally:
            local.unlink(missing_ok=True)
        self._there[piece.name] = piece

    def _sent(self, count: int) -> None:
        self._progress.pushed += count
        self._progress.bytes += count
        self._emitter.emit(self._progress)

    def _remove(self, source: Store) -> None:
        """Take what was moved from its old store, and the pieces that nothing there needs."""
        recorded = self._recorded[source.spec.name]
        (order,) = [row for row in self._order.sources if row.name == source.spec.name]
        check_ours(source, order.store_id, order.owner_id)
        for name in self._made:
            if name in recorded:
                remove_bundle(source, self._subject, name)
                self._moved.append(name)
                self._emitter.emit(CopyRetired(source.spec.name, name))
        recorded.forget(self._made)
        left = [item.name for item in source.items(self._subject.bundles) if item.folder]
        needed = needed_pieces(recorded.manifests(source, left, self._spool), recorded)
        if needed is None:
            return
        for item in source.items(self._subject.pieces):
            if item.name not in needed:
                source.remove(self._subject.piece(item.name))
