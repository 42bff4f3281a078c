"""The orders of a worker, one per line, and the end of the service that waits for the results."""

from __future__ import annotations

import os
import signal
import threading
from queue import SimpleQueue

_STANDARD_INPUT = 0


class OrderInput:
    """Reads orders from standard input, which stays open while the service waits.

    If it is closed while an order is executed, from ``next`` to ``done``, this process gets
    SIGTERM.
    """

    def __init__(self) -> None:
        self._lines: SimpleQueue[bytes] = SimpleQueue()
        self._lock = threading.Lock()
        self._is_busy = self._is_over = False
        threading.Thread(target=self._read, daemon=True).start()

    def next(self) -> bytes:
        """Wait for the next order; empty when none comes any more."""
        return self._lines.get()

    def begin(self) -> None:
        """Note that an order is being executed."""
        with self._lock:
            self._is_busy = True
            is_over = self._is_over
        if is_over:
            os.kill(os.getpid(), signal.SIGTERM)

    def done(self) -> None:
        """Say that it was."""
        with self._lock:
            self._is_busy = False

    def _read(self) -> None:
        # Unbuffered: a thread in a buffered read would block the interpreter's exit.
        line = b""
        while chunk := os.read(_STANDARD_INPUT, 65536):
            line += chunk
            *lines, line = line.split(b"\n")
            for whole in lines:
                self._lines.put(whole + b"\n")
        with self._lock:
            self._is_over = True
            is_busy = self._is_busy
        self._lines.put(b"")
        if is_busy:
            os.kill(os.getpid(), signal.SIGTERM)
