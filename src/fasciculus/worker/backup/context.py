"""The data that the stages of a backup share."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from ...contracts.events import Progress
from ...contracts.orders import BackupOrder
from ...hosts.base import HostConnection
from ..emitter import Emitter
from ..sealing import sealer_to
from .previous import PreviousBundle

_TICK = 0.4


class BackupContext:
    """The state and the progress of one backup order.

    ``bundle`` is the name of the bundle, ``full`` whether it stores all its data, and
    ``half_made`` whether stores may hold a part of it.
    """

    def __init__(
        self,
        order: BackupOrder,
        host: HostConnection,
        emitter: Emitter,
        stop: threading.Event,
    ) -> None:
        self.order, self.host, self.emitter, self.stop = order, host, emitter, stop
        self.subject = order.subject.ref()
        self.spool = Path(order.spool)
        #: Why the databases of an engine are not in the bundle, by its name.
        self.no_databases: dict[str, str] = {}
        self.bundle = ""
        #: The manifest as it goes to every store.
        self.bundle_json = b""
        self.piece_size = order.piece_size
        self.half_made = False
        self.sealer = sealer_to(order.seal_to)
        self.before = PreviousBundle(order, host, self.spool)
        #: Be it that a store lacks what an incremental one builds on.
        self.full = not self.before.usable
        self._progress = Progress("preflight", total=order.expected_bytes)
        self._ended = threading.Event()

    @contextmanager
    def ticking(self) -> Iterator[None]:
        """Report the progress for as long as the block takes."""
        ticker = threading.Thread(target=self._tick, daemon=True)
        ticker.start()
        try:
            yield
        finally:
            self._ended.set()
            ticker.join()

    def _tick(self) -> None:
        while not self._ended.wait(_TICK):
            self.emitter.emit(self._progress)

    def stage(self, stage: str) -> None:
        """Report that a stage begins."""
        self._progress.stage = stage
        self.emitter.emit(self._progress)

    def seen(self, entries: int, count: int) -> None:
        """Count entries, and bytes of contents."""
        self._progress.entries += entries
        self._progress.bytes += count

    def packed(self, count: int) -> None:
        """Count packed bytes."""
        self._progress.packed += count

    def pushed(self, count: int) -> None:
        """Count bytes that were sent."""
        self._progress.pushed += count
