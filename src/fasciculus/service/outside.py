"""The one way in which the service talks to machines that are not its own.

The other side may be hostile: send without end, never answer, or send data that takes all memory to
parse. So each such conversation is one function call in a separate process, with a memory limit and
a deadline; the service only waits for the result. Long work (backups, restores, maintenance) runs
in the workers of the task runner instead, which have their own limits.
"""

from __future__ import annotations

import multiprocessing
import pickle
import signal
import threading
from collections.abc import Callable, Iterator
from contextlib import AbstractContextManager, contextmanager
from multiprocessing.connection import Connection
from multiprocessing.process import BaseProcess
from types import FrameType
from typing import Any, Generic, ParamSpec, TypeVar

from ..channels import KINDS as CHANNELS
from ..core.errors import ConnectionLostError, FasciculusError, UnreachableError
from ..databases import ENGINES
from ..memory import limit_memory

P = ParamSpec("P")
T = TypeVar("T")

#: Seconds that a conversation may take unless another deadline is given.
DEADLINE = 120.0
#: Seconds that a trial may take, below what clients wait for an answer: a minute.
TRIAL = 45.0
_TRIAL_DEADLINE = 55.0
#: Seconds that a killed process is waited for.
_KILLED = 5.0
#: Bytes that it may take beyond what its code needs.
MEMORY = 256 * 1024 * 1024
#: Seconds without a byte after which a stream is given up.
_SILENCE = 600.0
_DATA, _END = b"d", b"e"
#: Imported once, in the process that the others are forked from.
_PRELOADED = (
    "fasciculus.service.usecases.inventory.host_check",
    "fasciculus.service.usecases.inventory.host_proposal",
    "fasciculus.service.usecases.stores.check",
    "fasciculus.channels.smtp",
    "fasciculus.service.monitoring.certificates",
    "fasciculus.hosts.ssh.host",
    "fasciculus.stores.sftp",
)
_context = multiprocessing.get_context("forkserver")
_context.set_forkserver_preload([*_PRELOADED, *CHANNELS.modules(), *ENGINES.modules()])


def warm_up() -> None:
    """Start the process that the others are forked from, which takes a second or two."""
    call(int)


def call(function: Callable[P, T], *args: P.args, **more: P.kwargs) -> T:
    """Call a function in a separate process and return its result.

    Raises what it raises, :class:`ConnectionLostError` when its time is over, and
    :class:`UnreachableError` when it needs more memory than is allowed.
    """
    return call_within(DEADLINE, function, *args, **more)


def try_out(function: Callable[P, T], *args: P.args, **more: P.kwargs) -> T:
    """Call a function that tests something, and so must end before its client gives up."""
    return call_within(_TRIAL_DEADLINE, function, *args, **more)


def trial_time() -> AbstractContextManager[None]:
    """Return the time that such a function has for its steps; what is under way at its
    end fails.
    """
    return ended_after(
        TRIAL,
        ConnectionLostError(
            f"It did not answer in time: a trial may take {TRIAL:.0f} seconds.",
            "Look whether the server is overloaded, or something in between holds the line back.",
        ),
    )


def call_within(seconds: float, function: Callable[P, T], *args: P.args, **more: P.kwargs) -> T:
    """Return the same, with another deadline in seconds."""
    ours, process = _begun(_carry_out, function, args, more)
    try:
        if not ours.poll(seconds):
            raise ConnectionLostError(
                f"There was no end to it within {seconds:.0f} seconds.",
                "Look whether the other side is overloaded, and try again.",
            )
        good, found = ours.recv()
    except EOFError as error:
        raise _ended_early() from error
    finally:
        _end(ours, process)
    if good:
        return found  # type: ignore[no-any-return]
    raise found


@contextmanager
def ended_after(seconds: float, error: FasciculusError) -> Iterator[None]:
    """Raise an error inside, once its time is over, so that it is known what was under way.

    It works only in the main thread of a separate process; elsewhere it does nothing.
    """
    if threading.current_thread() is not threading.main_thread():
        yield
        return

    def end(_signal: int, _frame: FrameType | None) -> None:
        raise error

    before = signal.signal(signal.SIGALRM, end)
    signal.setitimer(signal.ITIMER_REAL, seconds)
    try:
        yield
    finally:
        signal.setitimer(signal.ITIMER_REAL, 0)
        signal.signal(signal.SIGALRM, before)


class OutsideStream(Generic[T]):
    """The output of a function that runs in a separate process.

    The function gets a callable for its bytes as the first argument, which waits for as long as
    nobody takes them. ``result`` is what it returned, once all has come. Its errors are raised by
    the iteration.
    """

    def __init__(self, function: Callable[..., T], *args: Any) -> None:
        self.result: T | None = None
        self._ours, self._process = _begun(_write_out, function, args)

    def __iter__(self) -> OutsideStream[T]:
        return self

    def __next__(self) -> bytes:
        if self._ours.closed:
            raise StopIteration
        try:
            if not self._ours.poll(_SILENCE):
                raise ConnectionLostError("The store has sent nothing for long.", "Try again.")
            message = self._ours.recv_bytes()
        except EOFError as error:
            self.close()
            raise _ended_early() from error
        if message[:1] == _DATA:
            return message[1:]
        good, found = pickle.loads(message[1:])
        self.close()
        if not good:
            raise found
        self.result = found
        raise StopIteration

    def close(self) -> None:
        """End the process, wherever it is."""
        _end(self._ours, self._process)


def _begun(target: Callable[..., None], *args: Any) -> tuple[Connection, BaseProcess]:
    """Begin a process that answers on a pipe; gives our end of that and the process."""
    ours, theirs = _context.Pipe(duplex=False)
    process = _context.Process(target=target, args=(theirs, *args), daemon=True)
    process.start()
    theirs.close()
    return ours, process


def _end(ours: Connection, process: BaseProcess) -> None:
    """End a process, wherever it is."""
    ours.close()
    process.kill()
    # One that hangs in the kernel, as on a dead network share, ends when that lets go of it.
    process.join(_KILLED)


# In the other process ----------------------------------------------------------------


def _carry_out(
    answers: Connection, function: Callable[..., Any], args: tuple[Any, ...], more: dict[str, Any]
) -> None:
    found = _result(function, *args, **more)
    try:
        answers.send(found)
    except MemoryError:
        answers.send((False, too_much()))


def _write_out(answers: Connection, function: Callable[..., Any], args: tuple[Any, ...]) -> None:
    def write(data: bytes) -> None:
        answers.send_bytes(_DATA + data)

    found = _result(function, write, *args)
    if isinstance(found[1], BrokenPipeError):
        # Nobody takes it any more.
        return
    answers.send_bytes(_END + pickle.dumps(found))


def _result(function: Callable[..., Any], *args: Any, **more: Any) -> tuple[bool, Any]:
    """Call a function within the limits; gives whether it went well, and what it gave or raised."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    signal.signal(signal.SIGTERM, signal.SIG_DFL)
    limit_memory(MEMORY)
    try:
        return True, function(*args, **more)
    except MemoryError:
        return False, too_much()
    except (FasciculusError, OSError, ValueError) as error:
        return False, error
    except Exception as error:
        # It may hold what cannot travel, such as a socket.
        return False, UnreachableError(f"{type(error).__name__}: {error}")


def _ended_early() -> UnreachableError:
    return UnreachableError(
        "The process that talked to the other side ended without an answer.",
        "The service's log has more. Try again.",
    )


def too_much() -> UnreachableError:
    """Return the error for an answer that is larger than anything sensible."""
    return UnreachableError(
        f"The other side sent more than {MEMORY // (1024 * 1024)} MiB, which nothing needs.",
        "Look whether that is the right server.",
    )
