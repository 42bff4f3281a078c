"""Maintenance of copies: verifying, mending, repacking, one piece of work at a time beside the
tasks of runs."""

from __future__ import annotations

import json
import logging
import shutil
import sqlite3
import threading
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from math import ceil
from pathlib import Path
from typing import Any

from ...config import Config
from ...core.errors import FasciculusError, SettingError
from ...models import LogLine, MaintenanceTask
from ...records import (
    bundles,
    maintenance,
    runs,
    stores,
)
from ...records.db import Records
from ...records.encryption import SecretCipher
from ...records.paging import PageRequest
from ...worker.events import (
    CopyRepacked,
    CopyVerified,
    DamageCleared,
    DamageFound,
    Event,
    Finished,
    Log,
    Progress,
)
from ...worker.orders import Order
from ..event_stream import EventStream
from . import orders
from .dispatcher import Dispatcher
from .worker_process import Worker

log = logging.getLogger(__name__)

_GRACE = 45.0
_HOURS_A_DAY = 24
_BACKGROUND = "the background"


class Caretaker:
    """Maintenance from queued to ended. Verifying goes on beside runs; mending and repacking hold
    their subject."""

    def __init__(
        self,
        config: Config,
        records: Records,
        cipher: SecretCipher,
        events: EventStream,
        dispatcher: Dispatcher,
        report: Callable[[sqlite3.Connection, int], None],
        reported: Callable[[], None],
    ) -> None:
        self._config, self._records, self._cipher, self._events = config, records, cipher, events
        self._dispatcher, self._report, self._reported = dispatcher, report, reported
        self._changed = threading.Condition()
        self._waiting: list[int] = []
        self._going: tuple[int, Worker] | None = None
        self._live: Progress | None = None
        self._closing = False
        self._thread = threading.Thread(target=self._loop, name="caretaker", daemon=True)

    def start(self) -> None:
        """Put right what an earlier life left, then begin."""
        left = maintenance.unfinished(self._records.reader)
        with self._records.write() as db:
            for number in left:
                maintenance.end(
                    db,
                    number,
                    "interrupted",
                    "The service was stopped while this went on. Copies are as "
                    "whole as before; start it again.",
                )
                self._report(db, number)
        self._reported()
        for number in left:
            work = maintenance.task(self._records.reader, number)
            if work.kind == "verify":
                self._mend(work)
        for folder in self._under_way.glob("maintenance-*"):
            shutil.rmtree(folder, ignore_errors=True)
        self._thread.start()

    def stop(self) -> None:
        with self._changed:
            self._closing = True
            going = self._going
            self._changed.notify_all()
        if going is not None:
            going[1].cancel()
            self._thread.join(_GRACE)
            going[1].kill()

    @property
    def _under_way(self) -> Path:
        return self._config.listings / "under-way"

    # Starting and cancelling ------------------------------------------------------

    def begin(
        self,
        kind: str,
        store: str,
        started_by: str,
        subject: str = "",
        bundle: int | None = None,
        **options: Any,
    ) -> list[int]:
        """Queue maintenance of each subject with copies on a store, or of one; gives the
        numbers.
        """
        with self._records.write() as db:
            stores.store(db, self._cipher, store)
            name = ""
            subjects = maintenance.subjects_on(db, store, subject)
            if bundle is not None:
                found = bundles.bundle(db, bundle)
                if store not in [copy.store for copy in found.copies]:
                    raise SettingError(
                        f"There is no copy of {found.name} on “{store}”.",
                        "Name another store.",
                        field="bundle",
                    )
                name, subjects = found.name, [(found.subject_kind, found.subject)]
            if kind == "mend":
                subjects = [row for row in subjects if maintenance.damaged_files(db, row, [store])]
                if not subjects:
                    raise SettingError(
                        f"Nothing on store “{store}” is known to be damaged.",
                        "Verify it first: fasciculus stores verify.",
                        field="subject",
                    )
            if not subjects:
                whose = f" of “{subject}”" if subject else ""
                raise SettingError(
                    f"There are no copies{whose} on store “{store}”.",
                    "Start a job that writes there.",
                    field="subject" if subject else None,
                )
            # Asked for twice, it is done once: what waits or goes on already is the answer.
            known = [maintenance.pending(db, kind, store, row, options, name) for row in subjects]
            new = [
                maintenance.add(db, kind, store, row, options, started_by, name)
                for row, number in zip(subjects, known, strict=True)
                if number is None
            ]
            numbers = sorted([*filter(None, known), *new])
        with self._changed:
            self._waiting += new
            self._changed.notify_all()
        self._events.changed("maintenance")
        return numbers

    def cancel(self, number: int) -> None:
        with self._changed:
            waited = number in self._waiting
            if waited:
                self._waiting.remove(number)
            going = self._going
        if waited:
            self._end(number, Finished("cancelled", "Cancelled before it began."))
        elif going is not None and going[0] == number:
            going[1].cancel()

    def verify_some(self) -> None:
        """Queue what of each store was not read through for longer than its setting says, a few an
        hour, so that the reading is spread over the whole time."""
        now = datetime.now(UTC)
        for store in stores.stores(
            self._records.reader, self._cipher, PageRequest(limit=10_000)
        ).items:
            if not store.verify_days:
                continue
            read = maintenance.last_read(self._records.reader, store.name)
            due = sorted(
                (moment, subject)
                for subject, moment in read.items()
                if now - datetime.fromisoformat(moment) >= timedelta(days=store.verify_days)
            )
            for _, (_, subject) in due[: ceil(len(read) / (store.verify_days * _HOURS_A_DAY))]:
                try:
                    self.begin("verify", store.name, _BACKGROUND, subject, deep=True)
                except FasciculusError as error:
                    log.warning("store %s: %s", store.name, error.sentence())

    # Carrying out -------------------------------------------------------------------

    def _loop(self) -> None:
        while True:
            with self._changed:
                picked = None
                while not self._closing and (picked := self._pick()) is None:
                    # Runs end without telling here: look again after a while.
                    self._changed.wait(1.0 if self._waiting else None)
                if picked is None:
                    return
                work, worker = picked, Worker(f"maintenance {picked.id}")
                self._waiting.remove(work.id)
                self._going = (work.id, worker)
            finished = Finished("failed", "The worker gave no answer.")
            try:
                finished = self._carry_out(work, worker)
            except FasciculusError as error:
                finished = Finished("failed", error.sentence())
            except Exception as error:
                log.exception("maintenance %s", work.id)
                finished = Finished("failed", f"Unexpected: {type(error).__name__}: {error}.")
            finally:
                if work.kind != "verify":
                    self._dispatcher.free((work.subject_kind, work.subject))
                with self._changed:
                    self._going, self._live = None, None
                self._end(work.id, finished)

    def _pick(self) -> MaintenanceTask | None:
        for number in self._waiting:
            work = maintenance.task(self._records.reader, number)
            if work.kind == "verify" or self._dispatcher.reserve((work.subject_kind, work.subject)):
                return work
        return None

    def _carry_out(self, work: MaintenanceTask, worker: Worker) -> Finished:
        with self._records.write() as db:
            maintenance.begin(db, work.id)
        self._tell(work.id)
        order = self._order(work)
        try:
            ended = worker.run(order, lambda event: self._take(work, event))
        finally:
            shutil.rmtree(self._spool(work), ignore_errors=True)
            shutil.rmtree(self._under_way / f"maintenance-{work.id}", ignore_errors=True)
        if isinstance(ended, Finished):
            return ended
        if worker.cancelled:
            return Finished("cancelled", "Cancelled; every copy is as whole as before.")
        return Finished(
            "interrupted",
            "The worker ended unexpectedly. Every copy is as whole as before; start it again.",
        )

    def _spool(self, work: MaintenanceTask) -> str:
        return str(self._config.spool / f"maintenance-{work.id}")

    def _order(self, work: MaintenanceTask) -> Order:
        db = self._records.reader
        return orders.maintenance_order(
            db,
            self._cipher,
            self._config,
            work,
            maintenance.options(db, work.id),
            self._spool(work),
            str(self._under_way / f"maintenance-{work.id}"),
        )

    # Events -------------------------------------------------------------------------

    def _take(self, work: MaintenanceTask, event: Event) -> None:
        subject = (work.subject_kind, work.subject)
        match event:
            case Progress():
                self._live = event
                self._tell(work.id)
            case Log():
                self._log(work, event.level, event.text)
            case DamageFound():
                with self._records.write() as db:
                    maintenance.found_damage(
                        db,
                        work.store,
                        subject,
                        event.file,
                        event.reason,
                        event.bundles,
                        event.files,
                        event.harmed,
                    )
                    # A run beside this may have retired what it harms.
                    maintenance.drop_of_retired(db, subject)
            case DamageCleared():
                with self._records.write() as db:
                    maintenance.is_sound(db, work.store, subject, event.file)
            case CopyVerified():
                with self._records.write() as db:
                    maintenance.verified(db, work.store, subject, event.bundle, event.deep)
            case CopyRepacked():
                self._repacked(work, subject, event)

    def _repacked(
        self, work: MaintenanceTask, subject: tuple[str, str], event: CopyRepacked
    ) -> None:
        """Note that a copy's bytes lie elsewhere, and keep the listing that says where."""
        with self._records.write() as db:
            alike = maintenance.repacked(db, work.store, subject, event.bundle, event.manifest)
            maintenance.weigh(db, work.store, subject)
        own = self._config.listing(*subject, f"{event.bundle}@{work.store}")
        target = self._config.listing(*subject, event.bundle) if alike else own
        made = self._under_way / f"maintenance-{work.id}" / f"{event.bundle}.zst"
        if alike:
            for other in own.parent.glob(f"{event.bundle}@*.zst"):
                other.unlink()
        if made.exists():
            target.parent.mkdir(parents=True, exist_ok=True)
            made.rename(target)
        else:
            # It is fetched from the store when somebody asks for it.
            target.unlink(missing_ok=True)

    def _log(self, work: MaintenanceTask, level: str, text: str) -> None:
        with self._records.write() as db:
            number = runs.log(db, level, text, maintenance_id=work.id, subject=work.subject)
        line = LogLine(
            id=number, at=datetime.now(UTC), level=level, subject=work.subject, text=text
        )
        self._events.tell(
            "log", {"run": None, "maintenance": work.id, **json.loads(line.model_dump_json())}
        )

    def _end(self, number: int, finished: Finished) -> None:
        work = maintenance.task(self._records.reader, number)
        if work.kind == "verify" and finished.outcome in ("warned", "interrupted"):
            # Before this one counts as ended: whoever waits for it looks for its mending then.
            self._mend(work)
        with self._records.write() as db:
            maintenance.end(
                db,
                number,
                finished.outcome,
                finished.error,
                finished.entries,
                finished.bytes,
                finished.manifest,
            )
            # With its end: whatever happens in between, people are told of damage, and once.
            self._report(db, number)
        self._reported()
        self._tell(number)
        self._events.changed("stores")

    def _mend(self, work: MaintenanceTask) -> None:
        """Damage is mended at once where another store has copies."""
        db, subject = self._records.reader, (work.subject_kind, work.subject)
        if any(
            maintenance.helpers(db, work.store, subject, file)
            for file in maintenance.damaged_files(db, subject, [work.store])
        ):
            try:
                self.begin("mend", work.store, f"maintenance {work.id}", work.subject)
            except FasciculusError as error:
                log.warning("maintenance %s: %s", work.id, error.sentence())

    # Telling ------------------------------------------------------------------------

    def enrich(self, work: MaintenanceTask) -> MaintenanceTask:
        """Add the live numbers to what goes on."""
        live, going = self._live, self._going
        if going is not None and going[0] == work.id and live is not None:
            work.stage, work.entries, work.bytes, work.total = (
                live.stage,
                live.entries,
                live.bytes,
                live.total,
            )
        return work

    def _tell(self, number: int) -> None:
        self._events.tell(
            "maintenance", self.enrich(maintenance.task(self._records.reader, number))
        )
