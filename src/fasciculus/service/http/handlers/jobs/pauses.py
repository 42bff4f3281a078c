"""Pauses of a job or of everything."""

from __future__ import annotations

from .....core.permissions import Permission
from .....models import Page, Pause, PauseInput
from ....usecases.jobs import pauses
from ...operations import operation
from ...request import caller


@operation("GET", "/pauses", "Pauses, with their ends", Permission.VIEW, response=Page[Pause])
def pauses_list() -> Page[Pause]:
    return pauses.pauses_list(caller())


@operation(
    "PUT",
    "/pauses",
    "Pause everything: no run begins; restores stay possible",
    Permission.OPERATE,
    body=PauseInput,
    response=Page[Pause],
)
def pauses_set(body: PauseInput) -> Page[Pause]:
    return pauses.pauses_set(caller(), body)


@operation("DELETE", "/pauses", "Lift the pause of everything", Permission.OPERATE)
def pauses_lift() -> None:
    pauses.pauses_lift(caller())


@operation(
    "PUT",
    "/jobs/{name}/pause",
    "Pause a job: no run begins",
    Permission.OPERATE,
    body=PauseInput,
    response=Page[Pause],
)
def jobs_pause(name: str, body: PauseInput) -> Page[Pause]:
    return pauses.jobs_pause(caller(), name, body)


@operation("DELETE", "/jobs/{name}/pause", "Lift the pause of a job", Permission.OPERATE)
def jobs_resume(name: str) -> None:
    pauses.jobs_resume(caller(), name)
