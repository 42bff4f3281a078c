"""Access of the handlers to the current request."""

from __future__ import annotations

from flask import current_app, g, request

from ..context import Context
from ..usecases.caller import Caller


def context() -> Context:
    """Return the parts of the service that answers the current request."""
    found: Context = current_app.extensions["fasciculus"]
    return found


def caller() -> Caller:
    """Return who asks, with the parts of the service that answers."""
    return Caller(context(), g.principal)


def idempotency_key() -> str | None:
    """Return the key by which a repeated request is recognised (``Idempotency-Key``)."""
    return request.headers.get("Idempotency-Key")
