"""Recoveries: a lost host with all of its accounts brought back."""

from __future__ import annotations

from datetime import datetime

from ...core.contents import Contents
from ...core.recovery.progress import RecoveryState
from ...core.subject import SubjectKind
from ..model import Model


class RecoveryStart(Model):
    """A recovery of a host; its jobs start nothing on it until the recovery ends."""

    host: str


class RecoverySubject(Model):
    """A subject of a recovery: the bundle to restore, the last restore of it, and its state.

    ``bundle`` is the newest sound one with the most kinds of contents, None if there is no bundle;
    ``missing`` are kinds of contents that only other bundles of the subject have.
    """

    kind: SubjectKind
    name: str
    state: RecoveryState
    bundle: int | None = None
    moment: datetime | None = None
    contents: list[Contents] = []
    missing: list[Contents] = []
    restore: int | None = None
    error: str = ""


class Recovery(Model):
    """A recovery, with the subjects of its host in the order in which they come back."""

    id: int
    host: str
    started_by: str
    created: datetime
    ended: datetime | None = None
    subjects: list[RecoverySubject] = []
