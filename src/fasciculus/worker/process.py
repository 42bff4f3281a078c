"""One order in a process of its own: the order on standard input, events on standard output.

Standard input stays open for as long as the service lives; its end means that nobody waits for the
result any more.
"""

from __future__ import annotations

import gc
import os
import signal
import threading
import traceback
from types import FrameType

from ..core.errors import FasciculusError
from ..memory import limit_memory
from .dispatch import carry_out
from .errors import CancelledError, NoStoreLeftError, error_text, is_passing
from .events import Emitter, Finished
from .orders import from_line
from .results import AnyResult, Failure

_SUCCESS = ("done", "warned", "partial")
#: Bytes that a task may take beyond what its code needs: three times what any has been seen to.
MEMORY = 1024 * 1024 * 1024


def main() -> int:
    """Read the order, carry it out, and report its result. Returns the exit code."""
    # Stray prints must not get between the events.
    sink = os.fdopen(os.dup(1), "wb")
    os.dup2(2, 1)
    stop = threading.Event()

    def cancel(_signal: int, _frame: FrameType | None) -> None:
        if not stop.is_set():
            stop.set()
            raise CancelledError

    emitter = Emitter(sink)
    # Streams of short-lived objects without cycles: looking for garbage often costs a third of a
    # tree walk.
    gc.set_threshold(100_000, 20, 20)
    result: AnyResult
    places: list[str] = []
    try:
        signal.signal(signal.SIGTERM, cancel)
        signal.signal(signal.SIGINT, signal.SIG_IGN)
        order = from_line(_first_line())
        places = [getattr(order, name, "") for name in ("target", "spool", "listing", "listings")]
        threading.Thread(target=_cancel_when_alone, daemon=True).start()
        limit_memory(MEMORY)
        result = carry_out(order, emitter, stop)
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
    # All is done: a cancellation that comes now changes nothing.
    signal.signal(signal.SIGTERM, signal.SIG_IGN)
    emitter.emit(Finished(result))
    return 0 if result.outcome in _SUCCESS else 1


def _first_line() -> bytes:
    line = b""
    while not line.endswith(b"\n") and (chunk := os.read(0, 65536)):
        line += chunk
    return line


def _cancel_when_alone() -> None:
    # Unbuffered: a thread inside a buffered read would hold up the interpreter's end.
    while os.read(0, 4096):
        pass
    os.kill(os.getpid(), signal.SIGTERM)
