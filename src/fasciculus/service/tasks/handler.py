"""The protocol of handlers: one for each type of task."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Callable
from contextlib import AbstractContextManager
from datetime import UTC, datetime
from pathlib import Path
from typing import Generic, Protocol, TypeVar

from ...config import Config
from ...contracts.artifacts import Artifact
from ...contracts.events import Event, Log
from ...contracts.orders import Order
from ...contracts.results import AnyResult
from ...core.subject import Subject
from ...models import LogLine, Restore
from ...records.db import Records
from ...records.runs import log_lines
from ...records.secret_cipher import SecretCipher
from ..event_stream import EventStream
from .orders.connections import OrderInputs
from .queued import QueuedTask

T = TypeVar("T", bound=QueuedTask)


class Reports(Protocol):
    """Writes messages about tasks that have ended, in the transaction that ends them."""

    def maintenance(self, db: sqlite3.Connection, number: int) -> None:
        """Report on a maintenance task, if it found or repaired damage."""

    def restore(self, db: sqlite3.Connection, row: Restore) -> None:
        """Report on a restore or an undo."""


class Handler(Protocol[T]):
    """Begins, records, shows and ends the tasks of one type."""

    #: What a cancelled task came to, and what is to be said of an interrupted one.
    cancelled: str
    aftermath: str

    def transaction(self) -> AbstractContextManager[object]:
        """Provide a transaction of the records for several writes."""

    def begin(self, task: T) -> Order:
        """Record that it runs, and write its order. Raises ``FasciculusError``."""

    def take(self, task: T, event: Event) -> None:
        """Write an event to the records."""

    def show(self, task: T) -> None:
        """Tell those who look how far it is."""

    def after_failure(self, task: T, carry_out: Callable[[Order], AnyResult | None]) -> None:
        """Clean up on the host after a worker that ended unexpectedly; ``carry_out`` runs
        an order and gives its result.
        """

    def again(self, task: T, result: AnyResult) -> datetime | None:
        """Return the time of the retry after this result; None for never. Records that it
        waits.
        """

    def resumes(self, task: T) -> bool:
        """Return whether a task left waiting by an earlier service process stays queued."""

    def endings(self, task: T, result: AnyResult) -> list[Callable[[], None]]:
        """Return the writes that end it, each of which may be repeated."""

    def clear(self, task: T) -> None:
        """Remove what it left on this machine."""

    def unfinished(self) -> list[T]:
        """Return what the records call queued or running."""


class HandlerBase(Generic[T]):
    """The base of handlers."""

    #: Has a copy read through whole that was found damaged: store, subject, bundle, by what.
    verify: Callable[[str, Subject, str, str], None]

    #: Brings what a task left, by its worker, to its place.
    collect: Callable[[Artifact, Path], bool]

    reports: Reports
    #: Called when something may wait in the outbox.
    on_reported: Callable[[], None]

    def __init__(
        self, config: Config, records: Records, cipher: SecretCipher, events: EventStream
    ) -> None:
        self._config, self._records, self._cipher, self._events = config, records, cipher, events

    def transaction(self) -> AbstractContextManager[object]:
        """Provide a transaction of the records for several writes."""
        return self._records.write()

    def _sources(self) -> OrderInputs:
        return OrderInputs(self._config, self._records.reader, self._cipher)

    def _log(self, task: T, event: Log, owner: str, number: int) -> None:
        """Write a line to the log of a run, a restore or maintenance, and show it."""
        subject = task.subject.name
        with self._records.write() as db:
            line = log_lines.add(db, owner, number, event.level, event.text, subject)
        shown = LogLine(
            id=line, at=datetime.now(UTC), level=event.level, subject=subject, text=event.text
        )
        run = number if owner == "run" else None
        data = {"run": None, owner: number, **json.loads(shown.model_dump_json())}
        self._events.tell("log", data, run, task.subject)

    def _verify_damaged(self, task: T, started_by: str) -> None:
        """Have the copies verified that a task found damaged, so that they are repaired."""
        while task.damaged:
            store, bundle = task.damaged.pop()
            self.verify(store, task.subject, bundle, started_by)

    def after_failure(self, task: T, carry_out: Callable[[Order], AnyResult | None]) -> None:
        """Nothing to clear up on the host."""

    def again(self, task: T, result: AnyResult) -> datetime | None:
        """Its caller asks again."""
        return None

    def resumes(self, task: T) -> bool:
        """Its caller has continued meanwhile."""
        return False
