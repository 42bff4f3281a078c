"""A bundle's own files: what makes it one."""

from __future__ import annotations

import hashlib
import os
from pathlib import Path

from ..core.bundle.layout import SubjectRef
from ..core.bundle.manifest import Manifest
from ..core.errors import DamagedError
from ..stores.base import Store

_CHUNK = 1024 * 1024


def fetch_listing(store: Store, subject: SubjectRef, manifest: Manifest, target: Path) -> Path:
    """Bring the listing here and check it against the manifest."""
    digest = hashlib.sha256()
    target.parent.mkdir(parents=True, exist_ok=True)
    partial = target.with_name(target.name + f".{os.getpid()}.part")
    try:
        with (
            store.open(f"{subject.bundle(manifest.name)}/{manifest.listing}") as source,
            partial.open("wb") as sink,
        ):
            left = manifest.listing_bytes
            while chunk := source.read(_CHUNK):
                digest.update(chunk)
                sink.write(chunk)
                # A store may send for ever.
                left -= len(chunk)
                if left < 0:
                    break
        if digest.hexdigest() != manifest.listing_sha256:
            raise DamagedError(
                f"The listing of {manifest.name} on store “{store.spec.name}” is damaged.",
                "Choose another copy or another moment.",
            )
        partial.rename(target)
    finally:
        partial.unlink(missing_ok=True)
    return target


def is_listing_of(path: Path, manifest: Manifest) -> bool:
    """Whether a file here is, byte for byte, the listing that a manifest names."""
    if not path.is_file():
        return False
    with path.open("rb") as raw:
        return hashlib.file_digest(raw, "sha256").hexdigest() == manifest.listing_sha256
