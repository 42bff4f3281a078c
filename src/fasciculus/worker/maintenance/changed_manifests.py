"""When a store says something else of a bundle than the records, the store is right."""

from __future__ import annotations

from collections.abc import Iterable

from ...core.bundle.manifest import Manifest
from ..events import CopyRepacked, Emitter
from ..orders import CopyOrder


def tell_restated(
    emitter: Emitter, known: Iterable[CopyOrder], manifests: Iterable[Manifest]
) -> None:
    """Tell of bundles that were turned to other pieces when nobody could hear it any more."""
    digests = {held.name: held.listing_sha256 for held in known}
    for manifest in manifests:
        if digests.get(manifest.name, manifest.listing_sha256) != manifest.listing_sha256:
            emitter.emit(CopyRepacked(manifest.name, manifest.summary()))
