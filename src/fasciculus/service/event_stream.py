"""Live events as Server-Sent Events with a resume id."""

from __future__ import annotations

import json
import secrets
import threading
import time
from collections import deque
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from itertools import islice
from typing import Any

from pydantic import BaseModel

from ..core.subject import Subject

_KEPT = 2000
_HEARTBEAT = 15.0
_MOMENT = 0.03
#: Views that may stay open; further ones get what there is and come back by themselves.
_OPEN_VIEWS = 24
_COME_BACK_MS = 3000


@dataclass(frozen=True, slots=True)
class StreamedEvent:
    """One event: its number, its kind, the run and the subject it is of, and its data as JSON."""

    number: int
    kind: str
    run: int | None
    subject: Subject | None
    data: str


class EventStream:
    """Keeps the last events and wakes those who wait for more."""

    def __init__(self) -> None:
        self._epoch = secrets.token_hex(4)
        self._told: deque[StreamedEvent] = deque(maxlen=_KEPT)
        self._number = 0
        self._changed = threading.Condition()
        self._views = 0
        self._closed = False

    def tell(
        self,
        kind: str,
        data: BaseModel | dict[str, Any],
        run: int | None = None,
        subject: Subject | None = None,
    ) -> None:
        """Show an event; ``subject`` is the one it concerns, None if it concerns several."""
        text = data.model_dump_json() if isinstance(data, BaseModel) else json.dumps(data)
        with self._changed:
            self._number += 1
            self._told.append(StreamedEvent(self._number, kind, run, subject, text))
            self._changed.notify_all()

    def changed(self, what: str) -> None:
        """Say that a list should be asked for again."""
        self.tell("changed", {"what": what})

    def close(self) -> None:
        """End all open views."""
        with self._changed:
            self._closed = True
            self._changed.notify_all()

    @property
    def closed(self) -> bool:
        """Return whether nothing is shown any more."""
        return self._closed

    def stream(
        self,
        last_id: str,
        run: int | None = None,
        over: Callable[[], bool] = lambda: False,
        admits: Callable[[StreamedEvent], bool] = lambda event: True,
    ) -> Iterator[bytes]:
        """Events from after ``last_id`` on, of one run or of all, until ``over()``; only those
        that ``admits`` lets pass.

        An id that is too old, or of an earlier life of the service, is answered with
        a ``reset`` event: ask for everything again.
        """
        epoch, _, number = last_id.partition("-")
        with self._changed:
            after = self._number
            reset = False
            if last_id:
                oldest = self._told[0].number if self._told else self._number + 1
                if epoch != self._epoch or not number.isdigit() or int(number) < oldest - 1:
                    reset = True
                else:
                    after = int(number)
            stays = self._views < _OPEN_VIEWS
            self._views += 1
        try:
            yield f"retry: {_COME_BACK_MS}\n\n".encode()
            yield self._frame(after, "reset" if reset else "hello", "{}")
            while True:
                with self._changed:
                    news = self._after(after)
                    # Whether it is over is a question to the records: not with each event.
                    ended = self._closed or (not news and over())
                    if not news and not ended and stays:
                        self._changed.wait(_HEARTBEAT)
                    waits = not news and not ended and stays
                if waits:
                    # Events that follow shortly are sent together.
                    time.sleep(_MOMENT)
                    with self._changed:
                        news = self._after(after)
                        ended = self._closed or (not news and over())
                after = news[-1].number if news else after
                frames = [
                    self._frame(told.number, told.kind, told.data)
                    for told in news
                    if (run is None or told.run == run) and admits(told)
                ]
                if frames:
                    yield b"".join(frames)
                if not news:
                    yield b": still here\n\n"
                if ended or not stays:
                    if ended and not self._closed:
                        yield self._frame(after, "end", "{}")
                    return
        finally:
            with self._changed:
                self._views -= 1

    def _after(self, number: int) -> list[StreamedEvent]:
        """Return the kept events after a number, which are the last ones."""
        return list(islice(reversed(self._told), max(0, self._number - number)))[::-1]

    def _frame(self, number: int, kind: str, data: str) -> bytes:
        return f"id: {self._epoch}-{number}\nevent: {kind}\ndata: {data}\n\n".encode()
