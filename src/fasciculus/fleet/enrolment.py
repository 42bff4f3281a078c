"""The enrolment of a worker, in a file that only its user can read."""

from __future__ import annotations

import base64
import os
import socket
from pathlib import Path

import httpx
import msgspec
from msgspec import Struct

from .. import __version__
from ..contracts.fleet import Enrol, Enrolled, Refused, decode_answer, encode
from ..contracts.sealed_link import key_of_code, opened, seal
from ..contracts.sealed_secrets import WorkerIdentity
from ..core.errors import FasciculusError, SettingError, UnreachableError

_FILE = "worker.json"


class Enrolment(Struct, frozen=True, kw_only=True):
    """An enrolment: the service's address, the worker's id, the key of its messages, its private
    key, its queue and the broker.
    """

    service: str
    worker: str
    name: str
    key: bytes
    identity: str
    queue: str
    broker: str

    def __repr__(self) -> str:
        # It holds keys.
        return f"<Enrolment {self.name}>"


def load(home: Path) -> Enrolment | None:
    """Return the enrolment that is kept in a folder, None without one. Raises ``SettingError``."""
    try:
        return msgspec.json.decode((home / _FILE).read_bytes(), type=Enrolment)
    except FileNotFoundError:
        return None
    except msgspec.MsgspecError as error:
        raise SettingError(
            f"{home / _FILE} cannot be read: {error}.", "Remove it, and enrol the worker again."
        ) from error


def save(home: Path, enrolment: Enrolment) -> None:
    """Keep an enrolment in a folder."""
    home.mkdir(parents=True, exist_ok=True, mode=0o700)
    partial = home / f"{_FILE}.part"
    descriptor = os.open(partial, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
    with os.fdopen(descriptor, "wb") as sink:
        sink.write(msgspec.json.encode(enrolment))
    partial.replace(home / _FILE)


def enrol(service: str, code: str, name: str = "") -> Enrolment:
    """Enrol this machine with a code that was made for it. Raises ``FasciculusError``."""
    code_id, _, secret = code.strip().partition("-")
    if not (code_id.isalnum() and secret.isalnum()):
        raise SettingError(
            "That is no code for a worker.",
            "Make one: fasciculus workers code QUEUE.",
            field="code",
        )
    identity, key = WorkerIdentity(), key_of_code(secret)
    request = Enrol(_name(name), identity.recipient, __version__)
    address = f"{service.rstrip('/')}/api/v1/fleet/enrolments/{code_id}"
    try:
        reply = httpx.post(address, content=seal(key, "request", encode(request)), timeout=30)
    except httpx.HTTPError as error:
        raise UnreachableError(
            f"The service at {service} does not answer: {type(error).__name__}.",
            "Correct its address (--service).",
        ) from error
    if reply.status_code != 200:
        raise FasciculusError(
            "The service does not accept the code: it is unknown, used, or older than a day.",
            "Make another one: fasciculus workers code QUEUE.",
        )
    found = decode_answer(opened(key, "answer", reply.content))
    if isinstance(found, Refused):
        raise FasciculusError(found.reason)
    if not isinstance(found, Enrolled):
        raise FasciculusError("The service's answer is not known.", "Use the same version here.")
    return Enrolment(
        service=service.rstrip("/"),
        worker=found.worker,
        name=request.name,
        key=found.key,
        identity=identity.key,
        queue=found.queue,
        broker=found.broker,
    )


def _name(name: str) -> str:
    return (name or socket.gethostname()).lower()


def unsealed_order(enrolment: Enrolment, text: str) -> bytes:
    """Return what the broker brought. Raises ``ValueError`` for what is not of the service."""
    return opened(enrolment.key, "order", base64.b64decode(text, validate=True))
