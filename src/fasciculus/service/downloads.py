"""Omissions of downloads, available after their end."""

from __future__ import annotations

import hashlib
import secrets
import threading
from collections import OrderedDict
from collections.abc import Callable, Iterator

from ..bundles.omissions import Omissions
from ..core.errors import BusyError, DamagedError
from ..core.subject import Subject
from ..models import DownloadReport
from .outside import OutsideStream

HEADER = "X-Download"
#: Downloads at the same time: each holds a thread of the web server while its client reads slowly.
MOST = 12
_KEPT = 500
_NAMED = 100
_HEAD = 256 * 1024


class Downloads:
    """The last downloads by number, each with what it left out."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._known: OrderedDict[str, Download] = OrderedDict()
        self._running = 0

    def begin(
        self, subject: Subject, stream: OutsideStream[Omissions], on_damage: Callable[[], None]
    ) -> Download:
        """Take one of the places for downloads; ``on_damage`` is called when anything of it is
        damaged on the store. Raises ``BusyError`` if all are taken."""
        with self._lock:
            if self._running >= MOST:
                stream.close()
                raise BusyError(
                    f"{MOST} downloads are running.", "Wait until one of them has ended."
                )
            self._running += 1
            found = Download(secrets.token_hex(8), subject, stream, on_damage, self._end)
            self._known[found.number] = found
            while len(self._known) > _KEPT:
                self._known.popitem(last=False)
        return found

    def _end(self) -> None:
        with self._lock:
            self._running -= 1

    def find(self, number: str) -> Download | None:
        """Return one of the last downloads."""
        with self._lock:
            return self._known.get(number)


class Download:
    """One download: its bytes, to be taken once, and then what it lacks.

    Its place is free again when it was closed, however that comes about.
    """

    def __init__(
        self,
        number: str,
        subject: Subject,
        stream: OutsideStream[Omissions],
        on_damage: Callable[[], None],
        end: Callable[[], None],
    ) -> None:
        self.number, self.subject, self._stream, self._end = number, subject, stream, end
        self._on_damage = on_damage
        self._head: list[bytes] = []
        self._skip = 0
        self._is_open = True
        self._digest = hashlib.sha256()
        self._is_whole = False
        self.omissions = Omissions()

    def report(self) -> DownloadReport:
        """Return what the download left out."""
        return DownloadReport(
            sha256=self._digest.hexdigest() if self._is_whole else "",
            omissions=self.omissions.count,
            named=self.omissions.lines[:_NAMED],
        )

    def prepare(self, start: int) -> None:
        """Pass over the first bytes and make the beginning of the rest. Errors at the start are
        raised here, so that they can be answered as problems.
        """
        self._skip = start
        head = 0
        for chunk in self._taken():
            self._head.append(chunk)
            head += len(chunk)
            if head >= _HEAD:
                break

    def __iter__(self) -> Iterator[bytes]:
        while self._head:
            yield self._head.pop(0)
        yield from self._taken()

    def _taken(self) -> Iterator[bytes]:
        for chunk in self._bytes():
            self._digest.update(chunk)
            if self._skip >= len(chunk):
                self._skip -= len(chunk)
                continue
            # Done before yielding the chunk, since a reader may take only the first.
            wanted, self._skip = chunk[self._skip :], 0
            yield wanted
        self._is_whole = True
        self.omissions = self._stream.result or Omissions()
        if self.omissions.damaged:
            self._on_damage()

    def _bytes(self) -> Iterator[bytes]:
        try:
            # Not “yield from”, which would end the stream when a reader pauses.
            for chunk in self._stream:  # noqa: UP028
                yield chunk
        except DamagedError:
            self._on_damage()
            raise

    def close(self) -> None:
        """End it; the web server calls this when the client has all or has gone."""
        if self._is_open:
            self._is_open = False
            self._head.clear()
            self._stream.close()
            self._end()
