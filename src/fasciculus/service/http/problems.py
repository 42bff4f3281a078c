"""Problems: error answers as RFC 9457 problem details, each with a stable type."""

from __future__ import annotations

from flask import Response

from ...core.errors import (
    AlreadyEndedError,
    BusyError,
    DamagedError,
    FasciculusError,
    FolderNotEmptyError,
    MissingError,
    NameTakenError,
    SettingError,
    StoreFullError,
    UnreachableError,
)
from ...models import FieldProblem, Problem, ProblemType
from ...records.db import UnwritableError
from ..tasks.backups import AlreadyRunningError, PausedError

#: The HTTP status of each type.
STATUS: dict[ProblemType, int] = {
    ProblemType.INVALID_VALUE: 422,
    ProblemType.NAME_TAKEN: 422,
    ProblemType.FOLDER_NOT_EMPTY: 422,
    ProblemType.ALREADY_ENDED: 422,
    ProblemType.FAILED: 422,
    ProblemType.ALREADY_RUNNING: 409,
    ProblemType.PAUSED: 409,
    ProblemType.NOT_FOUND: 404,
    ProblemType.NOT_SIGNED_IN: 401,
    ProblemType.WRONG_PASSWORD: 401,
    ProblemType.NOT_PERMITTED: 403,
    ProblemType.PASSWORD_CHANGE_REQUIRED: 403,
    ProblemType.CSRF_TOKEN_REQUIRED: 403,
    ProblemType.TOO_MANY_REQUESTS: 429,
    ProblemType.METHOD_NOT_ALLOWED: 405,
    ProblemType.RANGE_NOT_SUPPORTED: 416,
    ProblemType.BAD_REQUEST: 400,
    ProblemType.BUSY: 503,
    ProblemType.RECORDS_UNWRITABLE: 503,
    ProblemType.UNREACHABLE: 502,
    ProblemType.STORE_FULL: 502,
    ProblemType.DAMAGED: 502,
    ProblemType.INTERNAL_ERROR: 500,
}
#: The first that an error is an instance of counts.
_OF_ERRORS: tuple[tuple[type[FasciculusError], ProblemType], ...] = (
    (AlreadyRunningError, ProblemType.ALREADY_RUNNING),
    (PausedError, ProblemType.PAUSED),
    (UnwritableError, ProblemType.RECORDS_UNWRITABLE),
    (MissingError, ProblemType.NOT_FOUND),
    (NameTakenError, ProblemType.NAME_TAKEN),
    (FolderNotEmptyError, ProblemType.FOLDER_NOT_EMPTY),
    (AlreadyEndedError, ProblemType.ALREADY_ENDED),
    (SettingError, ProblemType.INVALID_VALUE),
    (BusyError, ProblemType.BUSY),
    (StoreFullError, ProblemType.STORE_FULL),
    (UnreachableError, ProblemType.UNREACHABLE),
    (DamagedError, ProblemType.DAMAGED),
    (FasciculusError, ProblemType.FAILED),
)
#: Of what Flask and werkzeug refuse themselves.
_OF_STATUS = {
    404: ProblemType.NOT_FOUND,
    405: ProblemType.METHOD_NOT_ALLOWED,
    416: ProblemType.RANGE_NOT_SUPPORTED,
    429: ProblemType.TOO_MANY_REQUESTS,
}


def problem(
    kind: ProblemType,
    title: str,
    detail: str = "",
    hint: str = "",
    field: str | None = None,
    errors: list[FieldProblem] | None = None,
) -> Response:
    """Return a problem as ``application/problem+json``, with the status of its type."""
    return _answer(kind, STATUS[kind], title, detail, hint, field, errors)


def problem_of_error(error: FasciculusError) -> Response:
    """Return the problem for one of our errors."""
    kind = next(kind for family, kind in _OF_ERRORS if isinstance(error, family))
    return problem(kind, error.message, hint=error.hint, field=error.field)


def problem_of_status(status: int, title: str, hint: str = "") -> Response:
    """Return the problem for a status that the web framework answers with."""
    kind = _OF_STATUS.get(
        status, ProblemType.INTERNAL_ERROR if status >= 500 else ProblemType.BAD_REQUEST
    )
    return _answer(kind, status, title, "", hint, None, None)


def _answer(
    kind: ProblemType,
    status: int,
    title: str,
    detail: str,
    hint: str,
    field: str | None,
    errors: list[FieldProblem] | None,
) -> Response:
    body = Problem(
        type=kind,
        title=title,
        status=status,
        detail=detail,
        hint=hint,
        field=field,
        errors=errors or [],
    )
    return Response(body.model_dump_json(), status, mimetype="application/problem+json")
