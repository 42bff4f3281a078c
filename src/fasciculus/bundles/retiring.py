"""Removing copies from a store, safe at every interruption.

A bundle's ``bundle.json`` goes first, so that what is half removed counts no more;
pieces go only when no remaining bundle of the subject names them.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable

from ..core import retention
from ..core.bundle.layout import (
    LISTING,
    MANIFEST,
    SUMS,
    SubjectRef,
    moment_of,
)
from ..core.bundle.manifest import Manifest, parse_manifest, sums
from ..stores.base import Store, read_all


def complete(store: Store, subject: SubjectRef) -> list[str]:
    """The names of the subject's complete bundles on a store, oldest first."""
    return [
        item.name
        for item in store.items(subject.bundles)
        if item.folder and store.size(f"{subject.bundle(item.name)}/{MANIFEST}") is not None
    ]


def manifests_of(store: Store, subject: SubjectRef, bundles: Iterable[str]) -> list[Manifest]:
    """The manifests of complete bundles.

    Raises rather than leaves one out: a manifest that cannot be read must not cost its pieces.
    """
    return [
        parse_manifest(read_all(store, f"{subject.bundle(name)}/{MANIFEST}")) for name in bundles
    ]


def needed_pieces(store: Store, subject: SubjectRef, bundles: Iterable[str]) -> set[str]:
    """All pieces that these bundles name; raises as :func:`manifests_of` does."""
    return {
        piece.name
        for manifest in manifests_of(store, subject, bundles)
        for piece in manifest.pieces
    }


def settle(store: Store, subject: SubjectRef, manifest: Manifest) -> None:
    """Finish what repacking began with a bundle: its sums follow its ``bundle.json``, then its old
    listing goes.
    """
    folder = subject.bundle(manifest.name)
    strange = [
        item.name
        for item in store.items(folder)
        if item.name not in (manifest.listing, MANIFEST, SUMS)
    ]
    if strange:
        store.put_bytes(
            sums(manifest.listing_sha256, manifest.pieces, manifest.listing), f"{folder}/{SUMS}"
        )
        for name in strange:
            store.remove(f"{folder}/{name}")


def remove_bundle(store: Store, subject: SubjectRef, name: str) -> None:
    """Remove a bundle's folder; its pieces stay."""
    folder = subject.bundle(name)
    store.remove(f"{folder}/{MANIFEST}")
    for item in store.items(folder):
        store.remove(f"{folder}/{item.name}")
    store.remove_folder(folder)


def retire(
    store: Store,
    subject: SubjectRef,
    known: list[str],
    pinned: list[str],
    keep: int,
    on_retired: Callable[[str], None],
) -> int:
    """Apply the keep rule to what records and store agree on. Returns how many copies are left.

    ``known`` come in the order in which they were made.
    """
    present = complete(store, subject)
    agreed = [name for name in known if name in present]
    rows = [
        retention.RetentionCopy(name, name in pinned)
        for name in agreed
        if moment_of(name) is not None
    ]
    going = retention.retiring(rows, keep)
    for copy in going:
        remove_bundle(store, subject, copy.name)
        on_retired(copy.name)
    if going:
        gone = {copy.name for copy in going}
        needed = needed_pieces(store, subject, [name for name in present if name not in gone])
        for item in store.items(subject.pieces):
            if item.name not in needed:
                store.remove(subject.piece(item.name))
    return len(agreed) - len(going)


def sweep(store: Store, subject: SubjectRef) -> list[str]:
    """Remove half-written bundles and the pieces that no complete bundle names.

    Only to be called while nobody writes a bundle of this subject. Gives the names
    of what was removed.
    """
    whole = complete(store, subject)
    removed = []
    for item in store.items(subject.bundles):
        if item.folder and item.name not in whole:
            remove_bundle(store, subject, item.name)
            removed.append(item.name)
    pieces = [item.name for item in store.items(subject.pieces)]
    if pieces:
        manifests = manifests_of(store, subject, whole)
        for manifest in manifests:
            if manifest.listing != LISTING:
                settle(store, subject, manifest)
        needed = {piece.name for manifest in manifests for piece in manifest.pieces}
        for name in pieces:
            if name not in needed:
                store.remove(subject.piece(name))
                removed.append(name)
    return removed
