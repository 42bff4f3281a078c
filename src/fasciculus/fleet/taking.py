"""One order under a lease: files come, a worker process carries it out, events and files go."""

from __future__ import annotations

import logging
import os
import secrets
import shutil
import threading
import time
from pathlib import Path

from ..contracts.artifacts import Folders, resolved
from ..contracts.events import Event, Finished, Progress, to_line
from ..contracts.fleet import (
    MOST_DATA,
    Begin,
    Data,
    Dispatch,
    End,
    ListFiles,
    Proceed,
    ReadFile,
    Report,
    ServiceFiles,
    WriteFile,
)
from ..contracts.order_files import files_of
from ..contracts.order_lines import from_line
from ..contracts.orders import BackupOrder, Order
from ..contracts.sealed_secrets import WorkerIdentity
from ..core.errors import FasciculusError
from ..worker.pool import Worker, WorkerPool
from .service_link import LeaseOverError, RefusedByServiceError, ServiceLink, SilentServiceError

log = logging.getLogger(__name__)

#: After this part of the time in which the service waits for a word, the task is killed: afterwards
#: its subject may be another worker's. What is left is for the last question to go unanswered.
_GIVE_UP = 0.6
#: How often the service hears of a task, in seconds.
_REPORT_EVERY = 1.0
_MOST_EVENTS = 500


class Taking:
    """Carries out one order. It ends in any case; reports that cannot be sent are dropped."""

    def __init__(
        self,
        dispatch: Dispatch,
        link: ServiceLink,
        pool: WorkerPool,
        identity: WorkerIdentity,
        folders: Folders,
        threads: int,
    ) -> None:
        self._dispatch, self._lease, self._link, self._pool = dispatch, dispatch.lease, link, pool
        self._identity, self._threads = identity, threads
        # Tasks must not find the files of others.
        self._folders = {
            area: os.path.join(folder, self._lease) for area, folder in folders.items()
        }
        self._events: list[Event] = []
        self._lock = threading.Lock()
        self._worker: Worker | None = None
        self._is_done = threading.Event()
        self._is_cancelled = False
        self._sent = 0
        #: How many of the events were in a message already, whose answer may have been lost.
        self._in_flight = 0
        self._answered, self._patience = time.monotonic(), 0.0

    def run(self) -> None:
        """Carry it out, and tell the service."""
        try:
            proceed = self._link.ask_again(Begin(self._lease, secrets.token_hex(16)), Proceed)
            if proceed.is_cancelled:
                self._link.ask_again(End(self._lease), Proceed)
                return
            self._answered, self._patience = time.monotonic(), proceed.seconds * _GIVE_UP
            order = self._order()
            self._fetch(order)
            self._carry_out(order)
        except LeaseOverError:
            log.info("task %s: the service has ended it", self._lease)
        except (FasciculusError, OSError, ValueError) as error:
            log.warning("task %s: %s", self._lease, error)
            self._end(f"could not go on: {error}"[:200])
        finally:
            if self._worker is not None:
                self._worker.kill()
            for folder in self._folders.values():
                shutil.rmtree(folder, ignore_errors=True)

    def _order(self) -> Order:
        for folder in self._folders.values():
            os.makedirs(folder, mode=0o700)
        order = from_line(self._dispatch.line, self._identity, self._folders)
        if isinstance(order, BackupOrder):
            order.threads = self._threads
        (Path(self._folders["home"]) / "listings" / "under-way").mkdir(parents=True)
        return order

    # Files ---------------------------------------------------------------------------

    def _fetch(self, order: Order) -> None:
        """Bring the files of the service that the task may read."""
        known = files_of(order)
        answer = self._link.ask_again(ListFiles(self._lease), ServiceFiles)
        for row in answer.files:
            if not any(file.has(row.reference) for file in known):
                raise ValueError(f"the order does not name {row.reference}")
            path = Path(resolved(row.reference, self._folders))
            path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
            with path.open("wb") as sink:
                while data := self._read(row.reference, sink.tell()):
                    sink.write(data)

    def _read(self, reference: str, offset: int) -> bytes:
        return self._link.ask_again(ReadFile(self._lease, reference, offset), Data).data

    def _leave(self, order: Order) -> None:
        """Send the files that the task has left."""
        for file in files_of(order):
            if file.is_output:
                for path in file.paths():
                    self._send(path, file.reference_of(path))

    def _send(self, path: Path, reference: str) -> None:
        with path.open("rb") as source:
            offset, data = 0, source.read(MOST_DATA)
            while True:
                following = source.read(MOST_DATA)
                self._link.ask_again(
                    WriteFile(self._lease, reference, offset, data, not following), Proceed
                )
                if not following:
                    return
                offset, data = offset + len(data), following

    # The task ------------------------------------------------------------------------

    def _carry_out(self, order: Order) -> None:
        # However long the files took: nothing begins under a lease that is over.
        self._send_events()
        worker = self._worker = self._pool.start(order)
        reading = threading.Thread(target=self._collect, args=(worker,), daemon=True)
        reading.start()
        while not self._is_done.wait(_REPORT_EVERY):
            self._report(worker)
        reading.join()
        if worker.result is None:
            self._end(worker.ended)
            return
        self._leave(order)
        with self._lock:
            self._events.append(Finished(worker.result))
        self._end()

    def _collect(self, worker: Worker) -> None:
        """Take the events of the worker process, and of progress only the newest."""
        try:
            for event in worker.events():
                with self._lock:
                    if isinstance(event, Progress):
                        unsent = self._events[self._in_flight :]
                        self._events[self._in_flight :] = [
                            row for row in unsent if not isinstance(row, Progress)
                        ]
                    self._events.append(event)
        finally:
            self._is_done.set()

    def _report(self, worker: Worker) -> None:
        """Send what has happened; kill the task if the service was silent for too long."""
        try:
            proceed = self._send_events()
        except SilentServiceError as error:
            if time.monotonic() - self._answered > self._patience:
                log.warning("task %s is killed: %s", self._lease, error)
                worker.kill()
                raise
            return
        if proceed.is_cancelled and not self._is_cancelled:
            self._is_cancelled = True
            log.info("task %s is cancelled", self._lease)
            worker.cancel()

    def _send_events(self) -> Proceed:
        with self._lock:
            batch = self._events[:_MOST_EVENTS]
            self._in_flight = len(batch)
        report = Report(self._lease, self._sent, [to_line(event) for event in batch])
        proceed = self._link.ask(report, Proceed, self._patience / 3)
        self._answered = time.monotonic()
        with self._lock:
            del self._events[: len(batch)]
            self._in_flight = 0
            self._sent += len(batch)
        return proceed

    def _end(self, ended: str = "") -> None:
        """Send the last events, and that it has ended; the service may have to be asked again."""
        until = time.monotonic() + self._patience
        while True:
            try:
                while self._events:
                    self._send_events()
                self._link.ask(End(self._lease, ended[:200]), Proceed)
                return
            except SilentServiceError as error:
                if time.monotonic() > until:
                    log.warning("task %s: its end could not be reported: %s", self._lease, error)
                    return
                time.sleep(0.5)
            except (LeaseOverError, RefusedByServiceError) as error:
                log.info("task %s: %s", self._lease, error)
                return
