"""Misbehaviour of stand-ins on request, as of real servers now and then."""

from __future__ import annotations

import json
import threading
import time
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any


class CutError(Exception):
    """The connection is to be broken off, without a word."""


@dataclass
class Misbehaviour:
    """Set on a stand-in while it runs; ``file`` holds the same as JSON, and counts when it changes.

    ``cut_after`` counts bytes down and cuts the connection at zero, ``cuts`` times, ``cut_each``
    bytes apart. ``forget`` accepts data and stores nothing.
    """

    cut_after: int | None = None
    cut_each: int = 0
    cuts: int = 1
    bytes_per_second: int | None = None
    #: No byte fits any more.
    full: bool = False
    #: Nobody may write.
    refuse: bool = False
    forget: bool = False
    #: The next so many files that are written have one byte altered.
    flip: int = 0
    file: Path | None = None
    #: Bytes that came in, and when the last ones were let through.
    received: int = 0
    _stamp: float = 0.0
    _lock: threading.Lock = field(default_factory=threading.Lock, repr=False)

    def look(self) -> None:
        """Apply the file, if there is one; unnamed misbehaviour ends."""
        if self.file is None:
            return
        stamp = self.file.stat().st_mtime if self.file.exists() else 0.0
        if stamp == self._stamp:
            return
        self._stamp = stamp
        told = json.loads(self.file.read_text()) if stamp else {}
        for name in _SETTABLE:
            setattr(self, name, told.get(name, getattr(Misbehaviour, name)))

    def moved(self, count: int, incoming: bool = True) -> None:
        """Note a chunk of bytes. Raises :class:`CutError` when the connection is to break."""
        with self._lock:
            if incoming:
                self.received += count
            if self.cut_after is not None:
                self.cut_after -= count
                if self.cut_after <= 0:
                    self.cuts -= 1
                    self.cut_after = self.cut_each if self.cuts > 0 else None
                    raise CutError
        if self.bytes_per_second:
            time.sleep(count / self.bytes_per_second)

    def stored(self, path: Path) -> None:
        """Note that a file is complete."""
        with self._lock:
            flips, self.flip = self.flip > 0, max(0, self.flip - 1)
        if flips and path.stat().st_size:
            with path.open("r+b") as file:
                file.seek(path.stat().st_size // 2)
                byte = file.read(1)[0]
                file.seek(-1, 1)
                file.write(bytes([byte ^ 1]))
        if self.forget:
            path.unlink(missing_ok=True)


_SETTABLE = {
    "cut_after",
    "cut_each",
    "cuts",
    "bytes_per_second",
    "full",
    "refuse",
    "forget",
    "flip",
}


def folder_bytes(root: Path) -> int:
    """Return what a quota is held against."""
    return sum(path.stat().st_size for path in root.rglob("*") if path.is_file())


def free_bytes(root: Path, quota: int | None, misbehaviour: Misbehaviour) -> int:
    """Return what fits still: of the quota, else of the disk."""
    import shutil

    if misbehaviour.full:
        return 0
    if quota is None:
        return shutil.disk_usage(root).free
    return max(0, quota - folder_bytes(root))


def wsgi(app: Any, misbehaviour: Misbehaviour) -> Any:
    """Return a WSGI application whose bodies, both ways, pass through a misbehaviour."""

    def application(environ: dict[str, Any], start_response: Any) -> Any:
        misbehaviour.look()
        body = environ["wsgi.input"] = _Input(environ["wsgi.input"], misbehaviour)
        return _outgoing(app(environ, start_response), body, misbehaviour)

    return application


def _outgoing(answer: Any, body: _Input, misbehaviour: Misbehaviour) -> Any:
    try:
        for chunk in answer:
            if body.is_cut:
                break
            if chunk:
                misbehaviour.moved(len(chunk), incoming=False)
            yield chunk
        # The application may have answered the interruption.
        if body.is_cut:
            raise CutError
    finally:
        if hasattr(answer, "close"):
            answer.close()


class _Input:
    """The body of a request."""

    def __init__(self, inner: Any, misbehaviour: Misbehaviour) -> None:
        self._inner, self._misbehaviour = inner, misbehaviour
        self.is_cut = False

    def read(self, *count: int) -> bytes:
        data: bytes = self._inner.read(*count)
        try:
            self._misbehaviour.moved(len(data))
        except CutError:
            self.is_cut = True
            raise
        return data

    def readline(self, *count: int) -> bytes:
        line: bytes = self._inner.readline(*count)
        return line

    def __getattr__(self, name: str) -> Any:
        return getattr(self._inner, name)
