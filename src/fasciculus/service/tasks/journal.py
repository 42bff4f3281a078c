"""Writes to the records that must not get lost, nor change their order."""

from __future__ import annotations

import logging
import sqlite3
from collections import deque
from collections.abc import Callable

from ...records.db import UnwritableError

log = logging.getLogger(__name__)

_MOST = 20_000


class Journal:
    """Actions on the records, in order. Writes that fail wait and are retried.

    A full disk or a locked database is waited for; any other error costs its own action alone.
    """

    def __init__(self) -> None:
        self._waiting: deque[Callable[[], None]] = deque()

    def write(self, action: Callable[[], None]) -> bool:
        """Write, after all that waits; False when it must wait too."""
        if len(self._waiting) < _MOST:
            self._waiting.append(action)
        return self.flush()

    def flush(self) -> bool:
        """Try what waits; True when nothing does any more."""
        while self._waiting:
            try:
                self._waiting[0]()
            except (sqlite3.OperationalError, UnwritableError) as error:
                log.warning("the records cannot be written: %s; it is tried again", error)
                return False
            except Exception:
                log.exception("a write to the records failed")
            self._waiting.popleft()
        return True
