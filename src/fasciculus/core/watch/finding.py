"""The finding of a standing check."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import timedelta
from typing import Literal

Level = Literal["broken", "look"]
BROKEN: Level = "broken"
LOOK: Level = "look"
#: Checks whose findings are also in a report.
FAILED, PARTLY_FAILED = "failed run", "partly failed run"


@dataclass(frozen=True, slots=True)
class Finding:
    """Something that is wrong now.

    ``key`` identifies it while it lasts, ``check`` names the standing check, ``job`` is the job
    whose recipients are notified (empty: those of the watch), ``about`` the thing, ``link`` the
    page of the console. It is an alert once it has lasted for ``after``. ``told_by_report`` says
    that a report covers it; ``silent`` ones are not reported at all.
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
