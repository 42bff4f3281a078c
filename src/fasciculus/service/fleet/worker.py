"""One order, executed by a worker on another machine."""

from __future__ import annotations

import logging
import threading
from collections.abc import Iterator

from ...contracts.events import Event, Finished
from ...contracts.fleet import Dispatch
from ...contracts.order_lines import to_line
from ...contracts.orders import Order
from ...contracts.results import AnyResult, Failure
from ...core.errors import FasciculusError
from . import lease as lease_
from .fleet import Fleet, subject_of
from .lease import Lease

log = logging.getLogger(__name__)

#: Seconds after which a cancelled task counts as ended, whatever its worker says.
_GRACE = 45.0
_CANCELLED = Failure(outcome="cancelled", error="Cancelled before it began.")


class FleetWorker:
    """A worker elsewhere, from an order to what that comes to."""

    def __init__(self, fleet: Fleet, queue: str, order: Order) -> None:
        self._fleet, self._queue, self._order = fleet, queue, order
        self._lock = threading.Lock()
        self._lease: Lease | None = None
        self._killer: threading.Timer | None = None
        self._is_cancelled = False
        self.result: AnyResult | None = None
        self.ended = ""
        #: What happens to a machine or a line elsewhere may pass.
        self.passes = True

    def events(self) -> Iterator[Event]:
        """Yield the events of the order."""
        self._fleet.wait_until_free(subject_of(self._order))
        lease = self._fleet.offer(
            self._queue, self._order, lease_.OFFER_SECONDS, lambda: self._is_cancelled
        )
        if lease is None:
            self.result = (
                _CANCELLED
                if self._is_cancelled
                else _not_begun(f"No worker of queue “{self._queue}” is there.")
            )
            return
        with self._lock:
            self._lease, is_cancelled = lease, self._is_cancelled
        try:
            if is_cancelled:
                self.result = _CANCELLED
                return
            self._send(lease)
            yield from self._taken(lease)
        except FasciculusError as error:
            self.result = _not_begun(error.sentence())
        finally:
            if self._killer is not None:
                self._killer.cancel()
            self._fleet.forget(lease)

    def _send(self, lease: Lease) -> None:
        line = to_line(self._order, lease.worker.recipient, is_beside=False)
        self._fleet.send(lease.worker, Dispatch(lease.id, line))

    def _taken(self, lease: Lease) -> Iterator[Event]:
        """Yield the events as they come, and note how it ended."""
        while (event := lease.next_event()) is not None:
            if isinstance(event, Finished):
                self._take_result(lease, event.result)
            else:
                yield event
        name = lease.worker.name
        if lease.is_over:
            self.ended = f"“{name}” {lease.ended or 'ended unexpectedly'}"
        elif lease.is_begun:
            self.ended = f"“{name}” was not heard from for {lease.seconds:.0f} s"
        elif self.result is None:
            self.result = _not_begun(
                f"Worker “{name}” did not take the order within {lease_.OFFER_SECONDS:.0f} s."
            )
        if self._is_cancelled and not lease.is_begun:
            self.result = _CANCELLED

    def _take_result(self, lease: Lease, result: AnyResult) -> None:
        """Take a result, with the files that came before it; the last message may get lost."""
        self.result = result
        try:
            self._fleet.files(lease).finish()
        except OSError as error:
            # They are read from the store when they are wanted.
            log.warning("worker %s: what it left cannot be kept: %s", lease.worker.name, error)

    def cancel(self) -> None:
        """Ask the worker to stop, and take the task from it if it does not."""
        with self._lock:
            if self._is_cancelled:
                return
            self._is_cancelled = True
            lease = self._lease
            if lease is None:
                return
            lease.is_cancelled = True
            if not lease.is_begun:
                lease.close()
                return
            self._killer = threading.Timer(_GRACE, self.kill)
            self._killer.daemon = True
            self._killer.start()

    def kill(self) -> None:
        """Take the task from the worker, which notices soon."""
        with self._lock:
            lease = self._lease
        if lease is not None:
            lease.close("did not stop in time")


def _not_begun(reason: str) -> Failure:
    return Failure(
        outcome="failed", error=f"{reason} Nothing was begun; start it again.", passing=True
    )
