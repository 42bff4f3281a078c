"""Drills."""

from __future__ import annotations

from .....core.permissions import Permission
from .....models import DrillSettings, DrillStart, Page, Restore, Started
from .....models.queries import DrillsQuery
from ....usecases.bundles import drills
from ...operations import PREFIX, operation
from ...request import caller


@operation(
    "GET",
    "/drills",
    "Drills, newest first",
    Permission.VIEW,
    response=Page[Restore],
    query=DrillsQuery,
    scoped=True,
)
def drills_list(query: DrillsQuery) -> Page[Restore]:
    return drills.drills_list(caller(), query)


@operation(
    "POST",
    "/drills",
    "Restore a bundle into a scratch place, compare it, and remove it again",
    Permission.OPERATE,
    body=DrillStart,
    response=Started,
    status=202,
)
def drills_start(body: DrillStart) -> Started:
    number = drills.drills_start(caller(), body)
    return Started(id=number, url=f"{PREFIX}/restores/{number}")


@operation(
    "GET",
    "/settings/drills",
    "The timetable of drills",
    Permission.VIEW,
    response=DrillSettings,
)
def drills_settings_show() -> DrillSettings:
    return drills.drills_settings_show(caller())


@operation(
    "PUT",
    "/settings/drills",
    "Set the timetable of drills",
    Permission.CONFIGURE,
    body=DrillSettings,
    response=DrillSettings,
)
def drills_settings_change(body: DrillSettings) -> DrillSettings:
    return drills.drills_settings_change(caller(), body)
