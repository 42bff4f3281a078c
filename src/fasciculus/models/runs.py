"""Runs, their tasks and logs, and the overview."""

from __future__ import annotations

from datetime import date, datetime

from ..core.subject import SubjectKind
from .bundles.entry_changes import Changes
from .model import Model


class TaskCopy(Model):
    """The copy of a bundle on one store: how many copies it has kept and retired."""

    store: str
    error: str = ""
    kept: int = 0
    retired: int = 0


class Task(Model):
    """The part of a run for one subject. While it runs, the last four tell how far it is:
    bytes packed and pushed, the bytes expected, and bytes a second."""

    id: int
    subject_kind: SubjectKind
    subject: str
    state: str
    outcome: str | None = None
    error: str = ""
    bundle: str = ""
    bundle_id: int | None = None
    entries: int = 0
    bytes: int = 0
    packed: int = 0
    started: datetime | None = None
    ended: datetime | None = None
    #: Within what time it may begin, and how often it was begun.
    not_before: datetime | None = None
    not_after: datetime | None = None
    attempts: int = 0
    warnings: list[str] = []
    copies: list[TaskCopy] = []
    changes: Changes | None = None
    stage: str = ""
    pushed: int = 0
    expected: int = 0
    rate: float = 0.0
    remaining: float | None = None


class Run(Model):
    """One execution of a job. ``state`` is queued, running or ended."""

    id: int
    job: str
    zone: str = "UTC"
    #: Its label, if any.
    label: str = ""
    state: str
    outcome: str | None = None
    started_by: str
    created: datetime
    started: datetime | None = None
    ended: datetime | None = None
    sentence: str = ""
    tasks_total: int = 0
    tasks_done: int = 0
    bytes: int = 0
    packed: int = 0


class RunDetail(Run):
    """A run with its tasks."""

    tasks: list[Task] = []


class Started(Model):
    """The answer to starting something."""

    id: int
    url: str


class LogLine(Model):
    """One line of a log."""

    id: int
    at: datetime
    level: str
    subject: str = ""
    text: str


class Upcoming(Model):
    """A start that will come, in the time zone of its job."""

    at: datetime
    job: str
    zone: str
    #: Seconds that its last run took, where there was one.
    expected: float | None = None


class StoreFill(Model):
    """The usage of a store; ``full_on`` is the day on which it will be full, if known, and ``lag``
    the number of missed bundles.
    """

    name: str
    kind: str
    where: str
    copies: int
    bytes: int
    newest: datetime | None = None
    free: int | None = None
    full_on: date | None = None
    lag: int = 0
    tried: bool = True


class Night(Model):
    """A day (UTC) and the outcome of its tasks."""

    day: str
    outcome: str


class SubjectNights(Model):
    """The last nights of a subject."""

    subject_kind: SubjectKind
    subject: str
    nights: list[Night]


class Attention(Model):
    """Something that needs attention: what, and where to go; the open alert of it, and who has
    acknowledged that."""

    level: str
    text: str
    link: str
    alert: int | None = None
    acknowledged_by: str = ""
    note: str = ""


class Overview(Model):
    """``attention`` first; then the next 24 hours, the last fourteen nights, the stores."""

    now: datetime
    attention: list[Attention]
    running: list[Run]
    upcoming: list[Upcoming]
    recent: list[Run]
    nights: list[SubjectNights]
    stores: list[StoreFill]
    hosts: int = 0
    accounts: int
    sites: int
    jobs: int
    bundles: int
    scheduler_alive: bool
