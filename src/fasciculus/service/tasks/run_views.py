"""Progress of runs in open consoles."""

from __future__ import annotations

import sqlite3
import threading
from contextlib import suppress

from ...core.errors import FasciculusError
from ...records.db import Records
from ...records.runs import runs
from ..event_stream import EventStream

#: Seconds after which a change is shown, with all changes until then: each means counting the tasks
#: of the run.
_SOON = 0.25


class RunViews:
    """Tells those who look how far runs are."""

    def __init__(self, records: Records, events: EventStream) -> None:
        self._records, self._events = records, events
        self._lock = threading.Lock()
        self._waiting: set[int] = set()

    def show(self, run_id: int) -> None:
        """Show the present state of a run."""
        self._events.tell("run", runs.summary(self._records.reader, run_id), run=run_id)

    def show_soon(self, run_id: int) -> None:
        """Show a run shortly."""
        with self._lock:
            if run_id in self._waiting:
                return
            self._waiting.add(run_id)
        timer = threading.Timer(_SOON, self._show_waiting, [run_id])
        timer.daemon = True
        timer.start()

    def _show_waiting(self, run_id: int) -> None:
        with self._lock:
            self._waiting.discard(run_id)
        # The end of a run is shown at once, and nothing after it; the service may end meanwhile.
        with suppress(sqlite3.Error, FasciculusError):
            if not self._events.closed and not runs.is_over(self._records.reader, run_id):
                self.show(run_id)
