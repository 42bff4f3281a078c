"""The one loop in which all background work runs.

A step that fails costs that round of that step, and a row that fails costs itself: the rest goes
on, and what failed is kept until it went well again, for ``/health`` and the alerts.
"""

from __future__ import annotations

import logging
import threading
import time
from collections.abc import Callable, Hashable, Iterable, Mapping
from typing import TypeVar

from ...core.errors import FasciculusError

log = logging.getLogger(__name__)

T = TypeVar("T")

_AFTER_FAILURE = 5.0
_JOIN_SECONDS = 10.0


class BackgroundLoop:
    """A thread that runs its steps repeatedly.

    ``pause`` returns the seconds until the next round, ``first`` is the delay before the first one.
    A loop whose round takes longer than ``late`` seconds beyond its pause no longer counts as
    alive.
    """

    def __init__(
        self,
        name: str,
        steps: Mapping[str, Callable[[], None]],
        pause: Callable[[], float],
        first: float = 0.0,
        late: float = 3600.0,
    ) -> None:
        self.name = name
        self._steps, self._pause, self._first, self._late = dict(steps), pause, first, late
        self._changed = threading.Condition()
        self._woken = False
        self.closing = threading.Event()
        self._expected = time.monotonic() + first
        #: What failed in the last round: by the step, and by the row in it.
        self._failed_steps: dict[str, str] = {}
        self._failed_rows: dict[str, dict[Hashable, str]] = {}
        self._thread = threading.Thread(target=self._run, name=name, daemon=True)

    def start(self) -> None:
        """Begin."""
        self._thread.start()

    def stop(self, seconds: float = _JOIN_SECONDS) -> None:
        """End after the present step; stop waiting for it after some seconds."""
        with self._changed:
            self.closing.set()
            self._changed.notify_all()
        if self._thread.is_alive():
            self._thread.join(seconds)

    def wake(self) -> None:
        """Begin the next round now."""
        with self._changed:
            self._woken = True
            self._changed.notify_all()

    @property
    def alive(self) -> bool:
        """Return whether it is running and not late."""
        return self._thread.is_alive() and time.monotonic() < self._expected + self._late

    @property
    def works(self) -> bool:
        """Return whether it is alive and every step of its last round went well."""
        return self.alive and not self._failed_steps

    @property
    def troubles(self) -> list[str]:
        """Return the steps that failed last and have not succeeded since, in sentences."""
        found = [f"{what}: {why}" for what, why in self._failed_steps.items()]
        for what, rows in list(self._failed_rows.items()):
            found += [f"{what} {row}: {why}" for row, why in list(rows.items())]
        return found

    # Rounds ------------------------------------------------------------------------

    def _run(self) -> None:
        self._wait(self._first)
        while not self.closing.is_set():
            self.round()
            try:
                seconds = self._pause()
            except Exception:
                log.exception("%s: the time of its next round could not be found", self.name)
                seconds = _AFTER_FAILURE
            if self._failed_steps:
                seconds = min(seconds, max(_AFTER_FAILURE, seconds / 2))
            self._wait(seconds)

    def round(self) -> None:
        """Carry out all steps once."""
        self._expected = time.monotonic()
        for what, step in self._steps.items():
            if self.closing.is_set():
                return
            try:
                step()
            except Exception as error:
                log.exception("%s: %s failed; it is tried again", self.name, what)
                self._failed_steps[what] = words(error)
            else:
                self._failed_steps.pop(what, None)

    def _wait(self, seconds: float) -> None:
        with self._changed:
            self._expected = time.monotonic() + seconds
            if not self._woken and not self.closing.is_set():
                self._changed.wait(seconds)
            self._woken = False

    def each(
        self, what: str, rows: Iterable[T], key: Callable[[T], Hashable], work: Callable[[T], None]
    ) -> None:
        """Do something with each of some rows; one that fails is noted, and the others go on."""
        failed: dict[Hashable, str] = {}
        for row in rows:
            if self.closing.is_set():
                return
            try:
                work(row)
            except Exception as error:
                name = key(row)
                failed[name] = words(error)
                log.exception("%s: %s %s failed; the others go on", self.name, what, name)
        self._failed_rows[what] = failed


def words(error: Exception) -> str:
    """Return an exception as a sentence for people."""
    if isinstance(error, FasciculusError):
        return error.sentence()
    return f"{type(error).__name__}: {' '.join(str(error).split())[:200]}"
