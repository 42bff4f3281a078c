"""Workers on other machines."""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from ..core.subject import SubjectKind
from .model import Model
from .texts import NamedQueue


class WorkerTask(Model):
    """A task of a worker: the kind of work, and its subject."""

    kind: str
    subject_kind: SubjectKind
    subject: str
    #: Whether the worker has begun.
    begun: bool


class FleetWorker(Model):
    """A worker on another machine: its queue, machine and version, and how many tasks it takes at
    the same time.

    ``state``: there; draining: it gets no more orders; away: it was not heard from; other version:
    it gets no orders, since it is not of the service's version.
    """

    name: str
    queue: str
    place: str
    version: str
    slots: int
    state: Literal["there", "draining", "away", "other version"]
    tasks: list[WorkerTask] = []
    enrolled: datetime
    last_seen: datetime | None = None


class WorkerCodeStart(Model):
    """The queue of a worker to be enrolled."""

    queue: NamedQueue


class WorkerCode(Model):
    """A code that enrols one worker; it is in this answer alone."""

    code: str
    queue: str
    expires: datetime


class WorkerDrain(Model):
    """A request to drain a worker: it finishes its tasks and gets no further orders."""

    drains: bool = True
