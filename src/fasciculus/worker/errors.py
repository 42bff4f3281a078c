"""Errors that end a task early, and their wording."""

from __future__ import annotations

import errno
import os
from collections.abc import Iterable
from contextlib import suppress

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


#: Bytes below which a disk counts as full.
_NO_ROOM = 4 * 1024 * 1024


class CancelledError(BaseException):
    """This worker was asked to stop."""


class NoStoreLeftError(Exception):
    """Every store has failed: there is nowhere to put a bundle."""


def error_text(error: Exception, places: Iterable[str] = ()) -> str:
    """Return what went wrong, as a sentence for people.

    ``places`` are folders of this machine that the task writes to: a full disk is said of the one
    that is.
    """
    if isinstance(error, FasciculusError):
        return error.sentence()
    if isinstance(error, OSError) and error.errno in (errno.ENOSPC, errno.EDQUOT):
        where = str(error.filename or _full(places) or "this machine")
        return (
            f"The disk of {where} is full. Free space there; the folder for pieces on their way "
            "can be moved with FASCICULUS_SPOOL."
        )
    if isinstance(error, OSError):
        return f"{error.strerror or error}: {error.filename or ''}".rstrip(": ") + "."
    return f"Unexpected: {type(error).__name__}: {error}."


def _full(places: Iterable[str]) -> str:
    """Return the first of some folders whose disk has no room, empty where each has."""
    for place in filter(None, places):
        folder = place
        while not os.path.isdir(folder) and folder not in ("", "/"):
            folder = os.path.dirname(folder)
        with suppress(OSError):
            info = os.statvfs(folder or "/")
            if info.f_bavail * info.f_frsize < _NO_ROOM:
                return place
    return ""


def is_passing(error: BaseException) -> bool:
    """Return whether a retry may succeed without any change: nothing answered, or a connection was
    lost. A refusal is not passing: trying a wrong password again locks people out.
    """
    if isinstance(error, FasciculusError):
        return isinstance(error, ConnectionLostError)
    return isinstance(error, TimeoutError | ConnectionError) or (
        isinstance(error, OSError) and error.errno in _PASSING
    )
