"""Finished pieces to each store while the next are packed, over a bounded spool."""

from __future__ import annotations

import queue
import threading
from collections.abc import Callable
from pathlib import Path

from msgspec import Struct

from ...core.bundle.manifest import PieceRecord
from ...core.errors import StoreFullError
from ...core.formatting import format_size
from ...core.subject import Subject
from ...stores.base import Store
from ...stores.confirmation import confirm
from ..errors import NoStoreLeftError


class _SpooledPiece(Struct):
    path: Path
    record: PieceRecord
    wanted_by: int


class Uploader:
    """Sends pieces to one store, in its own thread."""

    def __init__(
        self,
        store: Store,
        subject: Subject,
        stop: threading.Event,
        on_bytes: Callable[[int], None],
        reserve: int = 0,
    ) -> None:
        self.store, self._subject, self._stop, self._on_bytes = store, subject, stop, on_bytes
        #: Bytes that stay free on the store.
        self._reserve = reserve
        self.queue: queue.Queue[_SpooledPiece | None] = queue.Queue()
        self.failure: Exception | None = None
        #: Until when the copy is locked, as ISO 8601; empty for no lock.
        self.locked_until = ""
        self.released: Callable[[_SpooledPiece], None] = lambda spooled: None
        # Not Thread.join: a signal that breaks into it marks the thread as ended (CPython 3.11).
        self._ended = threading.Event()
        self._thread = threading.Thread(
            target=self._run, name=f"push-{store.spec.name}", daemon=True
        )

    @property
    def name(self) -> str:
        """Return the name of the store."""
        return self.store.spec.name

    def start(self) -> None:
        """Start the thread."""
        self._thread.start()

    def join(self, timeout: float | None = None) -> bool:
        """Wait for what is queued; True when the thread has ended."""
        self.queue.put(None)
        return self._thread.ident is None or self._ended.wait(timeout)

    def _run(self) -> None:
        try:
            self._push_all()
        finally:
            self._ended.set()

    def _push_all(self) -> None:
        while (spooled := self.queue.get()) is not None:
            try:
                if self.failure is None and not self._stop.is_set():
                    self.send(spooled.path, spooled.record)
            except Exception as error:
                self.failure = error
            finally:
                self.released(spooled)

    def send(self, local: Path, piece: PieceRecord) -> None:
        """Bring a piece to the store and make sure that it is whole there.

        Raises ``StoreFullError`` where less would stay free than is to.
        """
        path = self._subject.piece(piece.name)
        if self._reserve:
            self._check_floor(piece.bytes)
        self.store.put(local, path, self._on_bytes)
        confirm(self.store, path, piece.bytes, piece.sha256)

    def _check_floor(self, size: int) -> None:
        free = self.store.free()
        if free is not None and free - size < self._reserve:
            raise StoreFullError(
                f"Store “{self.name}” has {format_size(free)} free, and its reserve is "
                f"{format_size(self._reserve)}.",
                "Free space there, or keep fewer copies.",
            )


class Spool:
    """The spool of pieces for their stores; a
    :class:`~fasciculus.core.bundle.write_queue.PieceSpool`.

    Contains at most ``limit`` bytes: packing waits until a piece has been sent to every working
    store.
    """

    def __init__(
        self,
        folder: Path,
        limit: int,
        piece_size: int,
        uploaders: list[Uploader],
        stop: threading.Event,
    ) -> None:
        self._folder, self._limit, self._piece_size = folder, limit, piece_size
        self._uploaders, self._stop = uploaders, stop
        self._changed = threading.Condition()
        self._held = 0
        for uploader in uploaders:
            uploader.released = self._release

    def _alive(self) -> list[Uploader]:
        return [uploader for uploader in self._uploaders if uploader.failure is None]

    def take(self) -> Path:
        """Return the next piece."""
        with self._changed:
            while self._held and self._held + self._piece_size > self._limit:
                self._check()
                self._changed.wait(0.5)
            self._check()
        return self._folder

    def _check(self) -> None:
        if self._stop.is_set() or not self._alive():
            raise NoStoreLeftError

    def put(self, path: Path, record: PieceRecord) -> None:
        """Store a local file, completely or not at all."""
        with self._changed:
            self._check()
            self._held += record.bytes
            spooled = _SpooledPiece(path, record, len(self._uploaders))
            for uploader in self._uploaders:
                uploader.queue.put(spooled)

    def _release(self, spooled: _SpooledPiece) -> None:
        with self._changed:
            spooled.wanted_by -= 1
            if not spooled.wanted_by:
                spooled.path.unlink(missing_ok=True)
                self._held -= spooled.record.bytes
            self._changed.notify_all()
