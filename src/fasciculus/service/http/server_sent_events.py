"""Answers of Server-Sent Events."""

from __future__ import annotations

from collections.abc import Iterator

from flask import Response, request


def last_event_id(asked: str) -> str:
    """Return the event to resume after: a browser sends it by itself when it connects again."""
    return request.headers.get("Last-Event-ID") or asked


def event_stream(events: Iterator[bytes]) -> Response:
    """Return an answer that stays open while there are events."""
    return Response(
        events,
        mimetype="text/event-stream",
        headers={"Cache-Control": "no-store", "X-Accel-Buffering": "no"},
    )
