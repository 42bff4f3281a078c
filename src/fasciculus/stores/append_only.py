"""A store whose files are never removed or replaced by the service."""

from __future__ import annotations

import io
from collections.abc import Callable, Sequence
from datetime import datetime
from pathlib import Path
from typing import BinaryIO

from ..core.errors import SettingError
from .base import ConnectStep, Store, StoreItem, sizes_of

_CHUNK = 1024 * 1024


class AppendOnlyStore:
    """Wraps a store that is declared append-only: whatever would remove or replace a file there
    raises ``SettingError``, before the store is asked.
    """

    def __init__(self, store: Store) -> None:
        self.inner = store
        self.spec, self.digests_itself = store.spec, store.digests_itself
        self.proves_transfer = store.proves_transfer

    def connect(self) -> None:
        """Connect; harmless if it is connected already."""
        self.inner.connect()

    def close(self) -> None:
        """Close it; harmless if it is closed already."""
        self.inner.close()

    def items(self, folder: str) -> list[StoreItem]:
        """Return the contents of a folder, by name."""
        return self.inner.items(folder)

    def open(self, path: str, offset: int = 0, length: int | None = None) -> BinaryIO:
        """Return a stream of a file's bytes."""
        return self.inner.open(path, offset, length)

    def put(self, local: Path, path: str, on_bytes: Callable[[int], None]) -> None:
        """Store a local file under a name that is free, or that has the same contents already."""
        if self.inner.size(path) is None:
            self.inner.put(local, path, on_bytes)
            return
        with local.open("rb") as wanted:
            self._check_same(wanted, path)

    def put_bytes(self, data: bytes, path: str) -> None:
        """Store a few bytes in the same way."""
        if self.inner.size(path) is None:
            self.inner.put_bytes(data, path)
            return
        self._check_same(io.BytesIO(data), path)

    def _check_same(self, wanted: BinaryIO, path: str) -> None:
        with self.inner.open(path) as held:
            while chunk := wanted.read(_CHUNK):
                if _read(held, len(chunk)) != chunk:
                    raise self._refused(f"{path} cannot be replaced")
            if held.read(1):
                raise self._refused(f"{path} cannot be replaced")

    def arrived(self, path: str) -> int:
        """Return the bytes of an interrupted upload that need not be sent again."""
        return self.inner.arrived(path)

    def clear_partial(self, folder: str) -> None:
        """Leave the remains of interrupted uploads, which retiring removes."""

    def remove(self, path: str) -> None:
        """Raise ``SettingError``."""
        raise self._refused(f"{path} cannot be removed")

    def remove_folder(self, folder: str) -> None:
        """Raise ``SettingError``."""
        raise self._refused(f"{folder} cannot be removed")

    def rename(self, path: str, to: str) -> None:
        """Raise ``SettingError``."""
        raise self._refused(f"{path} cannot be renamed")

    def size(self, path: str) -> int | None:
        """Return the size of a file in bytes, None if it does not exist."""
        return self.inner.size(path)

    def sizes(self, paths: Sequence[str]) -> list[int | None]:
        """Return the sizes of files in bytes, None for those that do not exist."""
        return sizes_of(self.inner, paths)

    def sha256(self, path: str) -> str | None:
        """Return the SHA-256 that the store computes, None if it cannot."""
        return self.inner.sha256(path)

    def free(self) -> int | None:
        """Return the free bytes, None if unknown."""
        return self.inner.free()

    def replaces_at_once(self) -> bool:
        """Return False: it replaces nothing."""
        return False

    def modified(self, path: str) -> datetime | None:
        """Return the modification time by the store's clock, None if unknown."""
        return self.inner.modified(path)

    def make_root(self) -> None:
        """Create the root folder; harmless if it exists."""
        self.inner.make_root()

    def connecting(self) -> list[ConnectStep]:
        """Return the steps of connecting, for a test."""
        return self.inner.connecting()

    def _refused(self, what: str) -> SettingError:
        return append_only_error(self.spec.name, what)


def append_only_error(store: str, what: str) -> SettingError:
    """Return the error for something that an append-only store does not allow."""
    return SettingError(
        f"Store “{store}” is append-only: {what}.",
        f"Copies there retire with other credentials: fasciculus stores retire {store}.",
    )


def _read(stream: BinaryIO, count: int) -> bytes:
    """Read so many bytes, fewer only at the end."""
    found = b""
    while len(found) < count and (more := stream.read(count - len(found))):
        found += more
    return found
