"""What a standing check finds."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import timedelta
from typing import Literal

Level = Literal["broken", "look"]
BROKEN: Level = "broken"
LOOK: Level = "look"


@dataclass(frozen=True, slots=True)
class Finding:
    """Something that is wrong now.

    ``key`` tells it from all others while it lasts, ``check`` names the standing check, ``job`` is
    whose people are told (empty: those of the watch), ``about`` the thing, ``link`` the page of the
    console. It is an alert once it has lasted for ``after``. ``told_by_report`` says that its
    people learn of it by a report anyway; of what is ``silent`` nobody is told at all.
    """

    key: str
    check: str
    level: Level
    about: str
    text: str
    link: str
    job: str = ""
    after: timedelta = timedelta(0)
    told_by_report: bool = False
    silent: bool = False
