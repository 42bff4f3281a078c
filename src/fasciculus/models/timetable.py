"""Timetables as people write them."""

from __future__ import annotations

from datetime import UTC, date, datetime
from typing import Annotated, Literal

from pydantic import AfterValidator, Field, ValidationInfo, field_validator

from ..core import schedule
from ..core.errors import SettingError
from ..core.schedule import Restrictions
from .model import Model


def _timetable(value: str) -> str:
    try:
        return schedule.parse(value).text
    except SettingError as error:
        raise ValueError(error.sentence()) from error


def _zone(value: str) -> str:
    try:
        return schedule.zone(value).key
    except SettingError as error:
        raise ValueError(error.sentence()) from error


def _hours(value: str) -> str:
    try:
        return str(schedule.parse_hours(value) or "")
    except SettingError as error:
        raise ValueError(error.sentence()) from error


def _day_off(value: str) -> str:
    try:
        schedule.parse_days([value])
    except SettingError as error:
        raise ValueError(error.sentence()) from error
    return value.strip()


Timetable = Annotated[str, AfterValidator(_timetable)]
Zone = Annotated[str, AfterValidator(_zone)]
Hours = Annotated[str, AfterValidator(_hours)]
DayOff = Annotated[str, AfterValidator(_day_off)]

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
