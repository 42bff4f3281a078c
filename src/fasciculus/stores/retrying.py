"""A store whose actions are tried again while the connection is lost."""

from __future__ import annotations

import hashlib
import threading
from collections.abc import Callable, Sequence
from contextlib import suppress
from datetime import datetime
from pathlib import Path
from typing import BinaryIO, TypeVar, cast

from ..core.errors import (
    ConnectionLostError,
    FasciculusError,
    NotListedError,
    StoreFullError,
    TransferFailedError,
)
from .append_only import AppendOnlyStore
from .base import ConnectStep, LockingStore, Store, StoreItem, sizes_of
from .confirmation import read_back
from .throttle import Throttle

_ATTEMPTS = 4
_FIRST_WAIT = 0.5
#: What is written to see whether there is room; larger than what a disk rounds sizes up to.
_PROBE = 256 * 1024
_PROBE_NAME = ".fasciculus-room"
_T = TypeVar("_T")


class RetryingStore:
    """Wraps a store. Interrupted transfers resume, within the limits of a throttle.

    ``stop`` ends the retries; ``on_retry`` is called with the reason of each retry.
    """

    def __init__(
        self,
        store: Store,
        stop: threading.Event,
        on_retry: Callable[[str], None],
        throttle: Throttle | None = None,
    ) -> None:
        self._store, self._stop, self._on_retry = store, stop, on_retry
        self._throttle = throttle or Throttle((), stop)
        self.spec, self.digests_itself = store.spec, store.digests_itself
        self.proves_transfer = store.proves_transfer
        #: Bytes that were sent and read over it.
        self.sent = self.received = 0
        #: Grows with every lost connection: what was opened over an earlier one is dead.
        self.connections = 0

    def retry(self, action: Callable[[], _T], arrived: Callable[[], int] = lambda: 0) -> _T:
        """Try an action again while the connection is lost; all other errors are final.

        ``arrived`` says how far the action has come for good: as long as that grows, there is
        another attempt.
        """
        attempt, reached = 1, 0
        while True:
            try:
                self._store.connect()
                return action()
            except ConnectionLostError as error:
                self.connections += 1
                if arrived() > reached:
                    attempt, reached = 1, arrived()
                if attempt == _ATTEMPTS or self._stop.is_set():
                    raise
                self._on_retry(f"Store “{self.spec.name}”: {error.message} Trying again.")
                self._stop.wait(max(_FIRST_WAIT * 4 ** (attempt - 1), error.wait))
                attempt += 1

    def _until_done(
        self,
        action: Callable[[], None],
        is_done: Callable[[], bool],
        arrived: Callable[[], int] = lambda: 0,
    ) -> None:
        """Try an action again, unless all of it was done and only the answer was lost."""
        begun = False

        def go_on() -> None:
            nonlocal begun
            if begun and is_done():
                return
            begun = True
            action()

        self.retry(go_on, arrived)

    def connect(self) -> None:
        """Connect; harmless if it is connected already."""
        self.retry(lambda: None)

    def close(self) -> None:
        """Close it; harmless if it is closed already."""
        self._store.close()

    def items(self, folder: str) -> list[StoreItem]:
        """Return the contents of a folder, by name."""
        return self.retry(lambda: self._store.items(folder))

    def open(self, path: str, offset: int = 0, length: int | None = None) -> BinaryIO:
        """Return a stream of a file's bytes."""
        stream = _ResumingStream(self, self._store, path, offset, length)
        stream.begin()
        return cast(BinaryIO, stream)

    def put(self, local: Path, path: str, on_bytes: Callable[[int], None]) -> None:
        """Store a local file, completely or not at all."""

        def sent(count: int) -> None:
            self.sent += count
            on_bytes(count)
            self._throttle.spend(count)

        losses = refusals = reached = 0

        def send() -> None:
            nonlocal losses, refusals, reached
            try:
                self._store.put(local, path, sent)
            except ConnectionLostError as error:
                if (arrived := self._store.arrived(path)) > reached:
                    losses, refusals, reached = 0, 0, arrived
                losses += 1
                refusals += isinstance(error, TransferFailedError)
                # A server may end the line where its disk is full, without a word.
                if losses > 1 or refusals:
                    self._check_room(local.stat().st_size - arrived, path, error, refusals)
                raise

        self._until_done(send, lambda: self._holds(local, path), lambda: self._store.arrived(path))

    def _check_room(
        self, wanted: int, path: str, error: ConnectionLostError, refusals: int
    ) -> None:
        """Raise ``StoreFullError`` if a transfer failed for lack of space: it must not be sent
        repeatedly to a full disk. ``refusals`` is the number of failures reported by the server
        without progress in between.
        """
        if refusals > 1:
            raise StoreFullError(
                f"{error.message} It said so {refusals} times.",
                "Its disk or the user's quota is full, most likely: free space there.",
            ) from error
        if self._is_full(wanted, refusals > 0):
            with suppress(FasciculusError, OSError):
                self._store.remove(f"{path}.part")
            raise StoreFullError(
                f"Store “{self.spec.name}” is full: {path} did not fit.",
                "Free space there, or keep fewer copies.",
            ) from error

    def _is_full(self, wanted: int, is_there: bool) -> bool:
        """Return whether a store has no room for so many bytes: by what it tells, or, where the
        server answers and tells nothing, by whether a small file can be written.
        """
        try:
            self._store.connect()
            if (free := self._store.free()) is not None:
                return free < wanted
            if is_there:
                self._store.put_bytes(bytes(_PROBE), _PROBE_NAME)
        except TransferFailedError:
            return True
        except (FasciculusError, OSError):
            return False
        finally:
            if is_there:
                for name in (_PROBE_NAME, f"{_PROBE_NAME}.part"):
                    with suppress(FasciculusError, OSError):
                        self._store.remove(name)
        return False

    def _holds(self, local: Path, path: str) -> bool:
        """Return whether a file of the store is the local one: by its size, and then by
        its digest.
        """
        if self._store.size(path) != local.stat().st_size:
            return False
        with local.open("rb") as raw:
            wanted = hashlib.file_digest(raw, "sha256").hexdigest()
        return (self._store.sha256(path) or read_back(self._store, path)) == wanted

    def put_bytes(self, data: bytes, path: str) -> None:
        """Store a few bytes as a file."""

        def send() -> None:
            try:
                self._store.put_bytes(data, path)
            except TransferFailedError as error:
                self._check_room(len(data), path, error, 1)
                raise

        self.retry(send)
        self.sent += len(data)

    def arrived(self, path: str) -> int:
        """Return the bytes of an interrupted upload that need not be sent again."""
        return self._store.arrived(path)

    def clear_partial(self, folder: str) -> None:
        """Remove the remains of interrupted uploads."""
        try:
            self.retry(lambda: self._store.clear_partial(folder))
        except NotListedError as error:
            self._on_retry(f"Store “{self.spec.name}”: {error.sentence()}")

    def rename(self, path: str, to: str) -> None:
        """Rename a file in its folder, replacing any file of that name."""
        self._until_done(
            lambda: self._store.rename(path, to),
            lambda: self._store.size(path) is None and self._store.size(to) is not None,
        )

    def modified(self, path: str) -> datetime | None:
        """Return the modification time by the store's clock, None if unknown."""
        return self.retry(lambda: self._store.modified(path))

    def make_root(self) -> None:
        """Create the root folder; harmless if it exists."""
        self._store.make_root()

    def remove(self, path: str) -> None:
        """Remove a file; harmless if it does not exist."""
        self.retry(lambda: self._store.remove(path))

    def remove_folder(self, folder: str) -> None:
        """Remove an empty folder; harmless if it does not exist."""
        self.retry(lambda: self._store.remove_folder(folder))

    def size(self, path: str) -> int | None:
        """Return the size of a file in bytes, None if it does not exist."""
        return self.retry(lambda: self._store.size(path))

    def sizes(self, paths: Sequence[str]) -> list[int | None]:
        """Return the sizes of files in bytes, None for those that do not exist."""
        return self.retry(lambda: sizes_of(self._store, paths))

    def sha256(self, path: str) -> str | None:
        """Return the SHA-256 that the store computes, None if it cannot."""
        return self.retry(lambda: self._store.sha256(path))

    def free(self) -> int | None:
        """Return the free bytes, None if unknown."""
        return self.retry(self._store.free)

    def replaces_at_once(self) -> bool:
        """Return whether replacing a file is atomic."""
        return self.retry(self._store.replaces_at_once)

    def connecting(self) -> list[ConnectStep]:
        """Return the steps of connecting, for a test."""
        return self._store.connecting()

    def keep_until(self, path: str, until: datetime) -> None:
        """Lock a file until a time, where the store can."""
        inner = self._store.inner if isinstance(self._store, AppendOnlyStore) else self._store
        if isinstance(inner, LockingStore):
            self.retry(lambda: inner.keep_until(path, until))

    def took(self, count: int) -> None:
        """Note bytes that a stream of it has read."""
        self.received += count
        self._throttle.spend(count)


class _ResumingStream:
    """A stretch of a file, read forwards."""

    def __init__(
        self, owner: RetryingStore, store: Store, path: str, at: int, left: int | None
    ) -> None:
        self._owner, self._store, self._path = owner, store, path
        self._at, self._left = at, left
        self._inner: BinaryIO | None = None
        self._connection = -1

    def begin(self) -> None:
        self._owner.retry(self._opened)

    def read(self, count: int = -1) -> bytes:
        if count < 0:
            return b"".join(iter(lambda: self.read(1 << 20), b""))
        data = self._owner.retry(lambda: self._opened().read(count))
        self._at += len(data)
        self._owner.took(len(data))
        if self._left is not None:
            self._left -= len(data)
        return data

    def _opened(self) -> BinaryIO:
        if self._inner is None or self._connection != self._owner.connections:
            self.close()
            self._connection = self._owner.connections
            self._inner = self._store.open(self._path, self._at, self._left)
        return self._inner

    def close(self) -> None:
        if self._inner is not None:
            with suppress(Exception):
                self._inner.close()
            self._inner = None

    def __enter__(self) -> _ResumingStream:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()
