"""Workers on this machine: an order goes in, events come out.

They are forked from a process that has imported everything (see ``worker/fork_server.py``), which
is replaced after a number of orders, when it has grown, or when anything surprising happened. A
worker with open connections waits briefly for the next order for the same host and stores: signing
in for each of hundreds of small accounts would take longer than their tasks.
"""

from __future__ import annotations

import logging
import os
import select
import signal
import socket
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import suppress
from pathlib import Path
from typing import IO, Protocol

from ..contracts.artifacts import Artifact
from ..contracts.events import Event, Finished, from_line
from ..contracts.order_lines import to_line
from ..contracts.orders import BackupOrder, Order, kinds_of
from ..contracts.results import AnyResult
from ..core.errors import FasciculusError
from .connections import shared_key

log = logging.getLogger(__name__)

_GRACE = 45.0
_START_TIMEOUT = 60.0
_MESSAGE = 1024
_ORDERS_PER_SERVER = 500
#: How many orders a worker takes that stays connected, and how long it waits for the next.
_ORDERS_PER_WORKER = 100
_IDLE = 5.0
#: After which outcomes all of its connections are known to be at rest.
_GOOD = ("done", "warned")
_LARGEST_SERVER = 256 * 1024 * 1024
_COMPLAINTS = 20
_COMPLAINTS_BYTES = 16 * 1024


class Worker(Protocol):
    """A worker that executes one order, on this machine or on another."""

    #: Its result; None after an unexpected end.
    result: AnyResult | None
    #: How it ended, in words, if that was unexpected.
    ended: str
    #: Whether another attempt may succeed after an unexpected end.
    passes: bool

    def events(self) -> Iterator[Event]:
        """Its events until it ends."""

    def cancel(self) -> None:
        """Ask it to stop, and end it when it does not."""

    def kill(self) -> None:
        """End it at once."""


class Workers(Protocol):
    """A source of workers."""

    def start(self, order: Order) -> Worker:
        """Give an order to a worker. Raises ``FasciculusError`` if there is none."""

    def collect(self, left: Artifact, place: Path) -> bool:
        """Bring what a task left to its place; return whether it left any."""

    def close(self) -> None:
        """Close it; harmless if it is closed already."""


class WorkerProcess:
    """A worker process, from an order to what that comes to.

    ``keep`` decides, after a good end, whether the process waits for another order; ``on_surprise``
    is called after an unexpected end.
    """

    def __init__(self, process: _Process, keep: Callable[[_Process], bool] | None) -> None:
        self._process, self._keep = process, keep
        self._lock = threading.Lock()
        self._killer: threading.Timer | None = None
        self._is_over = False
        self.result: AnyResult | None = None
        self.ended = ""
        self.passes = False

    @property
    def pidfd(self) -> int:
        """Return the process, as ``pidfd_open(2)`` gives it."""
        return self._process.pidfd

    def events(self) -> Iterator[Event]:
        """Yield the events of the order."""
        process, is_kept = self._process, False
        try:
            for line in process.events:
                event = from_line(line)
                if not isinstance(event, Finished):
                    yield event
                    continue
                self.result = event.result
                if self._keep is not None:
                    is_kept = self._ends_well() and self._keep(process)
                    if is_kept:
                        return
                    process.close_orders()
        except ValueError:
            log.warning("a worker sent what is not an event")
        finally:
            with self._lock:
                self._is_over = True
                if self._killer is not None:
                    self._killer.cancel()
            if not is_kept:
                self.ended = process.wait(is_expected=self.result is not None)

    def _ends_well(self) -> bool:
        """Return whether the order ended well and was not cancelled; afterwards it cannot be
        cancelled.
        """
        with self._lock:
            self._is_over = self._killer is None
        return self._is_over and self.result is not None and self.result.outcome in _GOOD

    def cancel(self) -> None:
        """Ask the worker to end."""
        with self._lock:
            if self._is_over or self._killer is not None:
                return
            self._killer = threading.Timer(_GRACE, self.kill)
            self._killer.daemon = True
            self._killer.start()
        self._signal(signal.SIGTERM)

    def kill(self) -> None:
        """Kill the worker."""
        self._signal(signal.SIGKILL)

    def _signal(self, number: int) -> None:
        with self._lock, suppress(ProcessLookupError):
            if not self._is_over:
                signal.pidfd_send_signal(self._process.pidfd, number)


class _Process:
    """The process of a worker: its orders, events and end."""

    def __init__(
        self,
        pidfd: int,
        orders: int,
        events: int,
        own: socket.socket,
        errors: IO[bytes],
        recipient: str,
        on_surprise: Callable[[], None],
    ) -> None:
        self._recipient = recipient
        self.pidfd, self._orders, self._own, self._errors = pidfd, orders, own, errors
        self._on_surprise = on_surprise
        self.events = os.fdopen(events, "rb")
        #: How many orders it was given, and what they have in common.
        self.count, self.key = 0, ""
        #: Until when it waits for another order.
        self.idle_until = 0.0

    def send(self, order: Order) -> None:
        """Hand an order over, by a pipe: it may hold secrets."""
        self.count += 1
        with suppress(BrokenPipeError):
            view = memoryview(to_line(order, self._recipient))
            while view:
                view = view[os.write(self._orders, view) :]

    @property
    def is_alive(self) -> bool:
        """Return whether it has not ended."""
        # Not select(2), which knows descriptors up to 1023 only.
        ended = select.poll()
        ended.register(self.pidfd, select.POLLIN)
        return not ended.poll(0)

    def close_orders(self) -> None:
        """Tell it that no other order follows."""
        if self._orders >= 0:
            os.close(self._orders)
            self._orders = -1

    def wait(self, *, is_expected: bool = True) -> str:
        """Wait for its end, and return how it ended, in words, if that was unexpected."""
        self.events.close()
        self.close_orders()
        self._own.settimeout(_GRACE)
        try:
            status = self._own.recv(64)
        except OSError:
            status = b""
        os.close(self.pidfd)
        self._own.close()
        self._log_complaints()
        if is_expected:
            return ""
        self._on_surprise()
        code = int(status) if status else None
        if code is None:
            return "was lost"
        if code < 0:
            return f"was killed (signal {-code})"
        return f"ended unexpectedly (code {code})"

    def _log_complaints(self) -> None:
        size = self._errors.seek(0, os.SEEK_END)
        self._errors.seek(max(0, size - _COMPLAINTS_BYTES))
        for line in self._errors.read().splitlines()[-_COMPLAINTS:]:
            log.warning("worker: %s", line.decode(errors="replace").rstrip())
        self._errors.close()


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
                    str(theirs.fileno()),
                ],
                stdin=subprocess.DEVNULL,
                pass_fds=[theirs.fileno()],
                env=_clean_environment(),
                start_new_session=True,
            )
        self.orders = 0
        self._recipient = ""

    @property
    def recipient(self) -> str:
        """Return the public key that orders for its workers are sealed to: its first message.

        Raises ``OSError`` where it does not come.
        """
        if not self._recipient:
            self.control.settimeout(_START_TIMEOUT)
            self._recipient = self.control.recv(_MESSAGE).decode("ascii")
            self.control.settimeout(None)
            if not self._recipient:
                raise OSError("the process that forks workers has ended")
        return self._recipient

    @property
    def is_worn(self) -> bool:
        """Return whether another one should take its place."""
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
    """Workers of this machine: one order each, or some of the same host and stores."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._server: _ForkServer | None = None
        #: Those that wait for another order, the one that has waited longest first.
        self._idle: list[_Process] = []
        self._sweeper: threading.Timer | None = None

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
        """Return a worker that executes an order."""
        key = shared_key(order)
        if isinstance(order, BackupOrder):
            order.more_may_follow = bool(key)
        process = self._take_idle(key) or self._forked(order)
        process.key = key
        process.send(order)
        return WorkerProcess(process, self._keep if key else None)

    def collect(self, left: Artifact, place: Path) -> bool:
        """Bring what a task left to its place: on this machine it is only renamed."""
        try:
            os.rename(left, place)
        except FileNotFoundError:
            return False
        return True

    def _forked(self, order: Order) -> _Process:
        for _ in range(2):
            if (process := self._fork(order)) is not None:
                return process
            self._replace()
        raise FasciculusError(
            "No worker could be started.", "Is there memory and room for another process?"
        )

    def _keep(self, process: _Process) -> bool:
        """Have a process wait for another order, for a while; whether it does."""
        if process.count >= _ORDERS_PER_WORKER:
            return False
        with self._lock:
            process.idle_until = time.monotonic() + _IDLE
            self._idle.append(process)
            self._sweep_later()
        return True

    def _sweep_later(self) -> None:
        """Have idle processes looked through once the first of them has waited for long enough."""
        if self._sweeper is None and self._idle:
            wait = max(0.0, self._idle[0].idle_until - time.monotonic())
            self._sweeper = threading.Timer(wait, self._sweep)
            self._sweeper.daemon = True
            self._sweeper.start()

    def _sweep(self) -> None:
        """End the processes that got no other order in time."""
        now = time.monotonic()
        with self._lock:
            ending = [process for process in self._idle if process.idle_until <= now]
            self._idle = [process for process in self._idle if process.idle_until > now]
            self._sweeper = None
            self._sweep_later()
        for process in ending:
            process.close_orders()
            process.wait()

    def _take_idle(self, key: str) -> _Process | None:
        with self._lock:
            for process in self._idle:
                if key and process.key == key:
                    self._idle.remove(process)
                    break
            else:
                return None
        if process.is_alive:
            return process
        process.wait()
        return None

    def _fork(self, order: Order) -> _Process | None:
        message = " ".join(kinds_of(order)).encode("ascii", "replace")
        orders_in, orders_out = os.pipe()
        events_in, events_out = os.pipe()
        errors = tempfile.TemporaryFile()  # noqa: SIM115  closed at the worker's end
        own, theirs = socket.socketpair(socket.AF_UNIX, socket.SOCK_SEQPACKET)
        try:
            with self._lock:
                server = self._ready_server()
                server.orders += 1
                recipient = server.recipient
                socket.send_fds(
                    server.control,
                    [message[:_MESSAGE] or b" "],
                    [orders_in, events_out, errors.fileno(), theirs.fileno()],
                )
            theirs.close()
            own.settimeout(_START_TIMEOUT)
            _, descriptors, _, _ = socket.recv_fds(own, 64, 1)
        except OSError:
            descriptors, recipient = [], ""
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
        return _Process(
            descriptors[0], orders_out, events_in, own, errors, recipient, self._replace
        )

    def _replace(self) -> None:
        """After a surprise: the next worker comes from another process."""
        with self._lock:
            if self._server is not None:
                self._server.retire()
                self._server = None

    def close(self) -> None:
        """End all workers."""
        with self._lock:
            idle, self._idle = self._idle, []
            if self._sweeper is not None:
                self._sweeper.cancel()
                self._sweeper = None
        for process in idle:
            process.close_orders()
            process.wait()
        self._replace()


def _clean_environment() -> dict[str, str]:
    """Nothing of the service's own settings, which may hold secrets, reaches a worker."""
    kept = {k: v for k, v in os.environ.items() if not k.startswith("FASCICULUS_")}
    # Looking for plug-ins of pydantic that are not there costs a fifth of a second.
    return {**kept, "PYDANTIC_DISABLE_PLUGINS": "__all__"}
