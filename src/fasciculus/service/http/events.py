"""The live view of everything."""

from __future__ import annotations

from flask import Response

from ...core.permissions import Permission
from ...models.queries import LastEventQuery
from ..context import context
from ..operations import operation
from .runs import event_stream


@operation(
    "GET",
    "/live",
    "Everything that happens, live",
    Permission.VIEW,
    media="text/event-stream",
    query=LastEventQuery,
)
def live(query: LastEventQuery) -> Response:
    return event_stream(context().events, query.last_id)
