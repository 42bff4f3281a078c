"""What the records know of the copies that maintenance works on."""

from __future__ import annotations

from collections.abc import Iterable
from itertools import zip_longest
from pathlib import Path

from msgspec.structs import replace

from ...bundles.files import fetch_listing, is_listing_of
from ...core.bundle.diff import without_place
from ...core.bundle.layout import SubjectRef
from ...core.bundle.listing import read_lines
from ...core.bundle.manifest import Manifest
from ...core.errors import DamagedError, MissingError
from ...stores.base import Store
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


class KnownCopies:
    """Holds what a store says of its bundles against what the records know of them."""

    def __init__(
        self, copies: Iterable[CopyOrder], subject: SubjectRef, spool: Path, emitter: Emitter
    ) -> None:
        self._copies = {copy.name: copy for copy in copies}
        self._subject, self._spool, self._emitter = subject, spool, emitter

    def is_ours(self, store: Store, manifest: Manifest) -> bool:
        """Whether a manifest is the one that was stored, or that repacking put in its place.

        Repacking that was finished when nobody could hear of it changes where bytes are, never
        what they are: only such a manifest is taken over, and reported.
        """
        held = self._copies.get(manifest.name)
        if held is None or held.listing_sha256 in ("", manifest.listing_sha256):
            return True
        if not self._only_moved(store, held, manifest):
            return False
        self._emitter.emit(CopyRepacked(manifest.name, manifest.summary()))
        return True

    def _only_moved(self, store: Store, held: CopyOrder, manifest: Manifest) -> bool:
        """Whether the listing there says of every entry what the recorded one says."""
        recorded = replace(manifest, listing_sha256=held.listing_sha256)
        before = Path(held.listing)
        if not held.listing or not is_listing_of(before, recorded):
            return False
        after = self._spool / "changed-listing"
        try:
            fetch_listing(store, self._subject, manifest, after)
            with before.open("rb") as old, after.open("rb") as new:
                return all(
                    one is not None
                    and other is not None
                    and without_place(one) == without_place(other)
                    for one, other in zip_longest(read_lines(old), read_lines(new))
                )
        except (DamagedError, MissingError):
            return False
        finally:
            after.unlink(missing_ok=True)
