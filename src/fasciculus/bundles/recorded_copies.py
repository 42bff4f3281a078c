"""The recorded copies of a subject on a store, compared with the store."""

from __future__ import annotations

import hashlib
import shutil
from collections.abc import Callable, Iterable
from pathlib import Path
from typing import TYPE_CHECKING, Protocol

from ..core.bundle.layout import MANIFEST, SUMS
from ..core.bundle.manifest import MOST_BYTES, Manifest, parse_manifest
from ..core.bundle.seal.authentication import Origin, origin_of
from ..core.errors import DamagedError, MissingError, TooNewError
from ..core.subject import Subject
from ..stores.reading import read_all

if TYPE_CHECKING:
    from ..stores.base import Store
    from .present import Present
from .files import is_listing_of


class RecordedCopy(Protocol):
    """A copy that the records know.

    ``manifest`` and ``listing`` are the paths of the files next to the records, None if there are
    none; ``pieces`` are the names of its pieces, if there is no manifest. Digests are empty where a
    version that did not note them made the copy. ``vouched`` says whether this service made it.
    """

    name: str

    @property
    def manifest(self) -> str | None:
        """Return the path of the kept manifest, None if the service keeps none."""

    manifest_sha256: str

    @property
    def listing(self) -> str | None:
        """Return the path of the kept listing, None if the service keeps none."""

    listing_sha256: str
    pieces: list[str]
    vouched: bool


def _silent(text: str) -> None:
    """Nobody listens."""


class RecordedCopies:
    """The copies of one subject on one store, as the records know them.

    ``key`` is that of the service's authentication tags; ``on_trouble`` is called with a sentence
    for each copy whose manifest is not what it should be.
    """

    def __init__(
        self,
        copies: Iterable[RecordedCopy],
        subject: Subject,
        key: bytes = b"",
        on_trouble: Callable[[str], None] = _silent,
    ) -> None:
        self._copies = {copy.name: copy for copy in copies}
        self._subject, self._key, self._on_trouble = subject, key, on_trouble
        self._unclear: set[str] = set()
        self._told: set[str] = set()

    def __contains__(self, name: str) -> bool:
        return name in self._copies

    def manifest(self, store: Store, name: str) -> Manifest:
        """Return the manifest of a copy, as stored.

        Raises :class:`MissingError` if there is none, and :class:`DamagedError` if it is unreadable
        or altered.
        """
        return self.manifest_and_bytes(store, name)[0]

    def manifest_and_bytes(self, store: Store, name: str) -> tuple[Manifest, bytes]:
        """Return the same, with the bytes of its file.

        A manifest written by repacking but not recorded yet is recognised by its tag.
        """
        data = _read(store, self._subject, name)
        if not self._may_be(name, data):
            raise self._altered(store, name, "the records know another one")
        manifest = parse_manifest(data)
        named = manifest.name, manifest.subject_kind, manifest.subject
        if named != (name, self._subject.kind, self._subject.name):
            raise self._altered(store, name, f"it is the one of {manifest.name}")
        if not self._may_list(name, manifest, data):
            raise self._altered(store, name, "the records know another listing")
        return manifest, data

    def vouches_for(self, name: str) -> bool:
        """Return whether this service made a copy, and the records know what it holds."""
        held = self._copies.get(name)
        return (
            held is not None and held.vouched and bool(held.manifest_sha256 or held.listing_sha256)
        )

    def is_ours(self, store: Store, name: str) -> bool:
        """Return whether an unrecorded bundle was created by this service."""
        data = _read(store, self._subject, name)
        return name in self._copies or self._is_signed(data)

    def _may_be(self, name: str, data: bytes) -> bool:
        """Return whether the records know these bytes as the manifest, or cannot tell."""
        held = self._copies.get(name)
        if held is None or not held.manifest_sha256:
            return True
        return hashlib.sha256(data).hexdigest() == held.manifest_sha256 or self._is_signed(data)

    def _may_list(self, name: str, manifest: Manifest, data: bytes) -> bool:
        """Return whether the records know the listing that a manifest names, or cannot tell."""
        held = self._copies.get(name)
        known = held.listing_sha256 if held is not None else ""
        return known in ("", manifest.listing_sha256) or self._is_signed(data)

    def _is_signed(self, data: bytes) -> bool:
        return origin_of(data, self._key) is Origin.OURS

    def _altered(self, store: Store, name: str, why: str) -> DamagedError:
        return DamagedError(
            f"{name} on store “{store.spec.name}” is not what was stored there: its manifest was "
            f"altered ({why}).",
            "Restore from another store or another bundle; “stores verify” gives details.",
        )

    def explain(self, present: Present) -> bool:
        """Return whether a store holds exactly these copies: no other bundle or piece, none
        missing, all manifests of the recorded size, and none of them repacked.
        """
        if present.manifests.keys() != self._copies.keys():
            return False
        needed: set[str] = set()
        for name, size in present.manifests.items():
            kept = self.kept_manifest(name)
            if kept is None or len(kept[1]) != size or kept[0].is_repacked:
                return False
            needed.update(piece.name for piece in kept[0].pieces)
        return present.pieces.keys() <= needed

    def known_pieces(self, names: Iterable[str]) -> set[str]:
        """Return the pieces that some bundles need as the manifests next to the records say."""
        found = [self._kept_manifest(name) for name in names]
        return {piece.name for manifest in found if manifest for piece in manifest.pieces}

    def forget(self, names: Iterable[str]) -> None:
        """Yield the copies that were retired."""
        for name in names:
            self._copies.pop(name, None)

    # Putting it right ---------------------------------------------------------

    def manifests(
        self, store: Store, present: Iterable[str], spool: Path
    ) -> dict[str, Manifest | None]:
        """Return the manifests of the bundles present and of those that should be, oldest first.

        A missing or damaged manifest is written again from next to the records if everything that
        it needs exists. Otherwise it is unchanged, reported, and None here.
        """
        found: dict[str, Manifest | None] = {}
        for name in sorted({*present, *self._copies}):
            try:
                found[name] = self.manifest(store, name)
            except (MissingError, DamagedError) as error:
                is_written = self.write_again(store, name, spool)
                found[name] = self._kept_manifest(name) if is_written else None
                self._tell(store, name, isinstance(error, MissingError), is_written)
            except TooNewError as error:
                found[name] = None
                self._unclear.add(name)
                self._on_trouble(f"{name}: {error.message} Its pieces are kept.")
        return found

    def pieces_of(self, name: str) -> list[str] | None:
        """Return the pieces that a copy needs as the records know it; None where they do not, or
        where the store has another manifest, be it a damaged one.
        """
        if name in self._unclear:
            return None
        kept = self._kept_manifest(name)
        if kept is not None:
            return [piece.name for piece in kept.pieces]
        held = self._copies.get(name)
        return held.pieces if held is not None and held.pieces else None

    def write_again(self, store: Store, name: str, spool: Path) -> bool:
        """Write the files that make a copy complete, from next to the records; return False if
        something is missing.
        """
        beside, held = self.kept_manifest(name), self._copies.get(name)
        if beside is None or held is None:
            return False
        kept, data = beside
        sizes = {item.name: item.size for item in store.items(self._subject.pieces)}
        if any(sizes.get(piece.name) != piece.bytes for piece in kept.pieces):
            return False
        folder = self._subject.bundle(name)
        listing = f"{folder}/{kept.listing}"
        if kept.sealed_listing is None and held.listing and is_listing_of(Path(held.listing), kept):
            # A store may take the very file that is put.
            copy = spool / "listing-again"
            shutil.copyfile(held.listing, copy)
            store.put(copy, listing, lambda count: None)
            copy.unlink(missing_ok=True)
        elif store.size(listing) != kept.stored_listing.bytes:
            return False
        store.put_bytes(kept.sums(), f"{folder}/{SUMS}")
        store.put_bytes(data, f"{folder}/{MANIFEST}")
        return True

    def _kept_manifest(self, name: str) -> Manifest | None:
        kept = self.kept_manifest(name)
        return kept[0] if kept is not None else None

    def kept_manifest(self, name: str) -> tuple[Manifest, bytes] | None:
        """Return the manifest next to the records and its bytes, if it is the stored one."""
        held = self._copies.get(name)
        if held is None or not held.manifest or not held.manifest_sha256:
            return None
        try:
            data = Path(held.manifest).read_bytes()
            if hashlib.sha256(data).hexdigest() == held.manifest_sha256:
                return parse_manifest(data), data
        except (OSError, DamagedError):
            pass
        return None

    def _tell(self, store: Store, name: str, is_missing: bool, written: bool) -> None:
        if not is_missing and not written:
            self._unclear.add(name)
        if name in self._told:
            return
        self._told.add(name)
        trouble = "missing" if is_missing else "damaged or altered"
        place = f"{MANIFEST} of {name} on store “{store.spec.name}” was {trouble}"
        if written:
            self._on_trouble(f"{place}: written again from the records")
        else:
            self._on_trouble(
                f"{place}, and cannot be written again; its pieces are kept. Verify the store "
                "(stores verify), and repair it from another one (stores repair)."
            )


def _read(store: Store, subject: Subject, name: str) -> bytes:
    try:
        return read_all(store, f"{subject.bundle(name)}/{MANIFEST}", MOST_BYTES)
    except MissingError as error:
        raise MissingError(
            f"Store “{store.spec.name}” has no complete bundle {name} of {subject.name}.",
            "Choose another copy or another moment.",
        ) from error
