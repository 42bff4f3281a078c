"""One worker process: an order goes in, events come out."""

from __future__ import annotations

import logging
import os
import signal
import subprocess
import sys
import threading
from collections import deque
from collections.abc import Callable

from ...worker.events import Event, Finished, from_line
from ...worker.orders import Order, to_line

log = logging.getLogger(__name__)

_GRACE = 45.0


class Worker:
    """Carries out one order in a process of its own. ``name`` is for the service's log."""

    def __init__(self, name: str) -> None:
        self._name = name
        self._process: subprocess.Popen[bytes] | None = None
        self._lock = threading.Lock()
        self.cancelled = False

    def run(self, order: Order, on_event: Callable[[Event], None]) -> Finished | int:
        """Work until the end: what the worker says last, or the code with which it broke off."""
        # An order may hold secrets: it goes through a pipe, not through arguments.
        process = subprocess.Popen(
            [sys.executable, "-m", "fasciculus.worker"],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            stderr=subprocess.PIPE,
            env=_clean_environment(),
            start_new_session=True,
        )
        assert process.stdin and process.stdout and process.stderr
        finished: Finished | None = None
        complaints: deque[bytes] = deque(maxlen=20)
        drain = threading.Thread(target=complaints.extend, args=(process.stderr,), daemon=True)
        drain.start()
        try:
            process.stdin.write(to_line(order))
            process.stdin.flush()
            with self._lock:
                self._process = process
                if self.cancelled:
                    process.send_signal(signal.SIGTERM)
            for line in process.stdout:
                event = from_line(line)
                if isinstance(event, Finished):
                    finished = event
                else:
                    on_event(event)
        except (BrokenPipeError, ValueError):
            log.warning("%s: the worker broke off", self._name)
        finally:
            process.stdout.close()
            try:
                process.stdin.close()
            except BrokenPipeError:
                pass
            code = process.wait()
            drain.join(5)
        for text in complaints:
            log.warning("%s: %s", self._name, text.decode(errors="replace").rstrip())
        return finished if finished is not None else code

    def cancel(self) -> None:
        """Ask it to stop, and end it when it does not."""
        with self._lock:
            self.cancelled = True
            process = self._process
        if process is not None and process.poll() is None:
            process.send_signal(signal.SIGTERM)
            killer = threading.Timer(_GRACE, process.kill)
            killer.daemon = True
            killer.start()
            threading.Thread(target=_call_off, args=(process, killer), daemon=True).start()

    def kill(self) -> None:
        if self._process is not None:
            self._process.kill()


def _call_off(process: subprocess.Popen[bytes], killer: threading.Timer) -> None:
    """Once the process has ended by itself, nobody needs to kill it."""
    process.wait()
    killer.cancel()


def _clean_environment() -> dict[str, str]:
    """Nothing of the service's own settings, which may hold secrets, reaches a worker."""
    kept = {k: v for k, v in os.environ.items() if not k.startswith("FASCICULUS_")}
    # Looking for plug-ins that are not there costs a fifth of a second at each start.
    return {**kept, "PYDANTIC_DISABLE_PLUGINS": "__all__"}
