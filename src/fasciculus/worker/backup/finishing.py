"""The end of a backup: what it changed, what retires, what it comes to."""

from __future__ import annotations

import hashlib
from functools import partial

from msgspec import UNSET, UnsetType

from ...bundles.retiring import StoreKeep, kept_if_none_retires, retire
from ...contracts.events import CopyResult, CopyRetired
from ...contracts.orders import StoreOrder
from ...contracts.results import BackupResult, Outcome
from ...core import retention, schedule
from ...core.bundle.manifest import (
    DiffCounts,
    Manifest,
)
from ...core.errors import DamagedError, FasciculusError
from ...core.formatting import format_count, format_size
from ...core.watch.unusual import unusual_changes
from ..errors import error_text
from .context import BackupContext
from .stores import BackupStores
from .upload import Uploader


class Finishing:
    """Retires older copies where the new one is whole, and says what the task comes to."""

    def __init__(self, task: BackupContext, stores: BackupStores) -> None:
        self._task, self._stores = task, stores

    def run(self, manifest: Manifest) -> BackupResult:
        """Write the manifest, and return the result."""
        # Before retiring: the service forgets the listing of what is retired.
        summary = manifest.summary(hashlib.sha256(self._task.bundle_json).hexdigest())
        summary.changes = self._changes(manifest)
        self._task.stage("retiring")
        unusual = self._unusual(manifest, summary.changes)
        # The copies before may also be the last ones that have the databases.
        retires = not (self._task.no_databases or unusual)
        orders = {store.name: store for store in self._task.order.stores}
        for name, error in self._stores.errors.items():
            self._task.emitter.emit(CopyResult(name, error))
        for uploader in self._stores.uploaders:
            if uploader.failure is None:
                target = orders[uploader.name]
                if target.append_only:
                    kept = len(target.known) + 1
                else:
                    kept = self._retire(uploader, target) if retires else 0
                self._task.emitter.emit(
                    CopyResult(uploader.name, kept=kept, locked_until=uploader.locked_until)
                )
        outcome: Outcome = (
            "partial"
            if self._stores.errors or self._task.no_databases
            else "warned"
            if self._task.emitter.warnings
            else "done"
        )
        self._task.emitter.info(
            f"{self._task.bundle}: {format_count(manifest.entries, 'entry', 'entries')}, "
            f"{format_size(manifest.bytes)}, {manifest.brings}: {format_size(manifest.packed)} "
            "packed in "
            f"{format_count(sum(piece.brought for piece in manifest.pieces), 'new piece')}"
        )
        return BackupResult(
            outcome=outcome,
            error=" ".join([*self._stores.errors.values(), *self._task.no_databases.values()]),
            bundle=self._task.bundle,
            entries=manifest.entries,
            bytes=manifest.bytes,
            packed=manifest.packed,
            manifest=summary,
            unusual=unusual,
        )

    def _retire(self, uploader: Uploader, target: StoreOrder) -> int:
        """Apply the keep rule on a store; return how many copies are left, 0 if unknown."""
        try:
            known = [*target.known, self._task.bundle]
            keep = keep_of(target, self._task.bundle if self._task.order.label else "")
            whole = [*self._stores.present[uploader.name].whole, self._task.bundle]
            if (kept := kept_if_none_retires(known, keep, whole)) is not None:
                return kept
            # What was complete at first, if it still has its folder: looking into each of them
            # again takes longer than a small task.
            there = {item.name for item in uploader.store.items(self._task.subject.bundles)}
            return retire(
                uploader.store,
                self._task.subject,
                known,
                keep,
                partial(self._retired, uploader.name),
                self._stores.recorded[uploader.name],
                self._task.spool,
                [name for name in whole if name in there],
            )
        except (FasciculusError, OSError) as error:
            self._task.emitter.warn(
                f"store {uploader.name}: retiring did not finish: "
                f"{error_text(error)} The next run tries it again."
            )
            return 0

    def _unusual(self, manifest: Manifest, changes: DiffCounts | UnsetType) -> str:
        """Why older copies may not retire, as a clause: so much changed that they may be the last
        ones before malware encrypted the files.
        """
        if isinstance(changes, UnsetType):
            return ""
        count = changes.new + changes.changed + changes.gone
        order = self._task.order
        words = unusual_changes(count, manifest.entries, order.usual_changes, order.most_changes)
        if words:
            self._task.emitter.warn(
                f"{words}. No older copy retires until this is acknowledged (alerts)."
            )
        return words

    def _retired(self, store: str, bundle: str) -> None:
        self._task.emitter.emit(CopyRetired(store, bundle))
        self._task.emitter.info(f"store {store}: retired {bundle}")

    def _changes(self, manifest: Manifest) -> DiffCounts | UnsetType:
        """Return how the bundle differs from the previous one, for the records; never what makes a
        complete bundle fail."""
        try:
            changes = self._task.before.changes(manifest.listing_sha256)
        except (DamagedError, OSError) as error:
            self._task.emitter.info(
                f"the changes since the previous bundle are unknown: {error_text(error)}"
            )
            return UNSET
        if changes is None:
            return UNSET
        self._task.emitter.info(
            f"since the previous bundle: {changes.new:,} new, {changes.changed:,} changed, "
            f"{changes.gone:,} gone"
        )
        return changes


def keep_of(store: StoreOrder, own: str = "") -> StoreKeep:
    """Return the keep rule's inputs on a store; ``own`` is a bundle with its own time to keep."""
    return StoreKeep(
        retention.parse(store.keep),
        schedule.zone(store.keep_zone),
        pinned={*store.pinned, own},
        unsound=set(store.unsound),
    )
