"""The interface of tasks: start a run, a restore, maintenance; cancel them."""

from __future__ import annotations

import logging
import os
import shutil
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from math import ceil

from ...config import Config
from ...core.errors import FasciculusError
from ...core.restore.restore_kind import RestoreKind
from ...core.subject import Subject
from ...models import JobInput, MaintenanceTask, Restore, Task
from ...records import transfers
from ...records.bundles import bundles
from ...records.db import Records
from ...records.paging import PageRequest
from ...records.runs import maintenance, restores
from ...records.runs.maintenance import MaintenanceOptions
from ...records.runs.runs import RunOptions
from ...records.secret_cipher import SecretCipher
from ...records.stores import stores
from ...worker.pool import Workers
from .. import outside
from ..event_stream import EventStream
from ..stores.store_work import check_store
from . import backups as backups_
from . import maintenance as maintenance_
from . import restores as restores_
from .backups import BackupHandler, RunStart
from .handler import Reports
from .maintenance import MaintenanceHandler
from .orders.connections import OrderInputs, store_order
from .orders.retiring import StoreCredentials
from .queue import Paused
from .queued import QueuedBackup, QueuedMaintenance, QueuedRestore
from .restores import RestoreHandler
from .runner import TaskRunner

log = logging.getLogger(__name__)

_HOURS_A_DAY = 24
_TRANSFERS = 3
#: Tasks on other machines at the same time, at most.
_ELSEWHERE = 128
_BACKGROUND = "the background"
_ALL = PageRequest(limit=10_000)


class Tasks:
    """All tasks of a service."""

    def __init__(
        self,
        config: Config,
        records: Records,
        cipher: SecretCipher,
        events: EventStream,
        workers: Workers,
        on_run_ended: Callable[[int], None],
        on_started_by_hand: Callable[[JobInput], None],
        reports: Reports,
        on_reported: Callable[[], None],
        slots: Callable[[str], int],
    ) -> None:
        self._config, self._records, self._cipher = config, records, cipher
        self._backups = BackupHandler(config, records, cipher, events)
        self._restores = RestoreHandler(config, records, cipher, events)
        self._maintenance = MaintenanceHandler(config, records, cipher, events)
        for handler in (self._backups, self._restores, self._maintenance):
            handler.verify, handler.collect = self.verify_copy, workers.collect
            handler.reports, handler.on_reported = reports, on_reported
        self._backups.on_run_ended = on_run_ended
        self._on_started_by_hand = on_started_by_hand
        self._maintenance.enqueue = lambda tasks: self._runner.add(tasks)
        self._runner = TaskRunner(
            workers,
            {
                QueuedBackup: self._backups,
                QueuedRestore: self._restores,
                QueuedMaintenance: self._maintenance,
            },
            {
                "work": config.workers or os.cpu_count() or 1,
                "maintenance": 1,
                "transfer": _TRANSFERS,
            },
            slots,
            _ELSEWHERE if config.broker else 0,
        )

    # Starting and stopping -------------------------------------------------------

    def start(self) -> None:
        """End what an earlier life left, sweep what it left on this machine, begin to work."""
        self._sweep()
        self._backups.end_empty_runs()
        self._runner.start()

    def _sweep(self) -> None:
        for folder in (self._config.spool, self._config.under_way):
            for path in folder.glob("*-*"):
                if path.is_dir():
                    shutil.rmtree(path, ignore_errors=True)
                else:
                    path.unlink(missing_ok=True)

    def stop(self) -> None:
        """Stop working."""
        self._runner.stop()

    @property
    def alive(self) -> bool:
        """Return whether the runner works."""
        return self._runner.alive

    def busy(self) -> set[Subject]:
        """Return the subjects of which something is queued or running."""
        return self._runner.busy()

    # Runs ------------------------------------------------------------------------

    def start_run(self, start: RunStart, options: RunOptions = RunOptions()) -> int:
        """Queue a run of a job. Returns its number; the same key has the same run."""
        run_id, tasks = self._backups.queue_run(start, options)
        self._runner.add(tasks)
        if tasks and start.by_timetable:
            self._cancel_earlier(tasks[0])
        elif tasks and tasks[0].job is not None:
            self._on_started_by_hand(tasks[0].job)
        return run_id

    def _cancel_earlier(self, new: QueuedBackup) -> None:
        """Cancel earlier runs of a job that says so; tasks of the new one wait for their end."""
        if new.job is not None and new.job.starting.overlap == "cancel":
            self._runner.cancel(lambda task: task.job_name == new.job_name and task.turn < new.run)

    def pause(self, paused: Paused) -> None:
        """Say which jobs begin no task from now on; what runs goes on."""
        self._runner.pause(paused)

    def cancel_run(self, run_id: int) -> None:
        """Cancel a run."""
        self._runner.cancel(lambda task: isinstance(task, QueuedBackup) and task.run == run_id)

    def with_progress(self, task: Task) -> Task:
        """Return a task of a run with its live numbers, while it runs."""
        live = self._runner.progress_of((QueuedBackup.__name__, task.id))
        if live is not None and task.state == "running":
            backups_.with_progress(task, live)
        return task

    # Restores ----------------------------------------------------------------------

    def start_restore(self, restore: Restore) -> None:
        """Queue a restore that the records know already."""
        self._runner.add([self._restores.queued(restore)])

    def drop_expired(self) -> None:
        """Remove what restores in place have set aside for longer than the setting says."""
        if not self._config.set_aside_days:
            return
        oldest = datetime.now(UTC) - timedelta(days=self._config.set_aside_days)
        for row in restores.expired(self._records.reader, oldest):
            with self._records.write() as db:
                number = restores.add_later_step(db, row, RestoreKind.DROP, _BACKGROUND)
            self.start_restore(restores.restore(self._records.reader, number))

    def cancel_restore(self, restore_id: int) -> None:
        """Cancel a restore."""
        self._runner.cancel(
            lambda task: isinstance(task, QueuedRestore) and task.number == restore_id
        )

    def restore_with_progress(self, restore: Restore) -> Restore:
        """Return a restore with its live numbers, while it runs."""
        live = self._runner.progress_of((QueuedRestore.__name__, restore.id))
        if live is not None and restore.state == "running":
            restores_.with_progress(restore, live)
        return restore

    # Maintenance -------------------------------------------------------------------

    def start_maintenance(
        self,
        kind: str,
        store: str,
        started_by: str,
        subject: str = "",
        bundle: int | None = None,
        options: MaintenanceOptions = MaintenanceOptions(),
        credentials: StoreCredentials | None = None,
    ) -> list[int]:
        """Queue maintenance of each subject with copies on a store, or of one; retiring needs
        separate credentials.

        Returns the numbers of the tasks, be they new or waiting already.
        """
        numbers, tasks = self._maintenance.queue(
            kind, store, started_by, subject, bundle, options, credentials
        )
        self._runner.add(tasks)
        return numbers

    def verify_copy(self, store: str, subject: Subject, bundle: str, started_by: str) -> None:
        """Deep verify a copy that was found damaged, so that the damage is recorded, reported and
        repaired. Without ``bundle`` it is all of the subject's on that store.
        """
        number = bundles.number(self._records.reader, subject, bundle) if bundle else None
        if bundle and number is None:
            return
        try:
            deep = MaintenanceOptions(deep=True)
            self.start_maintenance("verify", store, started_by, subject.name, number, deep)
        except FasciculusError as error:
            log.info("store %s, %s: %s", store, subject.name, error.sentence())

    def cancel_maintenance(self, number: int) -> None:
        """Cancel a maintenance task."""
        self._runner.cancel(
            lambda task: isinstance(task, QueuedMaintenance) and task.number == number
        )

    def maintenance_with_progress(self, task: MaintenanceTask) -> MaintenanceTask:
        """Return a maintenance task with its live numbers, while it runs."""
        live = self._runner.progress_of((QueuedMaintenance.__name__, task.id))
        if live is not None and task.state == "running":
            maintenance_.with_progress(task, live)
        return task

    def catch_up(self) -> None:
        """Bring to each store what it missed, as far as it can be reached and others have it."""
        for name in transfers.lagging(self._records.reader):
            sources = OrderInputs(self._config, self._records.reader, self._cipher)
            order = store_order(sources, name)
            try:
                outside.call(check_store, order)
                self.start_maintenance("transfer", name, _BACKGROUND)
            except (FasciculusError, OSError) as error:
                # It is away still: what it lacks is shown, and it is tried again in an hour.
                log.info("store %s lags behind: %s", name, error)

    def verify_due(self) -> None:
        """Queue what of each store was not read through for longer than its setting says.

        Only a few an hour, so that the reading is spread over the whole time.
        """
        now = datetime.now(UTC)
        for store in stores.stores(self._records.reader, self._cipher, _ALL).items:
            if not store.verify_days:
                continue
            read = maintenance.last_read(self._records.reader, store.name)
            oldest = timedelta(days=store.verify_days)
            due = sorted(
                (moment, subject)
                for subject, moment in read.items()
                if now - datetime.fromisoformat(moment) >= oldest
            )
            for _, (_, subject) in due[: ceil(len(read) / (store.verify_days * _HOURS_A_DAY))]:
                try:
                    deep = MaintenanceOptions(deep=True)
                    self.start_maintenance("verify", store.name, _BACKGROUND, subject, options=deep)
                except FasciculusError as error:
                    log.warning("store %s: %s", store.name, error.sentence())
