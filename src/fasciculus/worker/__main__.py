"""The worker process: an order on standard input, events on standard output.

Standard input stays open for as long as the service lives; its end means that
nobody waits for the result any more.
"""

from __future__ import annotations

import gc
import os
import signal
import sys
import threading
from pathlib import Path
from types import FrameType

from ..core.errors import FasciculusError
from ..hosts.base import HostConnection
from .errors import NoStoreLeftError, sentence
from .events import Emitter, Finished
from .host_access import open_host
from .orders import (
    BundleOrder,
    MaintenanceOrder,
    MendOrder,
    Order,
    PreviewOrder,
    ReleaseOrder,
    RepackOrder,
    RestoreOrder,
    VerifyOrder,
    from_line,
)


class CancelledError(BaseException):
    """Somebody asked this worker to stop."""


def main() -> int:
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
    # scan.
    gc.set_threshold(100_000, 20, 20)
    order = from_line(_first_line())
    signal.signal(signal.SIGTERM, cancel)
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    threading.Thread(target=_await_end, daemon=True).start()
    host: HostConnection | None = None
    try:
        if isinstance(order, MaintenanceOrder):
            finished = _keep_up(order, emitter, stop)
        else:
            host = open_host(order.host, Path(order.spool))
            finished = _carry_out(order, host, emitter, stop)
    except (CancelledError, NoStoreLeftError):
        finished = Finished("cancelled", "Cancelled; nothing of it counts as a bundle.")
    except Exception as error:
        if not isinstance(error, FasciculusError | OSError):
            import traceback

            traceback.print_exc()
        finished = Finished("failed", sentence(error))
        emitter.error(finished.error)
    finally:
        if host is not None:
            host.close()
    # All is done: whoever stops waiting now cancels nothing.
    signal.signal(signal.SIGTERM, signal.SIG_IGN)
    emitter.emit(finished)
    return 0 if finished.outcome in ("done", "warned", "partial") else 1


def _keep_up(order: MaintenanceOrder, emitter: Emitter, stop: threading.Event) -> Finished:
    match order:
        case VerifyOrder():
            from .maintenance.verify import VerifyTask

            return VerifyTask(order, emitter, stop).run()
        case MendOrder():
            from .maintenance.mend import MendTask

            return MendTask(order, emitter, stop).run()
        case RepackOrder():
            from .maintenance.repack import RepackTask

            return RepackTask(order, emitter, stop).run()
    raise AssertionError("unreachable")


def _carry_out(
    order: Order, host: HostConnection, emitter: Emitter, stop: threading.Event
) -> Finished:
    # Each kind of work is imported when it is asked for: a preview should not wait for all of them.
    match order:
        case BundleOrder():
            from .backup.task import BackupTask

            gc.freeze()
            return BackupTask(order, host, emitter, stop).run()
        case RestoreOrder():
            from .restore.task import RestoreTask

            return RestoreTask(order, host, emitter, stop).run()
        case PreviewOrder():
            from .preview import PreviewTask

            return PreviewTask(order, host, emitter).run()
        case ReleaseOrder():
            from .backup.hooks import release

            release(host, order.hold_flags, emitter)
            return Finished("warned" if emitter.warnings else "done")
    raise AssertionError("unreachable")


def _first_line() -> bytes:
    line = b""
    while not line.endswith(b"\n") and (chunk := os.read(0, 65536)):
        line += chunk
    return line


def _await_end() -> None:
    # Unbuffered: a thread inside a buffered read would hold up the interpreter's end.
    while os.read(0, 4096):
        pass
    os.kill(os.getpid(), signal.SIGTERM)


if __name__ == "__main__":
    code = main()
    sys.stderr.flush()
    # All is written and flushed: taking the interpreter apart would cost a tenth of a second.
    os._exit(code)
