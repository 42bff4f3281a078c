"""The stored files of one bundle."""

from __future__ import annotations

from typing import TYPE_CHECKING

from ..core.bundle.layout import MANIFEST, SUMS
from ..core.errors import MissingError
from ..core.subject import Subject
from .recorded_copies import RecordedCopies

if TYPE_CHECKING:
    from ..stores.base import Store


def stored_files(
    store: Store, recorded: RecordedCopies, subject: Subject, bundle: str
) -> dict[str, int]:
    """Return the size of each file that a bundle needs, by its path on the store. ``bundle.json``
    is the last one.

    Raises ``MissingError`` or ``DamagedError`` if its manifest is not what the records know.
    """
    manifest = recorded.manifest(store, bundle)
    folder = subject.bundle(bundle)
    found = {subject.piece(piece.name): piece.bytes for piece in manifest.pieces}
    found[f"{folder}/{manifest.listing}"] = manifest.stored_listing.bytes
    for name in (SUMS, MANIFEST):
        size = store.size(f"{folder}/{name}")
        if size is None:
            raise MissingError(f"{name} of {bundle} is not on store “{store.spec.name}”.")
        found[f"{folder}/{name}"] = size
    return found
