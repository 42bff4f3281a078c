"""The live view of everything."""

from __future__ import annotations

from flask import Response

from ..context import context
from ..operations import operation
from .runs import event_stream


@operation(
    "GET",
    "/live",
    "Everything that happens, live",
    media="text/event-stream",
    query={"last_id": "resume after this event id"},
)
def live() -> Response:
    return event_stream(context().events)
