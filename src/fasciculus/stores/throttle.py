"""Keeps transfers within the limits of a store."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Sequence
from datetime import datetime

from ..core.transfer_limits import TransferLimit, limit_at

_LONGEST_WAIT = 1.0


class Throttle:
    """Delays transfers to stay within the limits.

    ``stop`` ends the waiting. Several threads may use one: the limit is of all of them together.
    """

    def __init__(
        self,
        limits: Sequence[TransferLimit],
        stop: threading.Event,
        clock: Callable[[], float] = time.monotonic,
        now: Callable[[], datetime] = datetime.now,
    ) -> None:
        self._limits, self._stop, self._clock, self._now = limits, stop, clock, now
        self._lock = threading.Lock()
        #: When all that was moved so far may have been moved.
        self._due = 0.0

    def spend(self, count: int) -> None:
        """Note ``count`` bytes, and wait until the next ones may be moved."""
        if not self._limits:
            return
        with self._lock:
            rate = limit_at(self._limits, self._now().time())
            if rate is None:
                return
            begun = max(self._due, self._clock())
            self._due = begun + count / rate
        while (left := self._due - self._clock()) > 0 and not self._stop.is_set():
            self._stop.wait(min(left, _LONGEST_WAIT))
