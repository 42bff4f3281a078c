"""Removing copies from a store, safe at every interruption.

A bundle's ``bundle.json`` goes first, so that what is half removed counts no more;
pieces go only when no remaining bundle of the subject names them.
"""

from __future__ import annotations

from collections.abc import Iterable

from ..core.bundling.manifest import parse_manifest
from ..core.bundling.names import MANIFEST, SubjectRef
from ..stores.base import Store, read_all


def complete(store: Store, subject: SubjectRef) -> list[str]:
    """The names of the subject's complete bundles on a store, oldest first."""
    return [
        item.name for item in store.items(subject.bundles)
        if item.folder and store.size(f"{subject.bundle(item.name)}/{MANIFEST}") is not None
    ]


def needed_pieces(store: Store, subject: SubjectRef, bundles: Iterable[str]) -> set[str]:
    """All pieces that these bundles name.

    Raises rather than leaves one out: a manifest that cannot be read must not cost
    its pieces.
    """
    return {
        piece.name for name in bundles
        for piece in parse_manifest(read_all(store, f"{subject.bundle(name)}/{MANIFEST}")).pieces
    }


def remove_bundle(store: Store, subject: SubjectRef, name: str) -> None:
    """Remove a bundle's folder; its pieces stay."""
    folder = subject.bundle(name)
    store.remove(f"{folder}/{MANIFEST}")
    for item in store.items(folder):
        store.remove(f"{folder}/{item.name}")
    store.remove_folder(folder)


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
        needed = needed_pieces(store, subject, whole)
        for name in pieces:
            if name not in needed:
                store.remove(subject.piece(name))
                removed.append(name)
    return removed
