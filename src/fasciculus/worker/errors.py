"""What can end a task early, and how errors are put into words."""

from __future__ import annotations

import errno

from ..core.errors import ConnectionLostError, FasciculusError

_PASSING = {
    errno.ECONNREFUSED,
    errno.ECONNRESET,
    errno.ECONNABORTED,
    errno.EHOSTUNREACH,
    errno.ENETUNREACH,
    errno.ENETDOWN,
    errno.ETIMEDOUT,
    errno.EPIPE,
    errno.EAGAIN,
}


class CancelledError(BaseException):
    """Somebody asked this worker to stop."""


class NoStoreLeftError(Exception):
    """Every store has failed: there is nowhere to put a bundle."""


def error_text(error: Exception) -> str:
    """What went wrong, as a sentence for people."""
    if isinstance(error, FasciculusError):
        return error.sentence()
    if isinstance(error, OSError):
        return f"{error.strerror or error}: {error.filename or ''}".rstrip(": ") + "."
    return f"Unexpected: {type(error).__name__}: {error}."


def is_passing(error: BaseException) -> bool:
    """Whether the same may succeed later without anybody changing anything: nothing answered, or a
    connection broke off. A refusal is not passing: trying a wrong password again locks people out.
    """
    if isinstance(error, FasciculusError):
        return isinstance(error, ConnectionLostError)
    return isinstance(error, TimeoutError | ConnectionError) or (
        isinstance(error, OSError) and error.errno in _PASSING
    )
