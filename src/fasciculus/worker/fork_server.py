"""Workers without the wait for an interpreter: one process imports everything and forks them.

The service sends one message per order over a socket of whole messages: the kinds of host and
stores that it needs, as ``host:ssh store:sftp``, for the imports; and four descriptors: the
worker's standard input, output and error, and a socket of its own. On that socket the fork server
answers with the worker's pidfd (``pidfd_open(2)``) and, when the worker has ended, with its wait
status as decimal text. Its first message is the public key that orders for its workers are sealed
to; the private one never leaves it and them. The fork server itself never reads an order, so that
no secret of one task is in the memory of the next; what a worker left running is killed with its
process group.
"""

from __future__ import annotations

import gc
import os
import selectors
import signal
import socket
from collections.abc import Iterable
from contextlib import suppress
from importlib import import_module

from ..contracts.sealed_secrets import WorkerIdentity
from ..core import schedule
from ..databases import ENGINES
from ..hosts import KINDS as host_kinds
from ..stores import KINDS as store_kinds

#: What the tasks need; imported once, before the first fork.
_PRELOADED = (
    "fasciculus.worker.process",
    "fasciculus.worker.backup.task",
    "fasciculus.worker.backup.sources.databases",
    "fasciculus.worker.backup.sources.mail",
    "fasciculus.worker.backup.sources.system",
    "fasciculus.worker.maintenance.repair",
    "fasciculus.worker.maintenance.repack",
    "fasciculus.worker.maintenance.verify",
    "fasciculus.worker.preview",
    "fasciculus.worker.restore.task",
    "fasciculus.core.bundle.diff",
    "fasciculus.hosts.local_command",
    "fasciculus.stores.folder",
)
_DESCRIPTORS = 4
_MESSAGE = 1024


def serve(control_descriptor: int) -> None:
    """Fork a worker per message until the other side closes the socket."""
    for name in _PRELOADED:
        import_module(name)
    # Packages are searched once, not by each worker that needs one of their kinds.
    for registry in (store_kinds, host_kinds, ENGINES):
        registry.names()
    # Reads all zones of the system, which takes longer than a small task.
    schedule.zone("UTC")
    gc.collect()
    # What is imported stays: looking through it in each worker would also copy its pages.
    gc.freeze()
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    ForkServer(socket.socket(fileno=control_descriptor), WorkerIdentity()).run()


class ForkServer:
    """Starts workers and reports their ends."""

    def __init__(self, control: socket.socket, identity: WorkerIdentity) -> None:
        self._identity = identity
        self._control: socket.socket | None = control
        self._workers: dict[int, socket.socket] = {}
        self._imported: set[str] = set()
        self._wake_in, self._wake_out = os.pipe2(os.O_NONBLOCK | os.O_CLOEXEC)
        self._selector = selectors.DefaultSelector()

    def run(self) -> None:
        """Serve until the control socket is closed and the last worker has ended."""
        signal.signal(signal.SIGCHLD, lambda *_: None)
        signal.set_wakeup_fd(self._wake_out)
        self._selector.register(self._wake_in, selectors.EVENT_READ)
        assert self._control is not None
        self._control.send(self._identity.recipient.encode())
        self._selector.register(self._control, selectors.EVENT_READ)
        while self._control is not None or self._workers:
            for key, _ in self._selector.select():
                if key.fileobj is self._control:
                    self._accept()
                else:
                    with suppress(BlockingIOError):
                        os.read(self._wake_in, 4096)
            self._reap()

    def _accept(self) -> None:
        assert self._control is not None
        message: bytes = b""
        descriptors: list[int] = []
        # A service that ends without having read the public key resets the connection.
        with suppress(ConnectionResetError):
            message, descriptors, _, _ = socket.recv_fds(self._control, _MESSAGE, _DESCRIPTORS)
        if not message:
            self._selector.unregister(self._control)
            self._control.close()
            self._control = None
            return
        self._preload(message.decode("ascii", "replace").split())
        *standard, own = descriptors
        answers = socket.socket(fileno=own)
        try:
            pid = os.fork()
            if not pid:
                self._be_worker(standard, answers)
            pidfd = os.pidfd_open(pid)
            self._workers[pid] = answers
            with suppress(OSError):
                socket.send_fds(answers, [b"started"], [pidfd])
            os.close(pidfd)
        except OSError:
            # No process to be had: the closed socket says so.
            answers.close()
        finally:
            for descriptor in standard:
                os.close(descriptor)

    def _preload(self, kinds: Iterable[str]) -> None:
        """Import what the kinds of an order need, once for all workers to come."""
        for kind in kinds:
            if kind not in self._imported:
                self._imported.add(kind)
                registry, _, name = kind.partition(":")
                # The worker says what is wrong with it.
                with suppress(Exception):
                    (host_kinds if registry == "host" else store_kinds).preload(name)
                gc.freeze()

    def _be_worker(self, standard: list[int], answers: socket.socket) -> None:
        code = 1
        try:
            os.setsid()
            signal.set_wakeup_fd(-1)
            signal.signal(signal.SIGCHLD, signal.SIG_DFL)
            assert self._control is not None
            for open_socket in (self._control, answers, *self._workers.values()):
                open_socket.close()
            self._selector.close()
            os.close(self._wake_in)
            os.close(self._wake_out)
            for number, descriptor in enumerate(standard):
                os.dup2(descriptor, number)
                os.close(descriptor)
            from .process import main

            code = main(self._identity)
        finally:
            # Taking the interpreter apart would cost a tenth of a second, and is the parent's.
            os._exit(code)

    def _reap(self) -> None:
        while self._workers:
            try:
                ended = os.waitid(os.P_ALL, 0, os.WEXITED | os.WNOHANG | os.WNOWAIT)
            except ChildProcessError:
                return
            if ended is None:
                return
            # Before its number is free again: whatever it started ends with it.
            with suppress(ProcessLookupError):
                os.killpg(ended.si_pid, signal.SIGKILL)
            if ended.si_code != os.CLD_EXITED:
                _kill_session(ended.si_pid)
            _, status = os.waitpid(ended.si_pid, 0)
            answers = self._workers.pop(ended.si_pid, None)
            if answers is not None:
                with suppress(OSError):
                    answers.send(str(os.waitstatus_to_exitcode(status)).encode())
                answers.close()


def _kill_session(session: int) -> None:
    """Kill the rest of a worker's session: commands have their own process groups, which a killed
    worker could not end.
    """
    for name in os.listdir("/proc"):
        if not name.isdigit():
            continue
        with suppress(OSError, ValueError):
            if int(name) != session and os.getsid(int(name)) == session:
                os.kill(int(name), signal.SIGKILL)
