"""Maintenance: verifying, repairing and repacking copies; what was found damaged; how subjects
grow.
"""

from __future__ import annotations

from datetime import datetime
from typing import Any, Literal

from pydantic import Field, model_validator

from ..core.contents import Contents
from ..core.maintenance_kind import MaintenanceKind
from ..core.subject import SubjectKind
from .model import Model


class VerifyStart(Model):
    """The copies to verify: all on the store, those of one subject, or one bundle's. ``deep`` reads
    every byte.
    """

    deep: bool = False
    subject: str = ""
    bundle: int | None = None


class RepairStart(Model):
    """The subject to repair; default: all that are damaged."""

    subject: str = ""


class RepackStart(Model):
    """``over`` is in percent: a piece is rewritten when more of it is unused."""

    subject: str = ""
    over: int = Field(default=20, ge=0, le=95)
    dry_run: bool = False


class SealStart(Model):
    """The subject; default: all."""

    subject: str = ""


class RetireStart(Model):
    """The subject, by default all, and the credentials that may remove files on an append-only
    store: secrets, and settings such as another user. They are used once, and kept nowhere.
    """

    subject: str = ""
    settings: dict[str, Any] = {}
    secrets: dict[str, str] = Field(default={}, repr=False)


class TransferStart(Model):
    """The bundles to copy to a store: all that ``source`` has and it lacks or, without a source,
    those that its jobs missed. With ``move`` they are removed from the source once they are whole.
    """

    source: str = ""
    subject: str = ""
    move: bool = False

    @model_validator(mode="after")
    def _moves_from_somewhere(self) -> TransferStart:
        if self.move and not self.source:
            raise ValueError("Name the store that the bundles are moved from.")
        return self


class Transfer(Model):
    """A bundle that was brought to a store from another; ``bytes`` were sent for it."""

    source: str
    subject_kind: SubjectKind
    subject: str
    bundle: str
    bytes: int
    at: datetime


class TransferDay(Model):
    """Transfers to a store on a day of UTC."""

    day: str
    bundles: int
    bytes: int


class MaintenanceStarted(Model):
    """The answer to starting maintenance: one piece of work a subject."""

    ids: list[int]


class MaintenanceTask(Model):
    """Work on the copies of one subject on one store. ``state`` is queued, running or ended;
    ``bytes`` of ``total`` are read while it runs. ``result`` has the numbers of repacking."""

    id: int
    kind: MaintenanceKind
    store: str
    subject_kind: SubjectKind
    subject: str
    bundle: str = ""
    deep: bool = False
    dry_run: bool = False
    #: For a transfer: the store it is from, empty for whichever has the bundles.
    source: str = ""
    move: bool = False
    state: str
    outcome: str | None = None
    sentence: str = ""
    entries: int = 0
    bytes: int = 0
    total: int = 0
    stage: str = ""
    result: dict[str, int] = {}
    started_by: str
    created: datetime
    started: datetime | None = None
    ended: datetime | None = None


class DamageRow(Model):
    """A file on a store that is missing or altered.

    ``bundles`` need it; ``files`` are the first of the ``harmed`` entries that cannot be restored
    intact from this store. ``repair_from`` lists the other stores that should have it, or “the
    records”; ``stored_again`` is the first bundle that stored its contents again.
    """

    id: int
    store: str
    subject_kind: SubjectKind
    subject: str
    file: str
    reason: str
    bundles: list[str]
    files: list[str]
    harmed: int
    found: datetime
    repair_from: list[str] = []
    stored_again: str = ""


class BundleChange(Model):
    """An entry that differs from the previous bundle: ``state`` is new, changed or gone; ``what``
    says whether contents or rights changed. ``before`` are its bytes then."""

    kind: Contents
    path: str
    type: str
    state: Literal["new", "changed", "gone"]
    what: str = ""
    bytes: int = 0
    before: int = 0


class GrowthPoint(Model):
    """A bundle in the growth of its subject: bytes it shows, contents it brought, and those
    packed.
    """

    bundle: int
    name: str
    job: str
    moment: datetime
    entries: int
    bytes: int
    new_bytes: int
    packed: int


class GrowthStore(Model):
    """The space of a subject on one store. ``unused`` are bytes in its pieces that no bundle seems
    to need; repacking measures them exactly.
    """

    store: str
    copies: int
    stored: int
    holds: int
    unused: int


class Growth(Model):
    """The growth of a subject: ``per_week`` is the trend of its size, None until the bundles of a
    job span a day.
    """

    subject_kind: SubjectKind
    subject: str
    points: list[GrowthPoint]
    stores: list[GrowthStore]
    per_week: int | None
