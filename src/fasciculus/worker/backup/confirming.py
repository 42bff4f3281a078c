"""The last steps of a copy on each store, ``bundle.json`` at the end."""

from __future__ import annotations

import shutil
from contextlib import suppress
from datetime import UTC, datetime
from pathlib import Path

from ...bundles.files import is_listing_of
from ...core.bundle import layout
from ...core.bundle.manifest import (
    Manifest,
    StoredFile,
)
from ...core.errors import DamagedError, FasciculusError
from ...stores.base import LockingStore
from ...stores.confirmation import confirm
from ..errors import NoStoreLeftError
from ..sealing import public
from .context import BackupContext
from .stores import BackupStores
from .upload import Uploader


class Confirming:
    """Waits until each store holds what was sent, and completes its copy."""

    def __init__(self, task: BackupContext, stores: BackupStores) -> None:
        self._task, self._stores = task, stores

    def run(self, manifest: Manifest) -> None:
        """Confirm the copies on all stores."""
        self._task.stage("sending")
        listing = Path(self._task.order.listing).with_suffix(".part")
        for uploader in self._stores.uploaders:
            uploader.join()
        self._task.stage("confirming")
        manifest.ended = datetime.now(UTC).isoformat(timespec="seconds")
        manifest.shorten()
        put = self._listing_to_put(manifest, listing)
        self._task.bundle_json = public(manifest).to_json(self._task.order.stores[0].key)
        for uploader in self._stores.uploaders:
            if uploader.failure is None:
                try:
                    self._complete(uploader, manifest, put)
                except Exception as error:
                    uploader.failure = error
            if uploader.failure is not None:
                self._stores.fail(uploader.name, uploader.failure)
                self._stores.take_back(uploader)
        if all(uploader.failure is not None for uploader in self._stores.uploaders):
            listing.unlink(missing_ok=True)
            raise NoStoreLeftError
        listing.rename(self._task.order.listing)
        if self._task.order.manifest:
            # The copies are complete: a full disk here must not make a failure of them.
            with suppress(OSError):
                Path(self._task.order.manifest).write_bytes(self._task.bundle_json)
        self._task.half_made = False

    def _listing_to_put(self, manifest: Manifest, listing: Path) -> Path:
        """Return the listing as it goes to the stores, sealed where the pieces are."""
        if not is_listing_of(listing, manifest):
            raise DamagedError(
                "The listing was altered on this machine's disk.", "Check that disk and the memory."
            )
        if self._task.sealer is None:
            return listing
        sealed = self._task.spool / "listing.age"
        manifest.sealed_listing = StoredFile(*self._task.sealer.seal(listing, sealed))
        manifest.sealed_to = self._task.sealer.recipients
        manifest.listing += ".age"
        return sealed

    def _complete(self, uploader: Uploader, manifest: Manifest, listing: Path) -> None:
        """All that makes the copy whole; ``bundle.json`` is the very last."""
        store, folder = uploader.store, self._task.subject.bundle(self._task.bundle)
        path = f"{folder}/{manifest.listing}"
        # A folder store may take the very file that is put: the one next to the records must be
        # another.
        copy = self._task.spool / f"listing-for-{uploader.name}"
        shutil.copyfile(listing, copy)
        store.put(copy, path, lambda count: None)
        copy.unlink(missing_ok=True)
        stored = manifest.stored_listing
        confirm(store, path, stored.bytes, stored.sha256)
        held = {item.name: item.size for item in store.items(self._task.subject.pieces)}
        # Those of earlier bundles too: nobody may have removed one meanwhile.
        for piece in manifest.pieces:
            if held.get(piece.name) != piece.bytes:
                raise DamagedError(
                    f"{piece.name} is not whole on store “{uploader.name}”.",
                    "Something else removes files there; the next run sends everything again.",
                )
        store.put_bytes(manifest.sums(), f"{folder}/{layout.SUMS}")
        store.put_bytes(self._task.bundle_json, f"{folder}/{layout.MANIFEST}")
        self._lock(uploader, manifest)

    def _lock(self, uploader: Uploader, manifest: Manifest) -> None:
        """Lock all that the copy needs, where its store does that. A copy that cannot be locked is
        a copy all the same.
        """
        (order,) = [row for row in self._task.order.stores if row.name == uploader.name]
        store = uploader.store
        if not order.locked_until or not isinstance(store, LockingStore):
            return
        subject, until = self._task.subject, datetime.fromisoformat(order.locked_until)
        folder = subject.bundle(self._task.bundle)
        names = (manifest.listing, layout.SUMS, layout.MANIFEST)
        pieces = (subject.piece(piece.name) for piece in manifest.pieces)
        try:
            for path in (*pieces, *(f"{folder}/{name}" for name in names)):
                store.keep_until(path, until)
        except FasciculusError as error:
            self._task.emitter.warn(f"store {uploader.name}: the copy is not locked: {error}")
            return
        uploader.locked_until = order.locked_until
