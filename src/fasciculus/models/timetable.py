"""When something starts, as people write it."""

from __future__ import annotations

from typing import Annotated

from pydantic import AfterValidator

from ..core import schedule
from ..core.errors import SettingError


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


Timetable = Annotated[str, AfterValidator(_timetable)]
Zone = Annotated[str, AfterValidator(_zone)]
