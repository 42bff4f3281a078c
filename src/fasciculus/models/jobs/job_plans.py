"""Jobs before they are saved, and what they will do."""

from __future__ import annotations

from datetime import date, datetime

from pydantic import ValidationInfo, model_validator

from ...core.subject import SubjectKind
from ..model import Model
from ..texts import Name
from .jobs import JobInput
from .keep import KeepText
from .timetable import Timetable


class JobDefaults(JobInput):
    """The defaults of a new job."""

    @model_validator(mode="after")
    def _fits(self, info: ValidationInfo) -> JobDefaults:
        return self


class JobCopy(Model):
    """A new job out of another one's settings, with another name and, where they are given, other
    stores, another timetable, another keep rule. It is disabled unless ``enabled`` is set."""

    name: Name
    stores: list[str] | None = None
    timetable: Timetable | None = None
    keep: KeepText | None = None
    enabled: bool = False


class Retiring(Model):
    """A copy that the keep rule would not keep, and the bytes that its going would free on its
    store, together with those listed before it of the same subject."""

    subject_kind: SubjectKind
    subject: str
    store: str
    bundle: str
    moment: datetime
    frees: int


class SpaceNeed(Model):
    """The space that a run may need in one place, and the free space there; None if unknown.
    ``why`` explains the estimate.
    """

    place: str
    needed: int
    free: int | None
    why: str


class JobSummary(Model):
    """The summary of a job, before it is saved."""

    sentence: str
    starts: list[datetime]
    covers: list[str]
    #: Bytes of the newest bundles of what it covers, and how many have none yet.
    bytes: int
    packed: int
    unmeasured: int
    advice: list[str]
    #: Space that the next run may need, and free space.
    space: list[SpaceNeed] = []


class SimulationQuery(Model):
    """The store and subject to simulate, by default the first ones; ``day`` lists the copies on
    that day.
    """

    store: str = ""
    subject: str = ""
    day: date | None = None


class SimulationDay(Model):
    """A day of a simulated year: the copies of one subject at its end and the bytes that they take,
    and those of all subjects of the job."""

    day: date
    copies: int
    bytes: int
    bytes_of_all: int
    moments: list[datetime] | None = None


class JobSimulation(Model):
    """The coming year of a job on one store, if every run succeeds and sizes do not change."""

    store: str
    subject: str
    subjects: int
    rule: str
    free: int | None
    days: list[SimulationDay]
