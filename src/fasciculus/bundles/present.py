"""The bundles and pieces of one subject on a store, listed once."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from ..core.bundle.layout import MANIFEST
from ..core.subject import Subject
from ..stores.base import Store, sizes_of


@dataclass(frozen=True, slots=True)
class Present:
    """The sizes of manifests by the names of bundles, None where a bundle has none; and the sizes
    of pieces by their names.
    """

    manifests: Mapping[str, int | None]
    pieces: Mapping[str, int]

    @property
    def whole(self) -> list[str]:
        """Return the names of the complete bundles, oldest first."""
        return [name for name, size in self.manifests.items() if size is not None]


def manifest_sizes(store: Store, subject: Subject) -> dict[str, int | None]:
    """Return the sizes of manifests by the names of bundles, oldest first; None where a bundle has
    none.
    """
    names = [item.name for item in store.items(subject.bundles) if item.folder]
    paths = [f"{subject.bundle(name)}/{MANIFEST}" for name in names]
    return dict(zip(names, sizes_of(store, paths), strict=True))


def look(store: Store, subject: Subject) -> Present:
    """Return what a store holds of a subject."""
    manifests = manifest_sizes(store, subject)
    return Present(manifests, {item.name: item.size for item in store.items(subject.pieces)})
