"""``/calendar/SECRET.ics``: the coming starts for calendar programs."""

from __future__ import annotations

from flask import Response

from ...models import ProblemType
from ..usecases.jobs.calendar import calendar_feed_data
from . import guesses
from .problems import problem
from .request import context


def feed(secret: str) -> Response:
    """Return the feed, without sign-in, for anyone with its secret address."""
    data = calendar_feed_data(context(), secret)
    if data is None:
        return guesses.refused(
            problem(ProblemType.NOT_FOUND, "There is no such feed.", hint="Was it replaced?")
        )
    return Response(data, mimetype="text/calendar", headers={"Cache-Control": "no-store"})
