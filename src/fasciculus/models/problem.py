"""Errors of the API, as RFC 9457 problem details."""

from __future__ import annotations

from enum import StrEnum

from pydantic import Field

from .model import Model


class ProblemType(StrEnum):
    """The stable types of problems, for programs; ``docs/problems.md`` says what each means."""

    INVALID_VALUE = "/problems/invalid-value"
    NAME_TAKEN = "/problems/name-taken"
    FOLDER_NOT_EMPTY = "/problems/folder-not-empty"
    ALREADY_ENDED = "/problems/already-ended"
    ALREADY_RUNNING = "/problems/already-running"
    PAUSED = "/problems/paused"
    NOT_FOUND = "/problems/not-found"
    NOT_SIGNED_IN = "/problems/not-signed-in"
    WRONG_PASSWORD = "/problems/wrong-password"
    NOT_PERMITTED = "/problems/not-permitted"
    PASSWORD_CHANGE_REQUIRED = "/problems/password-change-required"
    CSRF_TOKEN_REQUIRED = "/problems/csrf-token-required"
    TOO_MANY_REQUESTS = "/problems/too-many-requests"
    METHOD_NOT_ALLOWED = "/problems/method-not-allowed"
    RANGE_NOT_SUPPORTED = "/problems/range-not-supported"
    BUSY = "/problems/busy"
    RECORDS_UNWRITABLE = "/problems/records-unwritable"
    UNREACHABLE = "/problems/unreachable"
    STORE_FULL = "/problems/store-full"
    DAMAGED = "/problems/damaged"
    FAILED = "/problems/failed"
    BAD_REQUEST = "/problems/bad-request"
    INTERNAL_ERROR = "/problems/internal-error"


class Health(Model):
    """The health of the service; ``service`` identifies Fasciculus. ``status`` is well or broken,
    ``checks`` has each part by name.
    """

    service: str = "fasciculus"
    version: str = ""
    status: str
    checks: dict[str, bool] = {}


class FieldProblem(Model):
    """The error of one field; the parts of its path are separated by dots."""

    field: str
    message: str


class Problem(Model):
    """A problem in RFC 9457's form.

    ``type`` is one of :class:`ProblemType`; a later version may add some. ``field`` names the
    setting at fault, ``hint`` says what to do next, and ``errors`` has an entry for each field if
    several are wrong.
    """

    type: str = Field(
        default="about:blank", json_schema_extra={"enum": [*ProblemType, "about:blank"]}
    )
    title: str
    status: int
    detail: str = ""
    field: str | None = None
    hint: str = ""
    errors: list[FieldProblem] = []
