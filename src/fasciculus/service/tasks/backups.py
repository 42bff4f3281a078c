"""Tasks of runs: one bundle of one subject each."""

from __future__ import annotations

import json
import logging
import shutil
import sqlite3
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

from ...config import Config
from ...contracts.events import (
    BundleFound,
    CopyResult,
    CopyRetired,
    DamageMet,
    Event,
    Log,
    StoreSeen,
)
from ...contracts.orders import Order, ReleaseOrder
from ...contracts.results import AnyResult, BackupResult, Failure
from ...core.errors import FasciculusError, SettingError
from ...core.formatting import format_count
from ...core.schedule import spread
from ...core.subject import Subject
from ...hosts import KINDS as HOST_KINDS
from ...models import JobInput, Task
from ...records import imports, inventory
from ...records.bundles import bundles, change_alarms
from ...records.db import Records
from ...records.inventory import SubjectHost
from ...records.jobs import jobs, pauses
from ...records.runs import log_lines, maintenance, runs
from ...records.secret_cipher import SecretCipher
from ...records.stores import store_days, stores
from .. import bundle_changes
from ..event_stream import EventStream
from .handler import HandlerBase
from .orders.artifacts import under_way
from .orders.backup import backup_order
from .orders.connections import is_here
from .progress import TaskProgress
from .queued import PRIORITIES, QueuedBackup
from .run_views import RunViews

log = logging.getLogger(__name__)


class AlreadyRunningError(FasciculusError):
    """A job's previous run has not ended."""

    def __init__(self, job: str, run_id: int) -> None:
        super().__init__(
            f"Job “{job}” is running already, as run {run_id}.",
            f"Follow it (fasciculus runs follow {run_id}), or cancel it first.",
        )
        self.run_id = run_id


class PausedError(FasciculusError):
    """A job, or everything, is paused."""


#: How a run that a timetable started says so.
BY_TIMETABLE = "timetable"


@dataclass(frozen=True, slots=True)
class RunStart:
    """A request to start a run: the job, the user, and the idempotency key. ``by_timetable`` says
    that nobody waits for it; ``note`` is written to its log.
    """

    job: str
    started_by: str
    key: str | None = None
    by_timetable: bool = False
    note: str = ""


def task_times(
    job: JobInput, subjects: Sequence[Subject], now: datetime
) -> dict[Subject, runs.TaskTimes]:
    """Within what time each subject of a run begins that a timetable starts."""
    held = job.starting.restrictions(job.zone)
    # Caught up after downtime, the hours may be others.
    begin = held.next_allowed(now) or now
    end = held.closes(begin)
    window = timedelta(minutes=job.starting.spread)
    if end is not None:
        window = min(window, end - begin)
    offsets = spread([name for _, name in subjects], window)
    return {
        subject: runs.TaskTimes(
            begin + offsets[subject.name] if begin > now or offsets[subject.name] else None, end
        )
        for subject in subjects
    }


def _chosen(covered: Sequence[str], names: Sequence[str]) -> list[str]:
    """Return the named subjects of a job; all if none was named."""
    strange = sorted(set(names) - set(covered))
    if strange:
        raise SettingError(
            f"The job does not cover “{strange[0]}”.",
            "Name one of the subjects that it covers.",
            field="names",
        )
    return [name for name in covered if not names or name in names]


def _queue(host: SubjectHost | None, near_stores: str | None) -> str:
    """Return the queue of the workers for a task; empty for this machine."""
    if host is None or host.kind == "local" or near_stores is None:
        return ""
    return host.queue or near_stores


class BackupHandler(HandlerBase[QueuedBackup]):
    """Starts runs, and begins, records, shows and ends their tasks."""

    cancelled = "Cancelled. No bundle was made."
    aftermath = "No bundle was made; the next run clears up after it."

    #: Called with the number of a run whose last task has ended.
    on_run_ended: Callable[[int], None]

    def __init__(
        self, config: Config, records: Records, cipher: SecretCipher, events: EventStream
    ) -> None:
        super().__init__(config, records, cipher, events)
        self._views = RunViews(records, events)

    # Starting ------------------------------------------------------------------

    def queue_run(
        self, start: RunStart, options: runs.RunOptions = runs.RunOptions()
    ) -> tuple[int, list[QueuedBackup]]:
        """Return a queued run of a job and its tasks; the same idempotency key has the same run."""
        now = datetime.now(UTC)
        with self._records.write() as db:
            if start.key and (known := runs.by_key(db, start.key)):
                return known, []
            job = jobs.job(db, start.job)
            self._check_paused(db, job.name)
            self._check_overlap(db, job, start)
            kind = job.subject_kind
            subjects = [
                Subject.of(kind, name) for name in _chosen(jobs.covers(db, job), options.names)
            ]
            if not subjects:
                raise SettingError(
                    f"Job “{job.name}” covers nothing.",
                    "Add an account, or change what the job covers.",
                )
            times = task_times(job, subjects, now) if start.by_timetable else None
            run_id = runs.add(db, job, start.started_by, subjects, start.key, options, times)
            if start.note:
                log_lines.add(db, "run", run_id, "warning", start.note)
            for name in jobs.gone_subjects(db, job):
                log_lines.add(db, "run", run_id, "warning", f"{kind} {name} was deleted: skipped")
            tasks = self._all_queued(db, run_id, job, runs.tasks(db, run_id), start.by_timetable)
        self._views.show(run_id)
        return run_id, tasks

    @staticmethod
    def _check_paused(db: sqlite3.Connection, job: str) -> None:
        for pause in pauses.pauses(db):
            if pause.job in (pauses.ALL, job):
                what = f"Job “{job}”" if pause.job else "Everything"
                until = f" until {pause.until:%Y-%m-%d %H:%M} UTC" if pause.until else ""
                name = pause.job or "--all"
                raise PausedError(
                    f"{what} is paused{until}{f': {pause.reason}' if pause.reason else ''}.",
                    f"Lift the pause first (fasciculus jobs resume {name}).",
                )

    @staticmethod
    def _check_overlap(db: sqlite3.Connection, job: JobInput, start: RunStart) -> None:
        """Raise ``AlreadyRunningError`` where the run that goes on goes first."""
        running = runs.active(db, job.name)
        overlap = job.starting.overlap if start.by_timetable else "skip"
        # No more than one waits: the next would only do the same again.
        waits = overlap == "wait" and runs.active_count(db, job.name) == 1
        if running is not None and overlap != "cancel" and not waits:
            raise AlreadyRunningError(job.name, running)

    def _all_queued(
        self,
        db: sqlite3.Connection,
        run_id: int,
        job: JobInput,
        tasks: Iterable[Task],
        by_itself: bool,
    ) -> list[QueuedBackup]:
        """Return the tasks of a run, ready to be queued."""
        hosts = inventory.hosts_of(db, job.subject_kind)
        store_limits = stores.max_concurrent(db, job.stores)
        limits = job.limits
        near_stores = self._store_queue(db, job) if self._config.broker else None
        found = []
        for task in tasks:
            host = hosts.get(task.subject)
            found.append(
                QueuedBackup(
                    number=task.id,
                    subject=Subject.of(task.subject_kind, task.subject),
                    run=run_id,
                    by_itself=by_itself,
                    job=job,
                    host=host.name if host else "",
                    queue=_queue(host, near_stores) if self._config.broker else "",
                    max_concurrent=(host.max_concurrent or HOST_KINDS.get(host.kind).max_concurrent)
                    if host
                    else 0,
                    priority=PRIORITIES[job.starting.priority],
                    job_name=job.name,
                    turn=run_id,
                    store_limits=dict(store_limits),
                    not_before=task.not_before,
                    not_after=task.not_after,
                    expiry=f"Not begun: job “{job.name}” may start within {job.starting.hours} "
                    "only.",
                    step_seconds=limits.step * 60,
                )
            )
        return found

    @staticmethod
    def _store_queue(db: sqlite3.Connection, job: JobInput) -> str | None:
        """Return the queue near a job's stores, empty for none; None if one of them is on this
        machine.
        """
        fields = [stores.fields(db, name) for name in job.stores]
        if any(is_here(row.settings.kind) for row in fields):
            return None
        return next((row.queue for row in fields if row.queue), "")

    def begin(self, task: QueuedBackup) -> Order:
        """Record that the task runs, and return its order."""
        assert task.job is not None
        self._set_deadline(task, task.job)
        with self._records.write() as db:
            is_first = runs.begin(db, task.run)
            runs.begin_task(db, task.number)
        db = self._records.reader
        task.shown = runs.task(db, task.number)
        task.good_stores.clear()
        if is_first:
            self._views.show(task.run)
        self.show(task)
        order = backup_order(self._sources(), task.job, task.run, task.number, *task.subject)
        last = bundles.newest(db, *task.subject, task.job.name)
        task.order, task.previous = order, last["name"] if last else ""
        task.store_ids = stores.store_ids(db)
        return order

    def _set_deadline(self, task: QueuedBackup, job: JobInput) -> None:
        """By when the task must have ended; raises when its run has had its time already."""
        now, limits = datetime.now(UTC), job.limits
        task.deadline = None
        if limits.run:
            end = runs.deadline(self._records.reader, task.run)
            if end is None:
                end = now + timedelta(minutes=limits.run)
                with self._records.write() as db:
                    runs.limit(db, task.run, end)
            text = (
                f"The run took longer than its job allows ({format_count(limits.run, 'minute')})."
            )
            if end <= now:
                raise FasciculusError(text)
            task.deadline, task.overdue = end, text
        if limits.task:
            end = now + timedelta(minutes=limits.task)
            if task.deadline is None or end < task.deadline:
                task.deadline = end
                task.overdue = (
                    f"It took longer than its job allows ({format_count(limits.task, 'minute')})."
                )

    # Trying again ----------------------------------------------------------------

    def again(self, task: QueuedBackup, result: AnyResult) -> datetime | None:
        """Return the time of the retry, None for never."""
        if not (isinstance(result, Failure) and result.passing and task.by_itself and task.job):
            return None
        limits = task.job.limits
        made = runs.attempts(self._records.reader, task.number)
        if made > limits.retries:
            return None
        moment = datetime.now(UTC) + timedelta(minutes=limits.pause)
        if task.not_after is not None and moment >= task.not_after:
            return None
        if task.deadline is not None and moment >= task.deadline:
            return None
        text = (
            f"{result.error} It is tried again in {format_count(limits.pause, 'minute')} "
            f"({made} of {format_count(limits.retries, 'retry', 'retries')})."
        )
        with self._records.write() as db:
            runs.wait_again(db, task.number, moment)
            log_lines.add(db, "run", task.run, "warning", text, task.subject.name)
        task.shown = runs.task(self._records.reader, task.number)
        self.show(task)
        return moment

    # Events --------------------------------------------------------------------

    def take(self, task: QueuedBackup, event: Event) -> None:
        """Record an event of a task."""
        match event:
            case Log():
                self._log(task, event, "run", task.run)
            case CopyResult():
                with self._records.write() as db:
                    runs.copied(db, task.number, event.store, event.error, event.kept)
                # What cannot be written is taken again: once it is, and once only.
                if not event.error:
                    task.good_stores[event.store] = event.locked_until
            case BundleFound():
                with self._records.write() as db:
                    imports.take(db, event.store, event)
                    maintenance.refresh_usage(db, event.store, task.subject)
            case DamageMet():
                task.damaged.add((event.store, event.bundle))
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
        if gone:
            bundle_changes.forget(config, *task.subject, event.bundle)

    def after_failure(
        self, task: QueuedBackup, carry_out: Callable[[Order], AnyResult | None]
    ) -> None:
        """Remove the hold page of an ended task, even if its worker was killed."""
        order = task.order
        if order is not None and order.hold_flags:
            carry_out(ReleaseOrder(host=order.host, hold_flags=order.hold_flags, spool=order.spool))

    # Ending --------------------------------------------------------------------

    def endings(self, task: QueuedBackup, result: AnyResult) -> list[Callable[[], None]]:
        """Return the writes that end a task."""
        return [
            lambda: self._end(task, result),
            lambda: self._verify_damaged(task, f"run {task.run}"),
            lambda: self._end_run(task),
        ]

    def _end(self, task: QueuedBackup, result: AnyResult) -> None:
        made = result if isinstance(result, BackupResult) else None
        with self._records.write() as db:
            runs.end_task(db, task.number, result.outcome, result.error, made)
            if made is not None and task.order is not None:
                bundles.add(
                    db,
                    subject_kind=task.subject.kind,
                    subject=task.subject.name,
                    job=task.order.job,
                    host=task.order.subject.host,
                    run_id=task.run,
                    result=made,
                    copies={
                        task.store_ids[name]: until
                        for name, until in task.good_stores.items()
                        if name in task.store_ids
                    },
                    label=runs.options(db, task.run).label,
                    pinned_until=runs.pin_until(db, task.run),
                )
                if made.unusual:
                    change_alarms.open_alarm(db, *task.subject, made.bundle, made.unusual)
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
            self.collect(under_way(config, f"task-{task.number}.{suffix}"), place)
        # The next bundle builds on this one: the stat cache of the previous is of no use any more.
        if task.previous:
            config.states(*task.subject, task.previous).unlink(missing_ok=True)

    def _end_run(self, task: QueuedBackup) -> None:
        if runs.tasks_left(self._records.reader, task.run):
            self._views.show_soon(task.run)
        else:
            self.on_run_ended(task.run)
            self._views.show(task.run)

    def clear(self, task: QueuedBackup) -> None:
        """Remove the temporary files of a task."""
        shutil.rmtree(self._config.spool / f"task-{task.number}", ignore_errors=True)

    # Showing -------------------------------------------------------------------

    def show(self, task: QueuedBackup) -> None:
        """Send the present state to open consoles."""
        if task.shown is None:
            return
        if task.progress is not None and task.shown.state == "running":
            with_progress(task.shown, task.progress)
        data = {"run": task.run, "task": json.loads(task.shown.model_dump_json())}
        self._events.tell("task", data, task.run, task.subject)

    # Recovering ----------------------------------------------------------------

    def resumes(self, task: QueuedBackup) -> bool:
        """Return what had not begun loses nothing by waiting on."""
        shown = runs.task(self._records.reader, task.number)
        return task.job is not None and shown.state == "queued"

    def unfinished(self) -> list[QueuedBackup]:
        """Return the queued and running tasks of the records."""
        db = self._records.reader
        by_run: dict[int, list[Task]] = {}
        for run_id, task in runs.unfinished_tasks(db):
            by_run.setdefault(run_id, []).append(task)
        found: list[QueuedBackup] = []
        for run_id, tasks in by_run.items():
            run = runs.summary(db, run_id)
            job = jobs.find(db, run.job)
            if job is None:
                found += [
                    QueuedBackup(
                        number=task.id,
                        subject=Subject.of(task.subject_kind, task.subject),
                        run=run_id,
                        job=None,
                    )
                    for task in tasks
                ]
                continue
            by_itself = run.started_by.startswith(BY_TIMETABLE)
            queued = self._all_queued(db, run_id, job, tasks, by_itself)
            for one, task in zip(queued, tasks, strict=True):
                if task.state == "running":
                    self._remember_holds(one)
            found += queued
        return found

    def _remember_holds(self, task: QueuedBackup) -> None:
        """Remove hold pages that tasks of an earlier service process may have set."""
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
    """Put the live numbers into the output model of a task."""
    progress = live.progress
    shown.stage, shown.entries, shown.bytes = progress.stage, progress.entries, progress.bytes
    shown.packed, shown.pushed, shown.expected = progress.packed, progress.pushed, progress.total
    shown.rate, shown.remaining = live.rate, live.remaining
