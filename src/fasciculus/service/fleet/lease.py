"""A lease: the right of one worker to execute one order, while its messages arrive."""

from __future__ import annotations

import secrets
import threading
import time
from queue import Empty, SimpleQueue

from ...contracts.events import Event, from_line
from ...contracts.order_files import files_of
from ...contracts.orders import Order
from ...records.fleet.workers import EnrolledWorker

#: For so long an order may be on its way to a worker, in seconds.
OFFER_SECONDS = 30.0
#: After so many seconds of silence a task has ended. Its worker stops after a part of them (see
#: ``fleet/taking.py``), so that two never work on one subject.
LEASE_SECONDS = 35.0


#: Events of one task that wait to be recorded.
_MOST_WAITING = 50_000


class Lease:
    """An order that was offered to a worker. It is offered, then begun, then over."""

    def __init__(self, worker: EnrolledWorker, order: Order) -> None:
        self.id, self.worker, self.order = secrets.token_hex(16), worker, order
        self.seconds = LEASE_SECONDS
        self.files = files_of(order)
        self._lock = threading.Lock()
        self._events: SimpleQueue[Event | None] = SimpleQueue()
        self._attempt = ""
        self._heard = time.monotonic()
        self._next = 0
        self.is_begun = self.is_over = self.is_cancelled = False
        #: How it ended, if that was unexpected.
        self.ended = ""

    def begin(self, attempt: str) -> bool:
        """Let the worker begin; return whether it may. Only one attempt ever may."""
        with self._lock:
            if self.is_over or (self.is_begun and attempt != self._attempt):
                return False
            self.is_begun, self._attempt = True, attempt
            self._heard = time.monotonic()
            return True

    def renew(self) -> bool:
        """Note that its worker was heard from; return whether it still holds."""
        with self._lock:
            if self.is_over or not self.is_begun:
                return False
            self._heard = time.monotonic()
            return True

    def take(self, first: int, lines: list[bytes]) -> None:
        """Take events, each once and in order. Raises ``ValueError`` for anything else."""
        with self._lock:
            if first > self._next:
                raise ValueError("events are missing")
            if self._events.qsize() > _MOST_WAITING:
                raise ValueError("events come faster than they can be recorded")
            for line in lines[self._next - first :]:
                self._events.put(from_line(line))
                self._next += 1

    def close(self, ended: str = "") -> None:
        """End it: nothing may be done under it any more."""
        with self._lock:
            if self.is_over:
                return
            self.is_over, self.ended = True, ended
        self._events.put(None)

    def next_event(self) -> Event | None:
        """Wait for the next event; None when it is over, or was not renewed in time."""
        while True:
            try:
                return self._events.get(timeout=max(0.0, self._ends - time.monotonic()))
            except Empty:
                if time.monotonic() >= self._ends:
                    return None

    @property
    def _ends(self) -> float:
        with self._lock:
            return self._heard + (self.seconds if self.is_begun else OFFER_SECONDS)
