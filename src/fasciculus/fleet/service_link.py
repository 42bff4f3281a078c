"""The way from a worker to its service, by HTTP."""

from __future__ import annotations

import threading
from typing import TypeVar

import httpx
import msgspec

from ..contracts.fleet import Answer, Gone, Refused, Request, decode_answer, encode
from ..contracts.sealed_link import opened, seal
from ..core.errors import FasciculusError
from .enrolment import Enrolment

_SECONDS = 10.0
#: Pauses between attempts, in seconds.
_PAUSES = (0.2, 0.5, 1.0, 2.0)
A = TypeVar("A")


class SilentServiceError(FasciculusError):
    """The service does not answer."""


class LeaseOverError(FasciculusError):
    """The lease is over: what is done under it must stop."""


class RefusedByServiceError(FasciculusError):
    """The service refuses a message."""


class ServiceLink:
    """Sends messages to the service, from any thread."""

    def __init__(self, enrolment: Enrolment, stop: threading.Event) -> None:
        self._enrolment, self._stop = enrolment, stop
        self._client = httpx.Client(
            trust_env=False,
            limits=httpx.Limits(max_keepalive_connections=32, keepalive_expiry=60),
        )
        self._address = f"{enrolment.service}/api/v1/fleet/workers/{enrolment.worker}"

    def ask(self, request: Request, answer: type[A], seconds: float = _SECONDS) -> A:
        """Return the answer to a message, which is sent once; it has some seconds to come.

        Raises :class:`SilentServiceError`, :class:`LeaseOverError` or
        :class:`RefusedByServiceError`.
        """
        key = self._enrolment.key
        try:
            reply = self._client.post(
                self._address, content=seal(key, "request", encode(request)), timeout=seconds
            )
            if reply.status_code == 401:
                raise RefusedByServiceError(
                    "The service does not know this worker any more.", "Enrol it again."
                )
            if reply.status_code != 200:
                raise SilentServiceError(f"The service answers {reply.status_code}.")
            found: Answer = decode_answer(opened(key, "answer", reply.content))
        except (httpx.HTTPError, ValueError, msgspec.MsgspecError) as error:
            raise SilentServiceError(f"The service does not answer: {error}.") from error
        if isinstance(found, Gone):
            raise LeaseOverError("The service has ended the task.")
        if isinstance(found, Refused):
            raise RefusedByServiceError(found.reason)
        if not isinstance(found, answer):
            raise RefusedByServiceError(f"The service answers with {type(found).__name__}.")
        return found

    def ask_again(self, request: Request, answer: type[A]) -> A:
        """Return the answer, and try some times before giving up."""
        for pause in _PAUSES:
            try:
                return self.ask(request, answer)
            except SilentServiceError:
                self._stop.wait(pause)
        return self.ask(request, answer)

    def close(self) -> None:
        """Close all connections."""
        self._client.close()
