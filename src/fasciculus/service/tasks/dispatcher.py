"""Hands orders to worker processes, at most so many at once, and takes their events."""

from __future__ import annotations

import json
import logging
import shutil
import threading
import time
from collections import Counter, deque
from collections.abc import Callable
from datetime import UTC, datetime

from ...config import Config
from ...core.errors import FasciculusError, SettingError
from ...models import (
    LogLine,
    Restore,
    Run,
    Task,
)
from ...records import (
    bundles,
    inventory,
    jobs,
    runs,
    stores,
)
from ...records.db import Records
from ...records.encryption import SecretCipher
from ...worker.events import (
    CopyResult,
    CopyRetired,
    Event,
    Finished,
    Log,
    Progress,
)
from ...worker.orders import (
    BundleOrder,
    Order,
    ReleaseOrder,
    RestoreOrder,
)
from ..event_stream import EventStream
from . import orders
from .progress import QueuedTask, TaskProgress, key_of
from .worker_process import Worker

log = logging.getLogger(__name__)

_GRACE = 45.0


class Dispatcher:
    """Runs and restores from queued to ended. The only part that starts workers."""

    def __init__(
        self,
        config: Config,
        records: Records,
        cipher: SecretCipher,
        events: EventStream,
        on_run_ended: Callable[[int], None],
    ) -> None:
        self._config, self._records, self._cipher, self._events = config, records, cipher, events
        self._on_run_ended = on_run_ended
        self._changed = threading.Condition()
        self._waiting: deque[QueuedTask] = deque()
        self._going: dict[tuple[str, int], QueuedTask] = {}
        self._reserved: set[tuple[str, str]] = set()
        self._live: dict[tuple[str, int], TaskProgress] = {}
        self._closing = False
        self._thread = threading.Thread(target=self._hand_out, name="dispatcher", daemon=True)

    def start(self) -> None:
        """Put right what an earlier life left, then begin to hand out."""
        self._after_restart()
        self._thread.start()

    @property
    def alive(self) -> bool:
        return self._thread.is_alive()

    def stop(self) -> None:
        """Cancel what goes on and wait for it, so that nothing is left running."""
        with self._changed:
            self._closing = True
            going = list(self._going.values())
            self._changed.notify_all()
        for item in going:
            item.worker.cancel()
        deadline = time.monotonic() + _GRACE
        with self._changed:
            while self._going and time.monotonic() < deadline:
                self._changed.wait(0.5)
            for item in self._going.values():
                item.worker.kill()

    def busy(self) -> set[tuple[str, str]]:
        """The subjects of which something waits or goes on."""
        with self._changed:
            return {
                item.subject for item in (*self._waiting, *self._going.values())
            } | self._reserved

    def reserve(self, subject: tuple[str, str]) -> bool:
        """Hold a subject for maintenance, so that no task or restore of it begins; False while one
        goes on."""
        with self._changed:
            if any(item.subject == subject for item in self._going.values()):
                return False
            self._reserved.add(subject)
            return True

    def free(self, subject: tuple[str, str]) -> None:
        with self._changed:
            self._reserved.discard(subject)
            self._changed.notify_all()

    # Starting and cancelling ---------------------------------------------------

    def start_run(
        self,
        name: str,
        started_by: str,
        key: str | None = None,
        full: bool = False,
        compare: bool = False,
    ) -> int:
        """Queue a run of a job; the same idempotency key gives the same run."""
        with self._records.write() as db:
            if key and (known := runs.by_key(db, key)):
                return known
            job = jobs.job(db, name)
            going = runs.active(db, name)
            if going:
                raise AlreadyRunningError(name, going)
            kind = job.subjects[:-1]
            subjects = [(kind, subject) for subject in jobs.covers(db, job)]
            if not subjects:
                raise SettingError(
                    f"Job “{name}” covers nothing.",
                    "Add an account, or change what the job covers.",
                )
            run_id = runs.add(
                db,
                name,
                job.zone,
                job.report_to,
                job.report_when,
                started_by,
                subjects,
                key,
                full,
                compare,
            )
            hosts = inventory.hosts_of(db, kind)
            items = [
                QueuedTask(
                    t.id, (t.subject_kind, t.subject), run_id, None, *hosts.get(t.subject, ("", 1))
                )
                for t in runs.tasks(db, run_id)
            ]
        self._tell_run(run_id)
        self._enqueue(items)
        return run_id

    def start_restore(self, restore_id: int, subject: tuple[str, str]) -> None:
        self._enqueue([QueuedTask(restore_id, subject, restore=restore_id)])

    def _enqueue(self, items: list[QueuedTask]) -> None:
        with self._changed:
            self._waiting.extend(items)
            self._changed.notify_all()

    def cancel_run(self, run_id: int) -> None:
        self._cancel(lambda item: item.run == run_id)

    def cancel_restore(self, restore_id: int) -> None:
        self._cancel(lambda item: item.restore == restore_id)

    def _cancel(self, matches: Callable[[QueuedTask], bool]) -> None:
        with self._changed:
            dropped = [item for item in self._waiting if matches(item)]
            self._waiting = deque(item for item in self._waiting if not matches(item))
            going = [item for item in self._going.values() if matches(item)]
        for item in dropped:
            self._ended(item, Finished("cancelled", "Cancelled before it began."))
        for item in going:
            item.worker.cancel()

    # Handing out -----------------------------------------------------------------

    def _hand_out(self) -> None:
        while True:
            with self._changed:
                item = None
                while not self._closing and (item := self._next()) is None:
                    self._changed.wait(5)
                if item is None:
                    return
                self._going[key_of(item)] = item
            threading.Thread(
                target=self._carry_out, args=(item,), daemon=True, name=f"task-{item.number}"
            ).start()

    def _next(self) -> QueuedTask | None:
        """The first that may begin: never two at once for one subject, nor more than a host
        takes.
        """
        if len(self._going) >= self._config.workers:
            return None
        busy = {item.subject for item in self._going.values()} | self._reserved
        hosts = Counter(item.host for item in self._going.values())
        for item in self._waiting:
            if item.subject not in busy and (not item.host or hosts[item.host] < item.at_once):
                self._waiting.remove(item)
                return item
        return None

    def _carry_out(self, item: QueuedTask) -> None:
        finished = Finished("failed", "The worker gave no answer.")
        try:
            order = self._begin(item)
            finished = self._work(item, order)
        except FasciculusError as error:
            finished = Finished("failed", error.sentence())
            self._log(item, "error", finished.error)
        except Exception as error:
            log.exception("task %s", item.number)
            finished = Finished("failed", f"Unexpected: {type(error).__name__}: {error}.")
        finally:
            with self._changed:
                self._going.pop(key_of(item), None)
                self._live.pop(key_of(item), None)
            try:
                self._ended(item, finished)
            finally:
                with self._changed:
                    self._changed.notify_all()

    def _begin(self, item: QueuedTask) -> Order:
        with self._records.write() as db:
            if item.run is not None:
                runs.begin(db, item.run)
                runs.begin_task(db, item.number)
            else:
                bundles.begin_restore(db, item.number)
        db = self._records.reader
        order: BundleOrder | RestoreOrder
        if item.run is not None:
            job = jobs.job(db, runs.run(db, item.run).job)
            order = orders.bundle_order(
                db, self._cipher, self._config, job, item.run, item.number, *item.subject
            )
            # Tasks side by side share the cores.
            order.threads = max(1, order.threads // max(1, len(self._going)))
            self._tell_run(item.run)
            self._tell_task(item)
        else:
            order = orders.restore_order(
                db, self._cipher, self._config, bundles.restore(db, item.number)
            )
            self._tell_restore(item.number)
        return order

    def _work(self, item: QueuedTask, order: Order) -> Finished:
        try:
            ended = item.worker.run(order, lambda event: self._take(item, event))
        finally:
            shutil.rmtree(self._spool_of(item), ignore_errors=True)
        if isinstance(ended, Finished):
            return ended
        if isinstance(order, BundleOrder):
            self._release(item, order)
        if item.worker.cancelled:
            return Finished("cancelled", "Cancelled; nothing of it counts as a bundle.")
        what = (
            f"was killed (signal {-ended})" if ended < 0 else f"ended unexpectedly (code {ended})"
        )
        error = (
            f"The worker {what}. Nothing of it counts as a bundle; the next run clears up after it."
        )
        self._log(item, "error", error)
        return Finished("interrupted", error)

    def _release(self, item: QueuedTask, order: BundleOrder) -> None:
        """A hold page must not outlive the task that set it, also when its worker was killed."""
        if order.hold_flags:
            Worker(f"release {item.number}").run(
                ReleaseOrder(host=order.host, hold_flags=order.hold_flags, spool=order.spool),
                lambda event: self._take(item, event),
            )

    def _spool_of(self, item: QueuedTask) -> str:
        kind = "task" if item.run is not None else "restore"
        return str(self._config.spool / f"{kind}-{item.number}")

    # Events ------------------------------------------------------------------------

    def _take(self, item: QueuedTask, event: Event) -> None:
        match event:
            case Progress():
                live = self._live.get(key_of(item))
                if live is None:
                    self._live[key_of(item)] = TaskProgress(event)
                else:
                    live.update(event)
                if item.run is not None:
                    self._tell_task(item)
                else:
                    self._tell_restore(item.number)
            case Log():
                self._log(item, event.level, event.text)
            case CopyResult():
                with self._records.write() as db:
                    runs.copied(db, item.number, event.store, event.error, event.kept)
            case CopyRetired():
                self._retired(item, event)

    def _retired(self, item: QueuedTask, event: CopyRetired) -> None:
        kind, subject = item.subject
        with self._records.write() as db:
            runs.retired(db, item.number, event.store)
            bundles.retire(db, kind, subject, event.bundle, event.store)
            gone = (
                db.execute(
                    "SELECT 1 FROM bundle WHERE subject_kind=? AND subject=? AND name=?",
                    (kind, subject, event.bundle),
                ).fetchone()
                is None
            )
        self._config.listing(kind, subject, f"{event.bundle}@{event.store}").unlink(missing_ok=True)
        if gone:
            self._config.listing(kind, subject, event.bundle).unlink(missing_ok=True)
            self._config.states(kind, subject, event.bundle).unlink(missing_ok=True)

    def _log(self, item: QueuedTask, level: str, text: str) -> None:
        subject = item.subject[1]
        with self._records.write() as db:
            number = runs.log(
                db, level, text, run_id=item.run, restore_id=item.restore, subject=subject
            )
        line = LogLine(id=number, at=datetime.now(UTC), level=level, subject=subject, text=text)
        self._events.tell(
            "log",
            {"run": item.run, "restore": item.restore, **json.loads(line.model_dump_json())},
            run=item.run,
        )

    def _ended(self, item: QueuedTask, finished: Finished) -> None:
        if item.restore is not None:
            with self._records.write() as db:
                bundles.end_restore(
                    db,
                    item.number,
                    finished.outcome,
                    finished.error,
                    finished.entries,
                    finished.bytes,
                )
            self._tell_restore(item.number)
            return
        assert item.run is not None
        with self._records.write() as db:
            runs.end_task(
                db,
                item.number,
                finished.outcome,
                finished.error,
                finished.bundle,
                finished.entries,
                finished.bytes,
                finished.packed,
                finished.manifest.get("changes"),
            )
            if finished.bundle:
                self._keep_bundle(item, finished)
            left = db.execute(
                "SELECT count(*) FROM task WHERE run_id=? AND state != 'ended'", (item.run,)
            ).fetchone()[0]
        self._tell_task(item)
        if finished.bundle:
            self._events.changed("bundles")
        if not left:
            self._on_run_ended(item.run)
        self._tell_run(item.run)

    def _keep_bundle(self, item: QueuedTask, finished: Finished) -> None:
        kind, subject = item.subject
        with self._records.write() as db:
            ids = stores.store_ids(db)
            before = bundles.newest(db, kind, subject, runs.run(db, item.run or 0).job)
            run = db.execute("SELECT job FROM run WHERE id=?", (item.run,)).fetchone()
            host = db.execute(
                "SELECT host.name FROM host JOIN account ON host_id=host.id LEFT JOIN site ON "
                "account_id=account.id WHERE account.name=? OR site.name=? LIMIT 1",
                (subject, subject),
            ).fetchone()
            good = [
                row["store"]
                for row in db.execute(
                    "SELECT store FROM task_copy WHERE task_id=? AND error=''", (item.number,)
                )
            ]
            bundles.add(
                db,
                subject_kind=kind,
                subject=subject,
                name=finished.bundle,
                job=run["job"],
                host=host[0] if host else "",
                run_id=item.run or 0,
                entries=finished.entries,
                bytes=finished.bytes,
                packed=finished.packed,
                outcome=finished.outcome,
                manifest=finished.manifest,
                store_ids=[ids[name] for name in good if name in ids],
            )
        orders.home_listing(self._config, kind, subject, finished.bundle, item.number)
        # The next bundle builds on this one: those of the one before are of no use any more.
        if before is not None:
            self._config.states(kind, subject, before["name"]).unlink(missing_ok=True)

    # Telling -------------------------------------------------------------------------

    def enrich(self, task: Task) -> Task:
        """Add the live numbers to a task that goes on."""
        live = self._live.get(("task", task.id))
        if live is not None and task.state == "running":
            progress = live.progress
            task.stage, task.entries, task.bytes = progress.stage, progress.entries, progress.bytes
            task.packed, task.pushed, task.expected = (
                progress.packed,
                progress.pushed,
                progress.total,
            )
            task.rate, task.remaining = live.rate, live.remaining
        return task

    def enrich_restore(self, restore: Restore) -> Restore:
        live = self._live.get(("restore", restore.id))
        if live is not None and restore.state == "running":
            restore.stage, restore.total = live.progress.stage, live.progress.total
            restore.entries, restore.bytes = live.progress.entries, live.progress.bytes
        return restore

    def _tell_run(self, run_id: int) -> None:
        run = Run(**runs.run(self._records.reader, run_id).model_dump(exclude={"tasks"}))
        self._events.tell("run", run, run=run_id)

    def _tell_task(self, item: QueuedTask) -> None:
        task = self.enrich(runs.task(self._records.reader, item.number))
        data = json.loads(task.model_dump_json())
        self._events.tell("task", {"run": item.run, "task": data}, run=item.run)

    def _tell_restore(self, restore_id: int) -> None:
        self._events.tell(
            "restore", self.enrich_restore(bundles.restore(self._records.reader, restore_id))
        )

    # After a restart -----------------------------------------------------------------

    def _after_restart(self) -> None:
        """What an earlier life of the service left unfinished is interrupted, and swept."""
        error = (
            "The service was stopped while this went on. Nothing of it counts as a bundle; "
            "the next run clears up after it."
        )
        interrupted = []
        held: list[QueuedTask] = []
        with self._records.write() as db:
            for run_id in runs.unfinished(db):
                for task in runs.tasks(db, run_id):
                    if task.state == "running":
                        held.append(
                            QueuedTask(task.id, (task.subject_kind, task.subject), run=run_id)
                        )
                    if task.state != "ended":
                        runs.log(db, "error", error, run_id=run_id, subject=task.subject)
                        runs.end_task(db, task.id, "interrupted", error)
                interrupted.append(run_id)
            for restore_id in bundles.unfinished_restores(db):
                bundles.end_restore(
                    db,
                    restore_id,
                    "interrupted",
                    "The service was stopped while this went on. "
                    "Start the restore again, into an empty folder.",
                )
        self._release_holds(held)
        for left in (self._config.spool, self._config.listings / "under-way"):
            for path in left.glob("*-*"):
                shutil.rmtree(path, ignore_errors=True) if path.is_dir() else path.unlink()
        for run_id in interrupted:
            self._on_run_ended(run_id)

    def _release_holds(self, held: list[QueuedTask]) -> None:
        """Take away the hold pages of tasks that the service did not see end."""
        db = self._records.reader
        for item in held:
            try:
                job = jobs.job(db, runs.run(db, item.run or 0).job)
                if job.hold_page:
                    order = orders.bundle_order(
                        db,
                        self._cipher,
                        self._config,
                        job,
                        item.run or 0,
                        item.number,
                        *item.subject,
                    )
                    threading.Thread(target=self._release, args=(item, order), daemon=True).start()
            except FasciculusError as error:
                log.warning("task %s: its hold page: %s", item.number, error.sentence())


class AlreadyRunningError(FasciculusError):
    """A job's previous run has not ended."""

    def __init__(self, job: str, run_id: int) -> None:
        super().__init__(
            f"Job “{job}” is going on already, as run {run_id}.",
            f"Follow it (fasciculus runs follow {run_id}), or cancel it first.",
        )
        self.run_id = run_id
