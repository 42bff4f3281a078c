"""Calls to the service, and what goes wrong with them."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator
from types import TracebackType
from typing import Any, Self, TypeVar

import httpx
from pydantic import BaseModel, ValidationError

from .. import models
from ..core.errors import FasciculusError
from ..models.texts import ANSWERED
from .errors import (
    NoAnswerError,
    NotFoundError,
    NotSignedInError,
    RefusedError,
    UnusableAnswerError,
)

T = TypeVar("T")
M = TypeVar("M", bound=BaseModel)

PREFIX = "/api/v1"


def default_url() -> str:
    """Return the address that the service of this machine is set to, as far as it may be read."""
    # Imported here: reading the settings takes a while, and most commands are given an address.
    from ..config import load

    try:
        settings = load()
    except (FasciculusError, OSError):
        return "http://127.0.0.1:7370"
    anywhere = {"0.0.0.0": "127.0.0.1", "::": "::1"}
    address = anywhere.get(settings.address, settings.address)
    return (
        f"http://[{address}]:{settings.port}"
        if ":" in address
        else (f"http://{address}:{settings.port}")
    )


class Transport:
    """The connection under the client's methods."""

    def __init__(
        self, url: str | None = None, token: str | None = None, timeout: float = 60.0
    ) -> None:
        self.url = (url or os.environ.get("FASCICULUS_URL") or default_url()).rstrip("/")
        token = token or os.environ.get("FASCICULUS_TOKEN")
        headers = {"Authorization": f"Bearer {token}"} if token else {}
        # Proxies of the environment are not for a service that listens on loopback, and the
        # authorities that certificates are checked against need not be read for plain HTTP.
        self._http = httpx.Client(
            base_url=self.url,
            headers=headers,
            timeout=timeout,
            trust_env=False,
            verify=not self.url.startswith("http:"),
        )

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        value: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        self.close()

    def close(self) -> None:
        """Close the connections to the service."""
        self._http.close()

    def health(self) -> models.Health:
        """Return whether the service works. Raises ``NoAnswerError`` where something else
        answers.
        """
        try:
            # Nothing secret goes out before it is known who listens.
            answer = self._http.get("/health", headers={"Authorization": ""})
            found = models.Health.model_validate_json(answer.content)
        except httpx.HTTPError as error:
            raise self._unanswered(error) from error
        except ValidationError:
            found = models.Health(service="", status="unknown")
        if found.service != "fasciculus":
            raise NoAnswerError(
                f"The server at {self.url} is not Fasciculus.",
                "Set FASCICULUS_URL to the service's address.",
            )
        return found

    # The wire -------------------------------------------------------------------

    def _call(
        self,
        method: str,
        path: str,
        gives: type[T],
        body: BaseModel | bytes | None = None,
        headers: dict[str, str] | None = None,
        **query: Any,
    ) -> T:
        """Return a call with an answer of a known shape."""
        answer = self._request(method, path, body, headers, **query)
        if issubclass(gives, BaseModel):
            return gives.model_validate_json(answer.content, context=ANSWERED)
        from pydantic import TypeAdapter

        return TypeAdapter(gives).validate_json(answer.content, context=ANSWERED)

    def _request(
        self,
        method: str,
        path: str,
        body: BaseModel | bytes | None = None,
        headers: dict[str, str] | None = None,
        **query: Any,
    ) -> httpx.Response:
        content: str | bytes | None = None
        if isinstance(body, bytes):
            content, headers = body, {"Content-Type": "application/octet-stream"}
        elif body is not None:
            # Secrets are left out of every answer, not out of what is sent.
            content = body.model_dump_json(exclude_none=True)
        params = {key: value for key, value in query.items() if value not in (None, "")}
        try:
            answer = self._http.request(
                method,
                PREFIX + path,
                content=content,
                params=params,
                headers={"Content-Type": "application/json", **(headers or {})},
            )
        except httpx.HTTPError as error:
            raise self._unanswered(error) from error
        self._check(answer)
        return answer

    @staticmethod
    def _made(kind: type[M], **values: Any) -> M:
        """Return a body made here; what cannot be used is said in the client's own words."""
        try:
            return kind(**values)
        except ValidationError as error:
            from ..models.validation import field_errors

            found = field_errors(error)[0]
            message = found.message.rstrip(".")
            raise UnusableAnswerError(
                f"{found.field}: {message}.", "Choose another.", found.field
            ) from None

    def _unanswered(self, error: Exception) -> NoAnswerError:
        return NoAnswerError(
            f"The service at {self.url} does not answer ({error}).",
            "Is it running, and is FASCICULUS_URL right?",
        )

    def _check(self, answer: httpx.Response) -> None:
        if answer.is_success:
            return
        try:
            problem = models.Problem.model_validate_json(answer.read())
        except ValueError:
            problem = models.Problem(
                title=f"{self.url} answered {answer.status_code}.", status=answer.status_code
            )
        if answer.status_code == 401:
            problem.title = f"{problem.title} ({self.url})"
        kind = {401: NotSignedInError, 404: NotFoundError}.get(answer.status_code, RefusedError)
        raise kind(problem)

    @staticmethod
    def every(listing: Callable[..., models.Page[T]], **query: Any) -> Iterator[T]:
        """Yield all items of a list, page after page: ``client.every(client.runs_list,
        job="nightly")``.
        """
        cursor: str | None = None
        while True:
            page = listing(**query, cursor=cursor) if cursor else listing(**query)
            yield from page.items
            if (cursor := page.next) is None:
                return
