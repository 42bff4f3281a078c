"""What can end a task early, and how errors are put into words."""

from __future__ import annotations

from ..core.errors import FasciculusError


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
