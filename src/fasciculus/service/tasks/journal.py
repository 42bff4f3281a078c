"""Writes to the records that must not get lost, nor change their order."""

from __future__ import annotations

import logging
import sqlite3
import threading
from collections import deque
from collections.abc import Callable
from contextlib import AbstractContextManager, nullcontext
from itertools import islice

from ...records.db import UnwritableError

log = logging.getLogger(__name__)

_MOST = 20_000
#: Seconds after which gathered writes are written.
_SOON = 0.2

Action = Callable[[], None]
Transaction = Callable[[], AbstractContextManager[object]]


class Journal:
    """Actions on the records, in order. Writes that fail wait and are retried.

    A full disk or a locked database is waited for; any other error costs its own action alone.
    Those that were gathered share a ``transaction``; one that is written reads what those before it
    have written, and has its own.
    """

    def __init__(self, transaction: Transaction = nullcontext) -> None:
        self._transaction = transaction
        self._waiting: deque[Action] = deque()
        #: How many of those that wait, counted from the first, were gathered.
        self._gathered = 0
        self._lock = threading.RLock()

    def gather(self, action: Action) -> None:
        """Note an action that may be repeated; the caller flushes later."""
        with self._lock:
            if len(self._waiting) < _MOST:
                self._gathered += self._gathered == len(self._waiting)
                self._waiting.append(action)

    def write(self, action: Action) -> bool:
        """Write, after all that waits; False when it must wait too."""
        with self._lock:
            is_next = self.flush()
            if len(self._waiting) < _MOST:
                self._waiting.append(action)
            return is_next and self.flush()

    def flush(self) -> bool:
        """Try what waits; True when nothing does any more."""
        with self._lock:
            try:
                self._flush()
            except (sqlite3.OperationalError, UnwritableError) as error:
                log.warning("the records cannot be written: %s; it is tried again", error)
            return not self._waiting

    def _flush(self) -> None:
        if self._gathered > 1:
            self._do_together()
        while self._waiting:
            try:
                self._waiting[0]()
            except (sqlite3.OperationalError, UnwritableError):
                raise
            except Exception:
                log.exception("a write to the records failed")
            self._waiting.popleft()
            self._gathered = max(0, self._gathered - 1)

    def _do_together(self) -> None:
        """Do what was gathered in one transaction, unless one of it must be left out."""
        together = list(islice(self._waiting, self._gathered))
        try:
            with self._transaction():
                for action in together:
                    action()
        except (sqlite3.OperationalError, UnwritableError):
            raise
        except Exception:
            return
        for _ in together:
            self._waiting.popleft()
        self._gathered = 0


class Gathering:
    """Flushes journals shortly after something was gathered in them: many writes at a time."""

    def __init__(self) -> None:
        self._changed = threading.Condition()
        self._journals: set[Journal] = set()
        self._closed = False
        self._thread = threading.Thread(target=self._run, name="gathered-writes", daemon=True)

    def is_alive(self) -> bool:
        """Return whether its thread is running."""
        return self._thread.is_alive()

    def start(self) -> None:
        """Start the thread."""
        self._thread.start()

    def gather(self, journal: Journal, action: Action) -> None:
        """Have an action done soon, after all others of the journal."""
        journal.gather(action)
        with self._changed:
            self._journals.add(journal)
            if len(self._journals) == 1:
                self._changed.notify_all()

    def close(self) -> None:
        """Write what was gathered, and end the thread; harmless if it never began."""
        with self._changed:
            self._closed = True
            self._changed.notify_all()
        if self._thread.is_alive():
            self._thread.join()

    def _run(self) -> None:
        while True:
            with self._changed:
                self._changed.wait_for(lambda: self._journals or self._closed)
                if not self._journals:
                    return
                self._changed.wait_for(lambda: self._closed, _SOON)
                journals, self._journals = self._journals, set()
            for journal in journals:
                journal.flush()
