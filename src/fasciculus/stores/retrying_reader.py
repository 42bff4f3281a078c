"""Reading from a store that may break off."""

from __future__ import annotations

import threading
from collections.abc import Callable
from contextlib import suppress
from typing import BinaryIO, TypeVar, cast

from ..core.errors import ConnectionLostError
from .base import Store
from .retrying import persist

_T = TypeVar("_T")


class PatientStore:
    """The part of a store that reading needs; a stream whose connection breaks off goes on where it
    was.
    """

    def __init__(
        self, store: Store, stop: threading.Event, on_retry: Callable[[str], None]
    ) -> None:
        self.store, self._stop, self._on_retry = store, stop, on_retry
        #: Grows with every lost connection: what was opened over an earlier one is dead.
        self.life = 0

    def open(self, path: str, offset: int = 0, length: int | None = None) -> BinaryIO:
        stream = _PatientStream(self, path, offset, length)
        stream.begin()
        return cast(BinaryIO, stream)

    def persist(self, action: Callable[[], _T]) -> _T:
        def once() -> _T:
            try:
                return action()
            except ConnectionLostError:
                self.life += 1
                raise

        return persist(self.store, once, self._stop, self._on_retry)


class _PatientStream:
    """A stretch of a file, read forwards."""

    def __init__(self, owner: PatientStore, path: str, at: int, left: int | None) -> None:
        self._owner, self._path, self._at, self._left = owner, path, at, left
        self._inner: BinaryIO | None = None
        self._life = -1

    def begin(self) -> None:
        self._owner.persist(self._opened)

    def read(self, count: int) -> bytes:
        data = self._owner.persist(lambda: self._opened().read(count))
        self._at += len(data)
        if self._left is not None:
            self._left -= len(data)
        return data

    def _opened(self) -> BinaryIO:
        if self._inner is None or self._life != self._owner.life:
            self.close()
            self._life = self._owner.life
            self._inner = self._owner.store.open(self._path, self._at, self._left)
        return self._inner

    def close(self) -> None:
        if self._inner is not None:
            with suppress(Exception):
                self._inner.close()
            self._inner = None
