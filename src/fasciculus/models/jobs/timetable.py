"""Timetables as people write them."""

from __future__ import annotations

from datetime import UTC, date, datetime
from typing import TYPE_CHECKING, Annotated, Literal

from pydantic import Field, ValidationInfo, field_validator

from ..model import Model
from ..texts import checked

if TYPE_CHECKING:
    from ...core.schedule import Restrictions


def _timetable(value: str) -> str:
    from ...core import schedule

    return schedule.parse(value).text


def _zone(value: str) -> str:
    from ...core import schedule

    return schedule.zone(value).key


def _hours(value: str) -> str:
    from ...core import schedule

    return str(schedule.parse_hours(value) or "")


def _day_off(value: str) -> str:
    from ...core import schedule

    schedule.parse_days([value])
    return value.strip()


Timetable = Annotated[str, checked(_timetable)]
Zone = Annotated[str, checked(_zone)]
Hours = Annotated[str, checked(_hours)]
DayOff = Annotated[str, checked(_day_off)]

_MOST_SPREAD = 24 * 60


class StartRules(Model):
    """The start conditions of a timetable, in the time zone of the job.

    Nothing starts before ``first_day`` or after ``last_day``, outside of ``hours`` (such as
    “22:00-05:00”), or on ``days_off`` (“2026-12-25”, “12-25” for each year, “12-24..01-01”). The
    subjects of a run begin evenly over ``spread`` minutes. ``overlap`` says what becomes of a start
    while the previous run goes on: it is skipped, it waits, or the previous run is cancelled.
    ``missed`` says what becomes of starts while the service was down: they are caught up once, or
    skipped. ``priority`` says which tasks begin first when several wait."""

    first_day: date | None = None
    last_day: date | None = None
    hours: Hours = ""
    days_off: list[DayOff] = Field(default=[], max_length=100)
    spread: int = Field(default=0, ge=0, le=_MOST_SPREAD)
    overlap: Literal["skip", "wait", "cancel"] = "skip"
    missed: Literal["once", "skip"] = "once"
    priority: Literal["high", "normal", "low"] = "normal"

    @field_validator("last_day")
    @classmethod
    def _in_order(cls, value: date | None, info: ValidationInfo) -> date | None:
        first = info.data.get("first_day")
        if value and first and value < first:
            raise ValueError("It comes before the first day.")
        return value

    def restrictions(self, zone: str) -> Restrictions:
        """For the schedule."""
        from ...core.schedule import Restrictions

        return Restrictions.of(zone, self.first_day, self.last_day, self.hours, self.days_off)


class TaskLimits(Model):
    """Retries and time limits of tasks.

    A task that failed for a reason that may pass, such as a host that does not answer, is tried
    again up to ``retries`` times, ``pause`` minutes later. A task may take ``task`` minutes, each
    of its steps ``step``, and the run ``run``; 0 for any time.
    """

    retries: int = Field(default=2, ge=0, le=20)
    pause: int = Field(default=10, ge=1, le=24 * 60)
    task: int = Field(default=0, ge=0, le=7 * 24 * 60)
    step: int = Field(default=0, ge=0, le=7 * 24 * 60)
    run: int = Field(default=0, ge=0, le=7 * 24 * 60)


class Pause(Model):
    """A job that starts nothing by itself, or all of them where ``job`` is empty; ``until`` is None
    for a pause that lasts until it is lifted."""

    job: str = ""
    until: datetime | None = None
    reason: str = ""
    who: str = ""
    since: datetime


class PauseInput(Model):
    """Until when, and why."""

    until: datetime | None = None
    reason: str = Field(default="", max_length=200)

    @field_validator("until")
    @classmethod
    def _with_zone(cls, value: datetime | None) -> datetime | None:
        return value.replace(tzinfo=UTC) if value and value.tzinfo is None else value
