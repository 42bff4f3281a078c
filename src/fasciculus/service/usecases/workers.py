"""Workers on other machines: enrolling, draining, removing."""

from __future__ import annotations

from typing import Literal

from ... import __version__
from ...core.errors import SettingError
from ...models import FleetWorker, Page, WorkerCode, WorkerCodeStart, WorkerDrain, WorkerTask
from ...records.fleet import workers
from ...records.fleet.workers import EnrolledWorker
from ..fleet.fleet import Fleet, subject_of
from .caller import Caller


def workers_list(caller: Caller) -> Page[FleetWorker]:
    """Return all workers."""
    rows = [
        _shown(caller.service.fleet, row) for row in workers.workers(caller.reader, caller.cipher)
    ]
    return Page(items=rows, total=len(rows))


def workers_code(caller: Caller, body: WorkerCodeStart) -> WorkerCode:
    """Return a code that enrols one worker, and that lasts a day."""
    if not caller.config.broker:
        raise SettingError(
            "Workers on other machines need a broker, and none is set.",
            "Set its address: FASCICULUS_BROKER, or broker in fasciculus.toml.",
        )
    with caller.write() as db:
        code, expires = workers.add_code(db, caller.cipher, body.queue)
    caller.note("made a code for a worker", f"queue {body.queue}")
    return WorkerCode(code=code, queue=body.queue, expires=expires)


def workers_drain(caller: Caller, name: str, body: WorkerDrain) -> FleetWorker:
    """Let a worker drain, or give it orders again."""
    fleet = caller.service.fleet
    workers.worker(caller.reader, caller.cipher, name)
    with caller.write() as db:
        workers.set_drains(db, name, body.drains)
    fleet.reload()
    caller.note("drains worker" if body.drains else "uses worker again", name)
    caller.changed("workers")
    return _shown(fleet, workers.worker(caller.reader, caller.cipher, name))


def workers_remove(caller: Caller, name: str) -> None:
    """Remove a worker; its tasks end."""
    workers.worker(caller.reader, caller.cipher, name)
    with caller.write() as db:
        workers.remove(db, name)
    caller.service.fleet.reload()
    caller.note("removed worker", name)
    caller.changed("workers")


def _shown(fleet: Fleet, row: EnrolledWorker) -> FleetWorker:
    return FleetWorker(
        name=row.name,
        queue=row.queue,
        place=row.place,
        version=row.version,
        slots=row.slots,
        state=_state(fleet, row),
        tasks=[
            WorkerTask(
                kind=type(lease.order).__name__.removesuffix("Order").lower(),
                subject_kind=subject_of(lease.order).kind,
                subject=subject_of(lease.order).name,
                begun=lease.is_begun,
            )
            for lease in fleet.under_way(row)
        ],
        enrolled=row.enrolled,
        last_seen=row.last_seen,
    )


def _state(
    fleet: Fleet, row: EnrolledWorker
) -> Literal["there", "draining", "away", "other version"]:
    if not fleet.is_there(row):
        return "away"
    if row.version != __version__:
        return "other version"
    return "draining" if row.drains else "there"
