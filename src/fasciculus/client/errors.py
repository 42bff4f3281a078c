"""The one small family of errors that the client raises."""

from __future__ import annotations

from .. import models


class ClientError(Exception):
    """Anything that went wrong; ``hint`` says what to do, where that is known."""

    def __init__(self, message: str, hint: str = "", field: str | None = None) -> None:
        super().__init__(message)
        self.message, self.hint, self.field = message, hint, field


class NoAnswerError(ClientError):
    """The service could not be reached, or closed the connection."""


class RefusedError(ClientError):
    """The service said no; ``problem`` holds its words."""

    def __init__(self, problem: models.Problem) -> None:
        super().__init__(problem.title, problem.hint, problem.field)
        self.problem = problem


class UnusableAnswerError(ClientError):
    """A value that the service would not take; it was not sent."""


class NotSignedInError(RefusedError):
    """The token or session is missing, wrong or over."""


class NotFoundError(RefusedError):
    """There is no such thing."""


class DownloadError(ClientError):
    """A download ended before its end, or is not what it should be."""
