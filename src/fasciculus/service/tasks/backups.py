"""Tasks of runs: one bundle of one subject each."""

from __future__ import annotations

import json
import logging
import shutil
from collections.abc import Callable

from ...core.errors import FasciculusError, SettingError
from ...hosts import KINDS as HOST_KINDS
from ...models import JobInput, Task
from ...records import bundles, inventory, jobs, runs, store_days, stores
from ...worker.events import CopyResult, CopyRetired, Event, Log, StoreSeen
from ...worker.orders import Order, ReleaseOrder
from ...worker.results import AnyResult, BackupResult
from .handler import HandlerBase
from .orders.backup import backup_order
from .progress import TaskProgress
from .queued import QueuedBackup

log = logging.getLogger(__name__)


class AlreadyRunningError(FasciculusError):
    """A job's previous run has not ended."""

    def __init__(self, job: str, run_id: int) -> None:
        super().__init__(
            f"Job “{job}” is running already, as run {run_id}.",
            f"Follow it (fasciculus runs follow {run_id}), or cancel it first.",
        )
        self.run_id = run_id


class BackupHandler(HandlerBase[QueuedBackup]):
    """Starts runs, and begins, records, shows and ends their tasks."""

    cancelled = "Cancelled. No bundle was made."
    aftermath = "No bundle was made; the next run clears up after it."

    #: Called with the number of a run whose last task has ended.
    on_run_ended: Callable[[int], None]

    # Starting ------------------------------------------------------------------

    def queue_run(
        self,
        name: str,
        started_by: str,
        key: str | None = None,
        options: runs.RunOptions = runs.RunOptions(),
    ) -> tuple[int, list[QueuedBackup]]:
        """A queued run of a job and its tasks; the same idempotency key has the same run."""
        with self._records.write() as db:
            if key and (known := runs.by_key(db, key)):
                return known, []
            job = jobs.job(db, name)
            if running := runs.active(db, name):
                raise AlreadyRunningError(name, running)
            kind = job.subjects[:-1]
            subjects = [(kind, subject) for subject in jobs.covers(db, job)]
            if not subjects:
                raise SettingError(
                    f"Job “{name}” covers nothing.",
                    "Add an account, or change what the job covers.",
                )
            run_id = runs.add(db, job, started_by, subjects, key, options)
            for name in jobs.gone_subjects(db, job):
                runs.log(db, "run", run_id, "warning", f"{kind} {name} is gone: left out")
            hosts = inventory.hosts_of(db, kind)
            tasks = [
                self._queued(run_id, job, task.id, (kind, task.subject), hosts.get(task.subject))
                for task in runs.tasks(db, run_id)
            ]
        self._show_run(run_id)
        return run_id, tasks

    @staticmethod
    def _queued(
        run_id: int,
        job: JobInput,
        number: int,
        subject: tuple[str, str],
        host: inventory.SubjectHost | None,
    ) -> QueuedBackup:
        at_once = host.at_once or HOST_KINDS.get(host.kind).at_once if host else 0
        return QueuedBackup(
            number=number,
            subject=subject,
            run=run_id,
            job=job,
            host=host.name if host else "",
            at_once=at_once,
        )

    def begin(self, task: QueuedBackup) -> Order:
        with self._records.write() as db:
            runs.begin(db, task.run)
            runs.begin_task(db, task.number)
        db = self._records.reader
        task.shown = runs.task(db, task.number)
        self._show_run(task.run)
        self.show(task)
        assert task.job is not None
        order = backup_order(self._sources(), task.job, task.run, task.number, *task.subject)
        last = bundles.newest(db, *task.subject, task.job.name)
        task.order, task.previous = order, last["name"] if last else ""
        task.store_ids = stores.store_ids(db)
        return order

    # Events --------------------------------------------------------------------

    def take(self, task: QueuedBackup, event: Event) -> None:
        match event:
            case Log():
                self._log(task, event, "run", task.run)
            case CopyResult():
                if not event.error:
                    task.good_stores.append(event.store)
                with self._records.write() as db:
                    runs.copied(db, task.number, event.store, event.error, event.kept)
            case CopyRetired():
                self._retired(task, event)
            case StoreSeen():
                with self._records.write() as db:
                    store_days.seen(db, event.store, event.sent, event.received, event.free)

    def _retired(self, task: QueuedBackup, event: CopyRetired) -> None:
        with self._records.write() as db:
            runs.retired(db, task.number, event.store)
            bundles.retire(db, *task.subject, event.bundle, event.store)
            gone = not bundles.exists(db, *task.subject, event.bundle)
        config = self._config
        names = [f"{event.bundle}@{event.store}", *([event.bundle] if gone else [])]
        for name in names:
            for place in (config.listing, config.manifest, config.states):
                place(*task.subject, name).unlink(missing_ok=True)

    def after_failure(self, task: QueuedBackup, carry_out: Callable[[Order], None]) -> None:
        """A hold page must not outlive the task that set it, also when its worker was killed."""
        order = task.order
        if order is not None and order.hold_flags:
            carry_out(ReleaseOrder(host=order.host, hold_flags=order.hold_flags, spool=order.spool))

    # Ending --------------------------------------------------------------------

    def endings(self, task: QueuedBackup, result: AnyResult) -> list[Callable[[], None]]:
        return [lambda: self._end(task, result), lambda: self._end_run(task)]

    def _end(self, task: QueuedBackup, result: AnyResult) -> None:
        made = result if isinstance(result, BackupResult) else None
        with self._records.write() as db:
            runs.end_task(db, task.number, result.outcome, result.error, made)
            if made is not None and task.order is not None:
                bundles.add(
                    db,
                    subject_kind=task.subject[0],
                    subject=task.subject[1],
                    job=task.order.job,
                    host=task.order.subject.host,
                    run_id=task.run,
                    result=made,
                    store_ids=[
                        task.store_ids[name] for name in task.good_stores if name in task.store_ids
                    ],
                )
        if made is not None:
            self._keep_listing(task, made.bundle)
            self._events.changed("bundles")
        task.shown = runs.task(self._records.reader, task.number)
        self.show(task)

    def _keep_listing(self, task: QueuedBackup, bundle: str) -> None:
        """Put listing, manifest, and the stat cache of its files where they are looked for."""
        config = self._config
        target = config.listing(*task.subject, bundle)
        target.parent.mkdir(parents=True, exist_ok=True)
        places = {
            "zst": target,
            "json": config.manifest(*task.subject, bundle),
            "states": config.states(*task.subject, bundle),
        }
        for suffix, place in places.items():
            source = config.under_way / f"task-{task.number}.{suffix}"
            if source.exists():
                source.rename(place)
        # The next bundle builds on this one: the stat cache of the previous is of no use any more.
        if task.previous:
            config.states(*task.subject, task.previous).unlink(missing_ok=True)

    def _end_run(self, task: QueuedBackup) -> None:
        if not runs.tasks_left(self._records.reader, task.run):
            self.on_run_ended(task.run)
        self._show_run(task.run)

    def clear(self, task: QueuedBackup) -> None:
        shutil.rmtree(self._config.spool / f"task-{task.number}", ignore_errors=True)

    # Showing -------------------------------------------------------------------

    def show(self, task: QueuedBackup) -> None:
        if task.shown is None:
            return
        if task.progress is not None and task.shown.state == "running":
            with_progress(task.shown, task.progress)
        data = {"run": task.run, "task": json.loads(task.shown.model_dump_json())}
        self._events.tell("task", data, run=task.run)

    def _show_run(self, run_id: int) -> None:
        self._events.tell("run", runs.summary(self._records.reader, run_id), run=run_id)

    # Recovering ----------------------------------------------------------------

    def unfinished(self) -> list[QueuedBackup]:
        db = self._records.reader
        found: list[QueuedBackup] = []
        of_run: dict[int, JobInput | None] = {}
        for run_id, task in runs.unfinished_tasks(db):
            if run_id not in of_run:
                of_run[run_id] = jobs.find(db, runs.summary(db, run_id).job)
            queued = QueuedBackup(
                number=task.id,
                subject=(task.subject_kind, task.subject),
                run=run_id,
                job=of_run[run_id],
            )
            if task.state == "running":
                self._remember_holds(queued)
            found.append(queued)
        return found

    def _remember_holds(self, task: QueuedBackup) -> None:
        """The hold pages that a task of an earlier life may have set."""
        if task.job is None or not task.job.hold_page:
            return
        try:
            task.order = backup_order(
                self._sources(), task.job, task.run, task.number, *task.subject
            )
        except FasciculusError as error:
            log.warning("task %s: its hold page: %s", task.number, error.sentence())

    def end_empty_runs(self) -> None:
        """End runs whose tasks have all ended, which a crash in between left running."""
        for run_id in runs.unended(self._records.reader):
            if not runs.tasks_left(self._records.reader, run_id):
                self.on_run_ended(run_id)


def with_progress(shown: Task, live: TaskProgress) -> None:
    """Put the live numbers into a task as it is shown."""
    progress = live.progress
    shown.stage, shown.entries, shown.bytes = progress.stage, progress.entries, progress.bytes
    shown.packed, shown.pushed, shown.expected = progress.packed, progress.pushed, progress.total
    shown.rate, shown.remaining = live.rate, live.remaining
