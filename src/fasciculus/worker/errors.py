"""What went wrong, for people."""

from __future__ import annotations

from ..core.errors import FasciculusError


class NoStoreLeftError(Exception):
    """Every store has failed: there is nobody to pack for."""


def sentence(error: Exception) -> str:
    """What went wrong, for people."""
    if isinstance(error, FasciculusError):
        return error.sentence()
    if isinstance(error, OSError):
        return f"{error.strerror or error}: {error.filename or ''}".rstrip(": ") + "."
    return f"Unexpected: {type(error).__name__}: {error}."
