"""A file of another store brought into the spool."""

from __future__ import annotations

import hashlib
import shutil
from pathlib import Path

from ..core.errors import StoreFullError
from ..core.formatting import format_size
from ..stores.base import Store

_CHUNK = 1024 * 1024


def fetch(source: Store, path: str, local: Path, size: int) -> str:
    """Bring a file of a known size here; the SHA-256 of what came.

    Raises ``StoreFullError`` where the spool has no room for it.
    """
    free = shutil.disk_usage(local.parent).free
    if size > free:
        raise StoreFullError(
            f"The spool has only {format_size(free)} free, and {path} needs {format_size(size)}.",
            "Free space on that disk, or move the spool (FASCICULUS_SPOOL).",
        )
    digest, left = hashlib.sha256(), size
    with source.open(path) as stream, local.open("wb") as sink:
        # A store may send forever: no more than one byte too many is taken.
        while left >= 0 and (chunk := stream.read(min(_CHUNK, left + 1))):
            left -= len(chunk)
            digest.update(chunk)
            sink.write(chunk)
    return digest.hexdigest()
