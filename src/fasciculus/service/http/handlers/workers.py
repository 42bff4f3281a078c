"""Workers on other machines, for people and for the workers themselves."""

from __future__ import annotations

from collections.abc import Callable

from flask import Response, request

from ....core.errors import MissingError
from ....core.permissions import Permission
from ....models import FleetWorker, Page, ProblemType, WorkerCode, WorkerCodeStart, WorkerDrain
from ...fleet import messages
from ...usecases import workers
from ..operations import operation
from ..problems import problem
from ..request import caller, context

_BYTES = "application/octet-stream"


@operation(
    "GET",
    "/workers",
    "Workers on other machines",
    Permission.VIEW,
    response=Page[FleetWorker],
)
def workers_list() -> Page[FleetWorker]:
    return workers.workers_list(caller())


@operation(
    "POST",
    "/workers/codes",
    "A code that enrols one worker, within a day",
    Permission.ADMINISTER,
    body=WorkerCodeStart,
    response=WorkerCode,
    status=201,
)
def workers_code(body: WorkerCodeStart) -> WorkerCode:
    return workers.workers_code(caller(), body)


@operation(
    "POST",
    "/workers/{name}/drain",
    "Let a worker drain, or give it orders again",
    Permission.ADMINISTER,
    body=WorkerDrain,
    response=FleetWorker,
)
def workers_drain(name: str, body: WorkerDrain) -> FleetWorker:
    return workers.workers_drain(caller(), name, body)


@operation(
    "DELETE",
    "/workers/{name}",
    "Remove a worker; its tasks end",
    Permission.ADMINISTER,
)
def workers_remove(name: str) -> None:
    workers.workers_remove(caller(), name)


@operation(
    "POST",
    "/fleet/enrolments/{code}",
    "Enrol a worker: a message sealed with its code",
    Permission.PUBLIC,
    takes_bytes=True,
    media=_BYTES,
)
def fleet_enrol(code: str) -> Response:
    return _sealed(lambda: messages.enrol(context().fleet, code, request.get_data()))


@operation(
    "POST",
    "/fleet/workers/{worker}",
    "A message of a worker, sealed with its key",
    Permission.PUBLIC,
    takes_bytes=True,
    media=_BYTES,
)
def fleet_message(worker: str) -> Response:
    return _sealed(lambda: messages.answer(context().fleet, worker, request.get_data()))


def _sealed(answer: Callable[[], bytes]) -> Response:
    """Return the bytes of an answer; strangers are answered like everywhere: 401."""
    try:
        return Response(answer(), mimetype=_BYTES)
    except MissingError as error:
        return problem(ProblemType.NOT_SIGNED_IN, error.message, hint=error.hint)
