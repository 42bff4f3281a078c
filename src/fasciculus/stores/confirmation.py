"""Confirmation of uploads: by size, and by a checksum or by reading back."""

from __future__ import annotations

import hashlib

from ..core.errors import DamagedError, MissingError
from .base import Store

_CHUNK = 1024 * 1024


def confirm(store: Store, path: str, size: int, sha256: str) -> None:
    """Raise :class:`DamagedError` unless an uploaded file is intact on the store.

    If the store cannot compute a digest and ``put`` does not prove the transfer, the file is read
    back, unless the store's settings say that its size suffices.
    """
    if not _is_intact(store, path, size, sha256):
        raise DamagedError(
            f"{path.rpartition('/')[2]} arrived at store “{store.spec.name}” altered.",
            "Check that machine's disk and memory; the next run sends all again.",
        )


def _is_intact(store: Store, path: str, size: int, sha256: str) -> bool:
    try:
        # Where it is the expected one, so is the size: that saves a request.
        digest = store.sha256(path)
    except MissingError:
        return False
    if digest is not None:
        return digest == sha256
    if store.size(path) != size:
        return False
    if store.proves_transfer or not store.spec.read_back:
        return True
    return read_back(store, path) == sha256


def read_back(store: Store, path: str) -> str:
    """Return the SHA-256 of a file's bytes, read here."""
    digest = hashlib.sha256()
    with store.open(path) as stream:
        while chunk := stream.read(_CHUNK):
            digest.update(chunk)
    return digest.hexdigest()
