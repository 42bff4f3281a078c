"""Tells systemd that the service is ready and well (``sd_notify(3)``)."""

from __future__ import annotations

import logging
import os
import threading
from collections.abc import Callable

import sdnotify

log = logging.getLogger(__name__)

_MICROSECONDS = 1_000_000


class SystemdNotifier:
    """Says READY once, then WATCHDOG again and again for as long as the service is well.

    Outside of systemd it says nothing. ``well`` tells whether all threads are at work: one that
    hangs lets the watchdog run out, and systemd restarts the service.
    """

    def __init__(self, well: Callable[[], bool]) -> None:
        self._notifier = sdnotify.SystemdNotifier()
        self._well = well
        self._closing = threading.Event()

    def ready(self) -> None:
        """Notify systemd that the service answers."""
        self._notifier.notify("READY=1")
        seconds = watchdog_seconds(os.environ.get("WATCHDOG_USEC", ""))
        if seconds:
            threading.Thread(
                target=self._watch, args=(seconds / 3,), name="watchdog", daemon=True
            ).start()

    def stopping(self) -> None:
        """Notify systemd that the service is stopping."""
        self._closing.set()
        self._notifier.notify("STOPPING=1")

    def _watch(self, every: float) -> None:
        while not self._closing.wait(every):
            if self._well():
                self._notifier.notify("WATCHDOG=1")
            else:
                log.error("not all parts of the service are at work; the watchdog is not told")


def watchdog_seconds(text: str) -> float:
    """After how many seconds without a sign systemd restarts the service; 0 for never."""
    return int(text) / _MICROSECONDS if text.isdecimal() else 0.0
