"""Small files of a store, read whole."""

from __future__ import annotations

from typing import TYPE_CHECKING

from ..core.errors import DamagedError

if TYPE_CHECKING:
    from .base import Store

_CHUNK = 1024 * 1024


def read_all(store: Store, path: str, most: int = 8 * 1024 * 1024) -> bytes:
    """Return the whole of a small file; :class:`DamagedError` for one of more than
    ``most`` bytes.
    """
    with store.open(path) as stream:
        chunks, left = [], most
        while left >= 0 and (chunk := stream.read(min(left + 1, _CHUNK))):
            chunks.append(chunk)
            left -= len(chunk)
    if left < 0:
        raise DamagedError(f"{path} on store “{store.spec.name}” has more than {most:,} bytes.")
    return b"".join(chunks)
