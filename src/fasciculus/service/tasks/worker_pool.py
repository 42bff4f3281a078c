"""Workers on this machine: an order goes in, events come out.

They are forked from a process that has imported everything (see ``worker/fork_server.py``), which
is replaced after a number of orders, when it has grown, or when anything surprising happened."""

from __future__ import annotations

import logging
import os
import signal
import socket
import subprocess
import sys
import tempfile
import threading
from collections.abc import Callable, Iterator
from contextlib import suppress
from typing import IO, Protocol

from ...core.errors import FasciculusError
from ...worker.events import Event, Finished, from_line
from ...worker.orders import Order, to_line
from ...worker.results import AnyResult

log = logging.getLogger(__name__)

_GRACE = 45.0
_START_TIMEOUT = 60.0
_ORDERS_PER_SERVER = 500
_LARGEST_SERVER = 256 * 1024 * 1024
_COMPLAINTS = 20
_COMPLAINTS_BYTES = 16 * 1024


class Worker(Protocol):
    """A worker that carries out one order; on this machine or on another."""

    #: What it came to; None when it broke off.
    result: AnyResult | None
    #: How it broke off, in words.
    ended: str

    def events(self) -> Iterator[Event]:
        """Its events until it ends."""

    def cancel(self) -> None:
        """Ask it to stop, and end it when it does not."""

    def kill(self) -> None:
        """End it at once."""


class Workers(Protocol):
    """Where workers come from."""

    def start(self, order: Order) -> Worker:
        """Give an order to a worker. Raises ``FasciculusError`` when there is none."""

    def close(self) -> None: ...


class WorkerProcess:
    """A worker process, from its start to its end."""

    def __init__(
        self,
        pidfd: int,
        orders: int,
        events: int,
        own: socket.socket,
        errors: IO[bytes],
        on_surprise: Callable[[], None],
    ) -> None:
        self._pidfd, self._orders, self._own, self._errors = pidfd, orders, own, errors
        self._on_surprise = on_surprise
        self._events = os.fdopen(events, "rb")
        self._lock = threading.Lock()
        self._killer: threading.Timer | None = None
        self._is_over = False
        self.result: AnyResult | None = None
        self.ended = ""

    def send(self, order: Order) -> None:
        """Hand the order over, by a pipe: it may hold secrets."""
        with suppress(BrokenPipeError):
            view = memoryview(to_line(order))
            while view:
                view = view[os.write(self._orders, view) :]

    def events(self) -> Iterator[Event]:
        try:
            for line in self._events:
                event = from_line(line)
                if isinstance(event, Finished):
                    self.result = event.result
                else:
                    yield event
        except ValueError:
            log.warning("a worker sent what is not an event")
        finally:
            self._end()

    def _end(self) -> None:
        self._events.close()
        os.close(self._orders)
        self._own.settimeout(_GRACE)
        try:
            status = self._own.recv(64)
        except OSError:
            status = b""
        with self._lock:
            self._is_over = True
            os.close(self._pidfd)
            if self._killer is not None:
                self._killer.cancel()
        self._own.close()
        code = int(status) if status else None
        if self.result is None:
            self._on_surprise()
            if code is None:
                self.ended = "was lost"
            elif code < 0:
                self.ended = f"was killed (signal {-code})"
            else:
                self.ended = f"ended unexpectedly (code {code})"
        self._log_complaints()

    def _log_complaints(self) -> None:
        size = self._errors.seek(0, os.SEEK_END)
        self._errors.seek(max(0, size - _COMPLAINTS_BYTES))
        for line in self._errors.read().splitlines()[-_COMPLAINTS:]:
            log.warning("worker: %s", line.decode(errors="replace").rstrip())
        self._errors.close()

    def cancel(self) -> None:
        with self._lock:
            if self._is_over or self._killer is not None:
                return
            self._killer = threading.Timer(_GRACE, self.kill)
            self._killer.daemon = True
            self._killer.start()
        self._signal(signal.SIGTERM)

    def kill(self) -> None:
        self._signal(signal.SIGKILL)

    def _signal(self, number: int) -> None:
        with self._lock, suppress(ProcessLookupError):
            if not self._is_over:
                signal.pidfd_send_signal(self._pidfd, number)


class _ForkServer:
    """The process that forks workers, seen from the service."""

    def __init__(self) -> None:
        self.control, theirs = socket.socketpair(socket.AF_UNIX, socket.SOCK_SEQPACKET)
        with theirs:
            self.process = subprocess.Popen(
                [
                    sys.executable,
                    "-P",
                    "-m",
                    "fasciculus.worker",
                    "--fork-server",
                    str(theirs.fileno()),
                ],
                stdin=subprocess.DEVNULL,
                pass_fds=[theirs.fileno()],
                env=_clean_environment(),
                start_new_session=True,
            )
        self.orders = 0

    @property
    def is_worn(self) -> bool:
        """Whether another one should take its place."""
        if self.process.poll() is not None or self.orders >= _ORDERS_PER_SERVER:
            return True
        try:
            with open(f"/proc/{self.process.pid}/statm", encoding="ascii") as file:
                pages = int(file.read().split()[1])
        except (OSError, ValueError, IndexError):
            return True
        return pages * os.sysconf("SC_PAGE_SIZE") > _LARGEST_SERVER

    def retire(self) -> None:
        """Let it end once its last worker has; it is waited for in the background."""
        self.control.close()
        threading.Thread(target=self.process.wait, daemon=True).start()


class WorkerPool:
    """Workers of this machine, forked for one order each."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._server: _ForkServer | None = None

    def warm_up(self) -> None:
        """Have the first worker ready before it is wanted."""
        with self._lock:
            self._ready_server()

    def _ready_server(self) -> _ForkServer:
        if self._server is not None and self._server.is_worn:
            self._server.retire()
            self._server = None
        if self._server is None:
            self._server = _ForkServer()
        return self._server

    def start(self, order: Order) -> WorkerProcess:
        for _ in range(2):
            worker = self._fork()
            if worker is not None:
                worker.send(order)
                return worker
            self._replace()
        raise FasciculusError(
            "No worker could be started.", "Is there memory and room for another process?"
        )

    def _fork(self) -> WorkerProcess | None:
        orders_in, orders_out = os.pipe()
        events_in, events_out = os.pipe()
        errors = tempfile.TemporaryFile()  # noqa: SIM115  closed at the worker's end
        own, theirs = socket.socketpair(socket.AF_UNIX, socket.SOCK_SEQPACKET)
        try:
            with self._lock:
                server = self._ready_server()
                server.orders += 1
                socket.send_fds(
                    server.control,
                    [b"fork"],
                    [orders_in, events_out, errors.fileno(), theirs.fileno()],
                )
            theirs.close()
            own.settimeout(_START_TIMEOUT)
            _, descriptors, _, _ = socket.recv_fds(own, 64, 1)
        except OSError:
            descriptors = []
        finally:
            theirs.close()
            os.close(orders_in)
            os.close(events_out)
        if not descriptors:
            own.close()
            errors.close()
            os.close(orders_out)
            os.close(events_in)
            return None
        return WorkerProcess(descriptors[0], orders_out, events_in, own, errors, self._replace)

    def _replace(self) -> None:
        """After a surprise: the next worker comes from another process."""
        with self._lock:
            if self._server is not None:
                self._server.retire()
                self._server = None

    def close(self) -> None:
        self._replace()


def _clean_environment() -> dict[str, str]:
    """Nothing of the service's own settings, which may hold secrets, reaches a worker."""
    kept = {k: v for k, v in os.environ.items() if not k.startswith("FASCICULUS_")}
    # Looking for plug-ins of pydantic that are not there costs a fifth of a second.
    return {**kept, "PYDANTIC_DISABLE_PLUGINS": "__all__"}
