"""A bundle's own files: what makes it one."""

from __future__ import annotations

import hashlib
import os
from pathlib import Path
from typing import TYPE_CHECKING, BinaryIO

from ..core.bundle.manifest import Manifest, StoredFile
from ..core.errors import DamagedError
from ..core.subject import Subject

if TYPE_CHECKING:
    from ..core.bundle.seal.age import UnsealedSource
    from ..stores.base import Store

_CHUNK = 1024 * 1024


def fetch_listing(store: Store, subject: Subject, manifest: Manifest, target: Path) -> Path:
    """Fetch the listing, unseal it if needed, and check it against the manifest."""
    if manifest.sealed_listing is None:
        return _fetch(store, subject, manifest, target, manifest.stored_listing)
    path = f"{subject.bundle(manifest.name)}/{manifest.listing}"
    whole = StoredFile(manifest.listing_bytes, manifest.listing_sha256)
    with unsealed(store).open(path) as source:
        return _checked(source, store, manifest, target, whole)


def fetch_stored_listing(store: Store, subject: Subject, manifest: Manifest, target: Path) -> Path:
    """Fetch the listing as stored, sealed or not."""
    return _fetch(store, subject, manifest, target, manifest.stored_listing)


def unsealed(store: Store) -> UnsealedSource:
    """Return a store's files as what is sealed in them, by the private keys that are at hand."""
    # Cryptography is imported where something is read: a run writes alone.
    from ..core.bundle.seal.age import UnsealedSource

    return UnsealedSource(store, store.spec.identities)


def _fetch(
    store: Store, subject: Subject, manifest: Manifest, target: Path, wanted: StoredFile
) -> Path:
    with store.open(f"{subject.bundle(manifest.name)}/{manifest.listing}") as source:
        return _checked(source, store, manifest, target, wanted)


def _checked(
    source: BinaryIO, store: Store, manifest: Manifest, target: Path, wanted: StoredFile
) -> Path:
    digest = hashlib.sha256()
    target.parent.mkdir(parents=True, exist_ok=True)
    partial = target.with_name(target.name + f".{os.getpid()}.part")
    try:
        with partial.open("wb") as sink:
            left = wanted.bytes
            while chunk := source.read(_CHUNK):
                digest.update(chunk)
                sink.write(chunk)
                # A store may send forever.
                left -= len(chunk)
                if left < 0:
                    break
        if digest.hexdigest() != wanted.sha256:
            raise DamagedError(
                f"The listing of {manifest.name} on store “{store.spec.name}” is damaged.",
                "Choose another copy or another moment.",
            )
        partial.rename(target)
    finally:
        partial.unlink(missing_ok=True)
    return target


def is_listing_of(path: Path, manifest: Manifest) -> bool:
    """Return whether a file here is, byte for byte, the listing that a manifest names."""
    if not path.is_file():
        return False
    with path.open("rb") as raw:
        return hashlib.file_digest(raw, "sha256").hexdigest() == manifest.listing_sha256
