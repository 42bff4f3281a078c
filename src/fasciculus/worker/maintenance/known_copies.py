"""What the records know of the copies that maintenance works on."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path

from ...bundles.files import is_listing_of
from ...core.bundle.manifest import Manifest
from ..events import CopyRepacked, Emitter
from ..orders import CopyOrder


def listing_at_hand(known: Iterable[CopyOrder], manifest: Manifest) -> Path | None:
    """The listing beside the records, where it is the one that the store's manifest names."""
    for held in known:
        if (
            held.name == manifest.name
            and held.listing
            and is_listing_of(Path(held.listing), manifest)
        ):
            return Path(held.listing)
    return None


def report_changed_manifests(
    emitter: Emitter, known: Iterable[CopyOrder], manifests: Iterable[Manifest]
) -> None:
    """Report bundles whose repacking was finished when nobody could hear of it.

    Where the store says something else than the records, the store is right.
    """
    digests = {copy.name: copy.listing_sha256 for copy in known}
    for manifest in manifests:
        if digests.get(manifest.name, manifest.listing_sha256) != manifest.listing_sha256:
            emitter.emit(CopyRepacked(manifest.name, manifest.summary()))
