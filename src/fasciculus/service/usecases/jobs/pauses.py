"""Pauses of a job or of everything."""

from __future__ import annotations

from datetime import UTC, datetime

from ....core.errors import MissingError, SettingError
from ....models import Page, Pause, PauseInput
from ....records.jobs import jobs, pauses
from ..caller import Caller


def pauses_list(caller: Caller) -> Page[Pause]:
    """Return pauses, with their ends."""
    rows = pauses.pauses(caller.reader)
    return Page(items=rows, total=len(rows))


def pauses_set(caller: Caller, body: PauseInput) -> Page[Pause]:
    """Pause everything: no run begins; restores stay possible."""
    return _pause(caller, pauses.ALL, body)


def pauses_lift(caller: Caller) -> None:
    """Lift the pause of everything."""
    _lift(caller, pauses.ALL)


def jobs_pause(caller: Caller, name: str, body: PauseInput) -> Page[Pause]:
    """Pause a job: no run begins."""
    jobs.job(caller.reader, name)
    return _pause(caller, name, body)


def jobs_resume(caller: Caller, name: str) -> None:
    """Lift the pause of a job."""
    jobs.job(caller.reader, name)
    _lift(caller, name)


def _pause(caller: Caller, name: str, body: PauseInput) -> Page[Pause]:
    if body.until is not None and body.until <= datetime.now(UTC):
        raise SettingError(
            "The pause would be over already.", "Give a time in the future.", field="until"
        )
    with caller.write() as db:
        pauses.pause(db, name, body.until, body.reason, caller.name)
    _changed(caller, "paused", name)
    return pauses_list(caller)


def _lift(caller: Caller, name: str) -> None:
    with caller.write() as db:
        if not pauses.lift(db, name):
            what = f"Job “{name}” is" if name else "Nothing is"
            way = "fasciculus jobs paused lists what is."
            raise MissingError(f"{what} not paused." if name else f"{what} paused.", way)
    _changed(caller, "resumed", name)


def _changed(caller: Caller, action: str, name: str) -> None:
    caller.note(action, f"job {name}" if name else "everything")
    caller.service.scheduler.refresh()
    caller.changed("jobs")
