"""What a worker tells: one JSON object a line."""

from __future__ import annotations

import json
import threading
from typing import Any, BinaryIO, Literal

from msgspec import Struct, field, to_builtins

Level = Literal["info", "warning", "error"]


class Log(Struct):
    """A line of the task's log."""

    level: Level
    text: str


class Progress(Struct):
    """How far the task is. Bytes are of contents, ``packed`` and ``pushed`` of pieces;
    ``total`` is what is expected, 0 when that is not known."""

    stage: str
    entries: int = 0
    bytes: int = 0
    packed: int = 0
    pushed: int = 0
    total: int = 0


class CopyResult(Struct):
    """A store has, or has not, its copy."""

    store: str
    error: str = ""
    kept: int = 0


class CopyRetired(Struct):
    """A copy was removed because the keep rule did not want it."""

    store: str
    bundle: str


class DamageFound(Struct):
    """A file of the store that is missing or altered: its path below the subject, and what that
    harms.

    ``files`` are the first of the entries that cannot be brought back whole, ``harmed`` counts them
    all."""

    file: str
    reason: str
    bundles: list[str] = field(default_factory=list)
    files: list[str] = field(default_factory=list)
    harmed: int = 0


class DamageCleared(Struct):
    """A file that was found damaged earlier is as it should be; ``source`` is the store that mended
    it.
    """

    file: str
    source: str = ""


class CopyVerified(Struct):
    """A bundle's copy was looked through, quickly or by reading every byte."""

    bundle: str
    deep: bool
    sound: bool


class CopyRepacked(Struct):
    """A copy's bytes lie in other pieces now; ``manifest`` is the summary of its new
    ``bundle.json``.
    """

    bundle: str
    manifest: dict[str, Any] = field(default_factory=dict)


class Finished(Struct):
    """The end. ``manifest`` is a summary of ``bundle.json`` for the records."""

    outcome: str
    error: str = ""
    bundle: str = ""
    entries: int = 0
    bytes: int = 0
    packed: int = 0
    manifest: dict[str, Any] = field(default_factory=dict)


Event = (
    Log
    | Progress
    | CopyResult
    | CopyRetired
    | DamageFound
    | DamageCleared
    | CopyVerified
    | CopyRepacked
    | Finished
)
_KINDS: dict[str, type] = {
    "log": Log,
    "progress": Progress,
    "copied": CopyResult,
    "retired": CopyRetired,
    "damage": DamageFound,
    "sound": DamageCleared,
    "verified": CopyVerified,
    "repacked": CopyRepacked,
    "finished": Finished,
}
_NAMES = {kind: name for name, kind in _KINDS.items()}


def to_line(event: Event) -> bytes:
    return json.dumps({"event": _NAMES[type(event)], **to_builtins(event)}).encode() + b"\n"


def from_line(line: bytes) -> Event:
    """The event of a line; ``ValueError`` when it is none."""
    row = json.loads(line)
    try:
        event: Event = _KINDS[row.pop("event")](**row)
    except (KeyError, TypeError, AttributeError) as error:
        raise ValueError("not an event") from error
    return event


class Emitter:
    """Writes events to the service; a service that is gone does not stop the clearing up."""

    def __init__(self, sink: BinaryIO) -> None:
        self._sink, self._lock = sink, threading.Lock()
        self.warnings: list[str] = []

    def emit(self, event: Event) -> None:
        with self._lock:
            try:
                self._sink.write(to_line(event))
                self._sink.flush()
            except (BrokenPipeError, ValueError):
                pass

    def info(self, text: str) -> None:
        self.emit(Log("info", text))

    def warn(self, text: str) -> None:
        """A warning that the bundle's manifest and the report will name too."""
        self.warnings.append(text)
        self.emit(Log("warning", text))

    def error(self, text: str) -> None:
        self.emit(Log("error", text))
