"""The enrolled workers: which are there, and what each has under way."""

from __future__ import annotations

import base64
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, replace

from ... import __version__
from ...broker import application, send
from ...config import Config
from ...contracts.fleet import Dispatch, Hello, encode
from ...contracts.orders import ImportOrder, Order, ReleaseOrder
from ...contracts.sealed_link import seal
from ...core.errors import UnreachableError
from ...core.subject import Subject, SubjectKind
from ...records.db import Records
from ...records.fleet import leases, workers
from ...records.fleet.leases import HeldSubject
from ...records.fleet.workers import EnrolledWorker
from ...records.secret_cipher import SecretCipher
from . import lease as lease_
from .files import LeaseFiles
from .lease import Lease

#: A worker that was not heard from for so many seconds is away.
AWAY_SECONDS = 30.0
#: How often the records note that a worker is there, in seconds.
_NOTE_EVERY = 60.0


@dataclass(slots=True)
class _Presence:
    """The last message of a worker, and the last note of it in the records."""

    heard: float
    noted: float = float("-inf")


class Fleet:
    """All workers on other machines, and the leases under which they work."""

    def __init__(self, config: Config, records: Records, cipher: SecretCipher) -> None:
        self.config, self.records, self.cipher = config, records, cipher
        #: The way to the broker; None without one. Its package is not to be imported by two threads
        #: at once.
        self._app = application(config.broker) if config.broker else None
        self._changed = threading.Condition()
        self._known: dict[str, EnrolledWorker] = {}
        self._present: dict[str, _Presence] = {}
        self._leases: dict[str, Lease] = {}
        self._files: dict[str, LeaseFiles] = {}
        #: Leases of an earlier process of the service: subjects that a worker may still work on.
        self._held: dict[str, HeldSubject] = {}
        self._held_until = 0.0

    def start(self) -> None:
        """Begin: what an earlier process of the service left to workers stays theirs for a
        while.
        """
        with self.records.write() as db:
            self._held = leases.take_all(db)
        self._held_until = time.monotonic() + lease_.LEASE_SECONDS
        self.reload()

    def reload(self) -> None:
        """Read the enrolled workers again."""
        found = {one.id: one for one in workers.workers(self.records.reader, self.cipher)}
        with self._changed:
            self._known = found
            gone = [lease for lease in self._leases.values() if lease.worker.id not in found]
            self._changed.notify_all()
        for lease in gone:
            lease.close("was removed")

    # Who is there ------------------------------------------------------------------

    def worker(self, worker_id: str) -> EnrolledWorker | None:
        """Return an enrolled worker, None for an unknown id."""
        return self._known.get(worker_id)

    def heard(self, worker_id: str, hello: Hello) -> None:
        """Note that a worker is there, what it says of itself, and under which leases it works.

        A lease that it began and no longer lists has ended: the worker restarted.
        """
        now, under_way = time.monotonic(), set(hello.leases)
        with self._changed:
            known = self._known.get(worker_id)
            if known is None:
                return
            worker = replace(known, version=hello.version, place=hello.place, slots=hello.slots)
            presence = self._present.setdefault(worker.id, _Presence(now))
            presence.heard = now
            is_due = now - presence.noted > _NOTE_EVERY or worker != known
            lost = [
                lease
                for lease in self._leases.values()
                if lease.worker.id == worker.id and lease.is_begun and lease.id not in under_way
            ]
            self._known[worker.id] = worker
            for lease_id, held_by in list(self._held.items()):
                if held_by.worker == worker.id and lease_id not in under_way:
                    del self._held[lease_id]
            self._changed.notify_all()
        for lease in lost:
            lease.close("restarted")
        if is_due:
            with self.records.write() as db:
                workers.seen(db, worker.id, worker.version, worker.place, worker.slots)
            presence.noted = now

    def is_there(self, worker: EnrolledWorker) -> bool:
        """Return whether a worker was heard from a short while ago."""
        presence = self._present.get(worker.id)
        return presence is not None and time.monotonic() - presence.heard < AWAY_SECONDS

    def takes_orders(self, worker: EnrolledWorker) -> bool:
        """Return whether a worker gets orders: it is there, does not drain, and is of this
        version.
        """
        return self.is_there(worker) and not worker.drains and worker.version == __version__

    def slots(self, queue: str) -> int:
        """Return how many tasks of a queue run at the same time; at least one, which then says why
        it could not.
        """
        with self._changed:
            known = list(self._known.values())
        return max(1, sum(w.slots for w in known if w.queue == queue and self.takes_orders(w)))

    def under_way(self, worker: EnrolledWorker) -> list[Lease]:
        """Return the leases of a worker."""
        with self._changed:
            return [lease for lease in self._leases.values() if lease.worker.id == worker.id]

    def send(self, worker: EnrolledWorker, dispatch: Dispatch) -> None:
        """Send an order to a worker. Raises ``UnreachableError`` if the broker does not take it."""
        if self._app is None:
            raise UnreachableError(
                "The service has no broker.", "Set its address (FASCICULUS_BROKER)."
            )
        sealed = seal(worker.key, "order", encode(dispatch))
        send(self._app, worker.id, base64.b64encode(sealed).decode())

    # Leases ------------------------------------------------------------------------

    def offer(
        self, queue: str, order: Order, seconds: float, is_cancelled: Callable[[], bool]
    ) -> Lease | None:
        """Return a lease for the worker of a queue with the most room, when there is one; None if
        no worker is there for so many seconds, or if the task is cancelled meanwhile.
        """
        deadline = time.monotonic() + seconds
        with self._changed:
            while True:
                able = [
                    w for w in self._known.values() if w.queue == queue and self.takes_orders(w)
                ]
                if able:
                    deadline = time.monotonic() + seconds
                free = {w.id: w.slots - self._load(w) for w in able}
                best = max(able, key=lambda w: free[w.id], default=None)
                if best is not None and free[best.id] > 0:
                    lease = Lease(best, order)
                    self._leases[lease.id] = lease
                    self._files[lease.id] = LeaseFiles(self.config, lease)
                    break
                if time.monotonic() >= deadline or is_cancelled():
                    return None
                self._changed.wait(1.0)
        with self.records.write() as db:
            leases.add(db, lease.id, lease.worker.id, subject_of(order))
        return lease

    def _load(self, worker: EnrolledWorker) -> int:
        return sum(lease.worker.id == worker.id for lease in self._leases.values())

    def lease(self, worker: EnrolledWorker, lease_id: str) -> Lease | None:
        """Return a lease of a worker, None for any other."""
        lease = self._leases.get(lease_id)
        return lease if lease is not None and lease.worker.id == worker.id else None

    def files(self, lease: Lease) -> LeaseFiles:
        """Return the files of a lease."""
        return self._files[lease.id]

    def forget(self, lease: Lease) -> None:
        """Forget a lease that is over."""
        lease.close()
        with self._changed:
            self._leases.pop(lease.id, None)
            files = self._files.pop(lease.id, None)
            self._changed.notify_all()
        if files is not None:
            files.clear()
        with self.records.write() as db:
            leases.remove(db, lease.id)

    def wait_until_free(self, subject: Subject) -> None:
        """Wait until no worker can still work on a subject under a lease of an earlier process."""
        with self._changed:
            while any(held.subject == subject for held in self._held.values()):
                left = self._held_until - time.monotonic()
                if left <= 0:
                    self._held.clear()
                    return
                self._changed.wait(left)


def subject_of(order: Order) -> Subject:
    """Return the subject of an order; that of work on a whole store is the store."""
    if isinstance(order, ReleaseOrder):
        return Subject(SubjectKind.HOST, order.host.name)
    if isinstance(order, ImportOrder):
        return Subject(SubjectKind.STORE, order.store.name)
    return order.subject.ref()
