"""The days to come, and their feed for calendar programs."""

from __future__ import annotations

import secrets
from datetime import UTC, datetime

from flask import Response

from ...core.permissions import Permission
from ...models import Calendar, CalendarFeed, ProblemType
from ...models.queries import CalendarQuery
from ...records import settings
from ...records.db import stamp
from ...records.start_addresses import digest
from .. import calendar, guesses
from ..context import base_url, context
from ..operations import operation
from ..problems import problem
from ..watch_settings import watch_settings
from .auth import note

_KEY = "calendar.feed"
_FEED_DAYS = 28


@operation(
    "GET",
    "/calendar",
    "The starts of the coming days, how long they will take, and how they collide",
    Permission.VIEW,
    query=CalendarQuery,
    response=Calendar,
)
def calendar_show(query: CalendarQuery) -> Calendar:
    db = context().records.reader
    found = calendar.calendar(db, datetime.now(UTC), query.days)
    watch = watch_settings(db)
    found.quiet, found.zone = watch.quiet, watch.zone
    return found


@operation(
    "GET",
    "/calendar/feed",
    "State of the calendar feed",
    Permission.ADMINISTER,
    response=CalendarFeed,
)
def calendar_feed() -> CalendarFeed:
    row = settings.get(context().records.reader, _KEY) or {}
    return CalendarFeed(made=row.get("made"))


@operation(
    "POST",
    "/calendar/feed",
    "A new secret address for the calendar feed, in place of the one there was",
    Permission.ADMINISTER,
    response=CalendarFeed,
    status=201,
)
def calendar_feed_make() -> CalendarFeed:
    secret = secrets.token_urlsafe(32)
    made = datetime.now(UTC)
    row = {"hash": digest(secret), "made": stamp(made)}
    with context().records.write() as db:
        settings.put(db, _KEY, row)
    note("made the calendar feed's address", "")
    return CalendarFeed(made=made, url=f"{base_url()}/calendar/{secret}.ics")


@operation("DELETE", "/calendar/feed", "Switch the calendar feed off", Permission.ADMINISTER)
def calendar_feed_remove() -> None:
    with context().records.write() as db:
        settings.put(db, _KEY, {})
    note("removed the calendar feed's address", "")


def feed(secret: str) -> Response:
    """Return the feed, without sign-in, for anyone with its secret address; calendar programs
    cannot sign in.
    """
    db = context().records.reader
    row = settings.get(db, _KEY) or {}
    if not secrets.compare_digest(row.get("hash", ""), digest(secret)):
        return guesses.refused(
            problem(ProblemType.NOT_FOUND, "There is no such feed.", hint="Was it replaced?")
        )
    moment = datetime.now(UTC)
    found = calendar.calendar(db, moment, _FEED_DAYS)
    link = context().config.public_url.rstrip("/")
    data = calendar.as_icalendar(found.starts, moment, link)
    return Response(data, mimetype="text/calendar", headers={"Cache-Control": "no-store"})
