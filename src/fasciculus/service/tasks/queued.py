"""Queued and running tasks: backups, restores, maintenance."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import datetime
from typing import TYPE_CHECKING, Literal

from ...contracts.events import BundleFound
from ...contracts.orders import BackupOrder
from ...core.subject import Subject
from .progress import TaskProgress

if TYPE_CHECKING:
    from ...models import JobInput, MaintenanceTask, Restore, Task
    from ...worker.pool import Worker
    from .orders.retiring import StoreCredentials

#: Tasks of runs and restores share one limit; maintenance runs in parallel, one at a time, and
#: bringing bundles from store to store, which mostly waits for the network, a few at a time.
Lane = Literal["work", "maintenance", "transfer"]
#: Priorities. Restores do not wait for backups.
RESTORES, HIGH, NORMAL, LOW = range(4)
PRIORITIES = {"high": HIGH, "normal": NORMAL, "low": LOW}


@dataclass(slots=True, eq=False, kw_only=True)
class QueuedTask:
    """The base of all tasks, from queued to ended."""

    number: int
    subject: Subject
    #: The host that it uses, and how many tasks that takes at the same time (0: any number).
    host: str = ""
    max_concurrent: int = 0
    #: Whether it excludes other exclusive tasks of the subject.
    exclusive: bool = True
    lane: Lane = "work"
    #: The queue of the workers that take it; it counts in no lane then. Empty for this machine.
    queue: str = ""
    priority: int = NORMAL
    #: The job that it is of, if any: jobs take turns.
    job_name: str = ""
    #: The stores that it uses, and how many tasks each takes at the same time (0: any number).
    store_limits: dict[str, int] = field(default_factory=dict)
    #: Tasks of one job begin in the order of these numbers; those with the same are one run.
    turn: int = 0
    #: It begins after all tasks of this run have ended; 0 for none.
    after_run: int = 0
    #: It begins within this time alone; why, for those that could not.
    not_before: datetime | None = None
    not_after: datetime | None = None
    expiry: str = ""
    #: By what time it must have ended, and how many seconds one step of it may take.
    deadline: datetime | None = None
    step_seconds: float = 0.0
    overdue: str = ""
    cancelled: bool = False
    #: Why it was stopped, when it was a limit and no person.
    stopped_by: str = ""
    #: Copies that it read and found damaged: their stores, and their bundles where it knew.
    damaged: set[tuple[str, str]] = field(default_factory=set)
    worker: Worker | None = None
    progress: TaskProgress | None = None

    @property
    def key(self) -> tuple[str, int]:
        """Return what tells it from all others."""
        return type(self).__name__, self.number


@dataclass(slots=True, eq=False, kw_only=True)
class QueuedBackup(QueuedTask):
    """A task of a run. Facts known when the order was written are kept until its end."""

    run: int
    #: Whether it is tried again by itself when it fails for a reason that may pass.
    by_itself: bool = False
    #: None for one of an earlier life whose job was removed since.
    job: JobInput | None
    order: BackupOrder | None = None
    #: The output model of the task.
    shown: Task | None = None
    #: The previous bundle, whose stat cache is of no use once there is a newer one.
    previous: str = ""
    store_ids: dict[str, int] = field(default_factory=dict)
    #: The stores that have their copy, with the times until which that is locked.
    good_stores: dict[str, str] = field(default_factory=dict)


@dataclass(slots=True, eq=False, kw_only=True)
class QueuedRestore(QueuedTask):
    """A restore."""

    shown: Restore | None = None


@dataclass(slots=True, eq=False, kw_only=True)
class QueuedMaintenance(QueuedTask):
    """A verify, repair or repack task. Verifying only reads: backups may run meanwhile."""

    store: str
    kind: str
    shown: MaintenanceTask | None = None
    #: For retiring: what may remove files there, which is kept nowhere else.
    credentials: StoreCredentials | None = field(default=None, repr=False)
    #: For verifying: the number of damaged files, and of those that affect no copy, since a
    #: concurrent run
    #: had retired what it was of.
    damages: int = 0
    of_retired: int = 0
    #: For an import: the newest bundle of each subject and job, and the copy of the records.
    newest: dict[tuple[str, str, str], BundleFound] = field(default_factory=dict)
    records_copy: str = ""
