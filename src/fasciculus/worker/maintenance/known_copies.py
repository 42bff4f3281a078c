"""The recorded copies that maintenance works on."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable
from pathlib import Path

from ...bundles.files import is_listing_of
from ...bundles.recorded_copies import RecordedCopies
from ...contracts.events import CopyRepacked
from ...contracts.orders import CopyOrder, MaintenanceOrder
from ...core.bundle.manifest import Manifest
from ...core.errors import DamagedError
from ...stores.base import Store
from ..emitter import Emitter


def listing_at_hand(known: Iterable[CopyOrder], manifest: Manifest) -> Path | None:
    """Return the listing next to the records, if it is the one that the store's manifest names."""
    for held in known:
        if (
            held.name == manifest.name
            and held.listing
            and is_listing_of(Path(held.listing), manifest)
        ):
            return Path(held.listing)
    return None


def known_copies(order: MaintenanceOrder, emitter: Emitter) -> RecordedCopies:
    """Return the copies that an order is about, as the records know them."""
    return order.store.recorded_copies(order.subject.ref(), emitter.warn)


def current_manifest(
    order: MaintenanceOrder, store: Store, bundle: str, recorded: RecordedCopies, emitter: Emitter
) -> Manifest:
    """Return a bundle's manifest as stored or repacked; errors are those of
    :meth:`RecordedCopies.manifest`.

    Repacking that was not reported to the records is reported now.
    """
    manifest, data = recorded.manifest_and_bytes(store, bundle)
    for held in order.store.recorded:
        if held.name == bundle and held.listing_sha256 not in ("", manifest.listing_sha256):
            digest = hashlib.sha256(data).hexdigest()
            emitter.emit(CopyRepacked(bundle, manifest.summary(digest)))
    return manifest


def own_manifest(
    order: MaintenanceOrder, store: Store, bundle: str, recorded: RecordedCopies, emitter: Emitter
) -> Manifest:
    """Return the same for a bundle that will be rewritten: a foreign one must not become ours."""
    manifest = current_manifest(order, store, bundle, recorded, emitter)
    if not recorded.is_ours(store, bundle):
        raise DamagedError(
            f"{bundle} on store “{store.spec.name}” is not in the records, and nothing says that "
            "this service made it.",
            "Remove its folder from the store if nobody needs it, then start again.",
        )
    return manifest
