"""Pauses of a job or of everything."""

from __future__ import annotations

from datetime import UTC, datetime

from ...core.errors import MissingError, SettingError
from ...core.permissions import Permission
from ...models import Page, Pause, PauseInput
from ...records import jobs, pauses
from ..context import context
from ..operations import operation, principal
from .auth import note


@operation("GET", "/pauses", "Pauses, with their ends", Permission.VIEW, response=Page[Pause])
def pauses_list() -> Page[Pause]:
    rows = pauses.pauses(context().records.reader)
    return Page(items=rows, total=len(rows))


@operation(
    "PUT",
    "/pauses",
    "Pause everything: no run begins; restores stay possible",
    Permission.OPERATE,
    body=PauseInput,
    response=Page[Pause],
)
def pauses_set(body: PauseInput) -> Page[Pause]:
    return _pause(pauses.ALL, body)


@operation("DELETE", "/pauses", "Lift the pause of everything", Permission.OPERATE)
def pauses_lift() -> None:
    _lift(pauses.ALL)


@operation(
    "PUT",
    "/jobs/{name}/pause",
    "Pause a job: no run begins",
    Permission.OPERATE,
    body=PauseInput,
    response=Page[Pause],
)
def jobs_pause(name: str, body: PauseInput) -> Page[Pause]:
    jobs.job(context().records.reader, name)
    return _pause(name, body)


@operation("DELETE", "/jobs/{name}/pause", "Lift the pause of a job", Permission.OPERATE)
def jobs_resume(name: str) -> None:
    jobs.job(context().records.reader, name)
    _lift(name)


def _pause(name: str, body: PauseInput) -> Page[Pause]:
    if body.until is not None and body.until <= datetime.now(UTC):
        raise SettingError(
            "The pause would be over already.", "Give a time in the future.", field="until"
        )
    with context().records.write() as db:
        pauses.pause(db, name, body.until, body.reason, principal().name)
    _changed("paused", name)
    return pauses_list()


def _lift(name: str) -> None:
    with context().records.write() as db:
        if not pauses.lift(db, name):
            what = f"Job “{name}” is" if name else "Nothing is"
            way = "fasciculus jobs paused lists what is."
            raise MissingError(f"{what} not paused." if name else f"{what} paused.", way)
    _changed("resumed", name)


def _changed(action: str, name: str) -> None:
    note(action, f"job {name}" if name else "everything")
    context().scheduler.refresh()
    context().events.changed("jobs")
