"""Answers to the messages of workers."""

from __future__ import annotations

import logging

import msgspec

from ... import __version__
from ...contracts.fleet import (
    Answer,
    Begin,
    Data,
    End,
    Enrol,
    Enrolled,
    Gone,
    Hello,
    ListFiles,
    Proceed,
    ReadFile,
    Refused,
    Report,
    Request,
    ServiceFiles,
    Welcome,
    WriteFile,
    decode_request,
    encode,
)
from ...contracts.sealed_link import key_of_code, new_key, opened, seal
from ...core.errors import MissingError, NameTakenError
from ...records.fleet import workers
from ...records.fleet.workers import EnrolledWorker, NewWorker
from .fleet import Fleet

log = logging.getLogger(__name__)


def answer(fleet: Fleet, worker_id: str, sealed: bytes) -> bytes:
    """Return the sealed answer to a worker's sealed message.

    Raises ``MissingError`` for an unknown worker, and for a message that is not of that worker.
    """
    worker = fleet.worker(worker_id)
    try:
        if worker is None:
            raise ValueError("there is no such worker")
        request = decode_request(opened(worker.key, "request", sealed))
    except (ValueError, msgspec.MsgspecError) as error:
        raise MissingError("There is no such worker.", "Enrol it again.") from error
    return seal(worker.key, "answer", encode(_answered(fleet, worker, request)))


def _answered(fleet: Fleet, worker: EnrolledWorker, request: Request) -> Answer:
    match request:
        case Hello():
            return _hello(fleet, worker, request)
        case Enrol():
            return Refused("It is enrolled already.")
        case _:
            return _of_lease(fleet, worker, request)


def _hello(fleet: Fleet, worker: EnrolledWorker, hello: Hello) -> Answer:
    fleet.heard(worker.id, hello)
    return _other_version(hello.version) or Welcome(worker.drains)


def _other_version(version: str) -> Refused | None:
    """Return the refusal of a worker of another version than the service; None for any other."""
    if version == __version__:
        return None
    return Refused(f"The service is of version {__version__}, and this worker of {version}.")


def _of_lease(
    fleet: Fleet,
    worker: EnrolledWorker,
    request: Begin | Report | ListFiles | ReadFile | WriteFile | End,
) -> Answer:
    lease = fleet.lease(worker, request.lease)
    if lease is None:
        return Gone()
    if isinstance(request, Begin):
        may_begin = lease.begin(request.attempt)
        return Proceed(lease.is_cancelled, lease.seconds) if may_begin else Gone()
    if not lease.renew():
        return Gone()
    files = fleet.files(lease)
    try:
        match request:
            case Report():
                lease.take(request.first, request.events)
            case ListFiles():
                return ServiceFiles(files.existing())
            case ReadFile():
                return Data(files.read(request.reference, request.offset))
            case WriteFile():
                files.write(request.reference, request.offset, request.data, request.is_last)
            case End():
                lease.close(request.ended)
    except (ValueError, OSError) as error:
        log.warning("worker %s: %s", worker.name, error)
        lease.close("sent what cannot be used")
        return Refused(str(error)[:200])
    return Proceed(lease.is_cancelled)


def enrol(fleet: Fleet, code_id: str, sealed: bytes) -> bytes:
    """Return the sealed answer to a worker that has a code, which is used up.

    Raises ``MissingError`` for a code that is unknown, used or expired.
    """
    unknown = MissingError(
        "There is no such code, or it was used, or its time is over.",
        "Make another one: fasciculus workers code.",
    )
    with fleet.records.write() as db:
        found = workers.code(db, fleet.cipher, code_id)
        if found is None:
            raise unknown
        key = key_of_code(found[0])
        try:
            request = decode_request(opened(key, "request", sealed))
        except (ValueError, msgspec.MsgspecError) as error:
            raise unknown from error
        if not isinstance(request, Enrol):
            raise unknown
        try:
            reply: Answer = _enrolled(fleet, request, found[1])
        except NameTakenError as error:
            return seal(key, "answer", encode(Refused(error.sentence())))
        workers.use_code(db, code_id)
    fleet.reload()
    return seal(key, "answer", encode(reply))


def _enrolled(fleet: Fleet, request: Enrol, queue: str) -> Answer:
    if refused := _other_version(request.version):
        return refused
    key = new_key()
    new = NewWorker(request.name, queue, request.recipient, request.version)
    with fleet.records.write() as db:
        worker_id = workers.enrol(db, fleet.cipher, new, key)
    return Enrolled(worker_id, key, queue, fleet.config.broker)
