"""Tells the service what happens."""

from __future__ import annotations

import threading
from typing import BinaryIO

from ..contracts.events import Event, Log, to_line


class Emitter:
    """Writes events to the service; cleaning up continues if the service has ended."""

    def __init__(self, sink: BinaryIO) -> None:
        self._sink, self._lock = sink, threading.Lock()
        self.warnings: list[str] = []

    def emit(self, event: Event) -> None:
        """Write an event."""
        with self._lock:
            try:
                self._sink.write(to_line(event))
                self._sink.flush()
            except (BrokenPipeError, ValueError):
                pass

    def info(self, text: str) -> None:
        """Write a log line."""
        self.emit(Log("info", text))

    def warn(self, text: str) -> None:
        """Emit a warning, which the bundle's manifest and the report repeat."""
        self.warnings.append(text)
        self.emit(Log("warning", text))

    def error(self, text: str) -> None:
        """Write an error to the log."""
        self.emit(Log("error", text))
