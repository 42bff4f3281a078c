"""The worker process: orders on standard input, events on standard output.

Standard input stays open for as long as the service lives; its end means that nobody waits for the
result any more. After one order the process ends, unless that order says that more of the same host
and stores may follow.
"""

from __future__ import annotations

import gc
import os
import signal
import threading
import traceback
from contextlib import closing
from types import FrameType
from typing import BinaryIO

from ..contracts.events import Finished
from ..contracts.order_lines import from_line
from ..contracts.results import AnyResult, Failure
from ..contracts.sealed_secrets import WorkerIdentity
from ..core.errors import FasciculusError
from ..memory import limit_memory
from .connections import Connections
from .dispatch import carry_out
from .emitter import Emitter
from .errors import CancelledError, NoStoreLeftError, error_text, is_passing
from .order_input import OrderInput

#: The fields of orders that say where a task writes on this machine.
_PLACES = ("target", "spool", "listing", "listings")
_SUCCESS = ("done", "warned", "partial")
#: Bytes that a task may take beyond what its code needs: three times what any has been seen to.
MEMORY = 1024 * 1024 * 1024


class _Cancellation:
    """The action of SIGTERM: it ends the present order, or the next one."""

    def __init__(self) -> None:
        self.stop = threading.Event()
        self._is_idle = True
        signal.signal(signal.SIGTERM, self._ask)

    def _ask(self, _signal: int, _frame: FrameType | None) -> None:
        if self._is_idle:
            self.stop.set()
        elif not self.stop.is_set():
            self.stop.set()
            raise CancelledError

    def begin(self) -> None:
        """Raise ``CancelledError`` from now on when it is asked for, or was already."""
        self._is_idle = False
        if self.stop.is_set():
            raise CancelledError

    def end(self) -> None:
        """From now on it is the next order's."""
        self._is_idle = True
        self.stop = threading.Event()


def main(identity: WorkerIdentity) -> int:
    """Carry out orders that are sealed to this worker, and report what each comes to. Returns the
    exit code.
    """
    # Stray prints must not get between the events.
    sink = os.fdopen(os.dup(1), "wb")
    os.dup2(2, 1)
    # Streams of short-lived objects without cycles: looking for garbage often costs a third of a
    # tree walk.
    gc.set_threshold(100_000, 20, 20)
    cancellation = _Cancellation()
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    orders = OrderInput()
    code, is_limited = 1, False
    with closing(Connections()) as connections:
        while line := orders.next():
            if not is_limited:
                limit_memory(MEMORY)
                is_limited = True
            result, more_may_follow = _carried_out(
                line, identity, sink, orders, cancellation, connections
            )
            code = 0 if result.outcome in _SUCCESS else 1
            if not more_may_follow:
                break
    return code


def _carried_out(
    line: bytes,
    identity: WorkerIdentity,
    sink: BinaryIO,
    orders: OrderInput,
    cancellation: _Cancellation,
    connections: Connections,
) -> tuple[AnyResult, bool]:
    """Carry out one order; say too whether another may follow it."""
    emitter = Emitter(sink)
    result: AnyResult
    places: list[str] = []
    more_may_follow = False
    try:
        cancellation.begin()
        orders.begin()
        order = from_line(line, identity)
        more_may_follow = getattr(order, "more_may_follow", False)
        places = [getattr(order, name, None) or "" for name in _PLACES]
        result = carry_out(order, emitter, cancellation.stop, connections)
    except MemoryError:
        error = f"The task needed more than {MEMORY >> 20} MiB of memory and was ended."
        result = Failure(outcome="failed", error=error)
        emitter.error(error)
    except (CancelledError, NoStoreLeftError):
        result = Failure(outcome="cancelled", error="Cancelled. No bundle was made.")
    except Exception as error:
        if not isinstance(error, FasciculusError | OSError):
            traceback.print_exc()
        said = error_text(error, places)
        result = Failure(outcome="failed", error=said, passing=is_passing(error))
        emitter.error(result.error)
    orders.done()
    if more_may_follow:
        cancellation.end()
    else:
        # All is done: a cancellation that comes now changes nothing.
        signal.signal(signal.SIGTERM, signal.SIG_IGN)
    emitter.emit(Finished(result))
    return result, more_may_follow
