"""The days to come, and their feed for calendar programs."""

from __future__ import annotations

from .....core.permissions import Permission
from .....models import Calendar, CalendarFeed
from .....models.queries import CalendarQuery
from ....usecases.jobs import calendar
from ...operations import operation
from ...request import caller


@operation(
    "GET",
    "/calendar",
    "The starts of the coming days, how long they will take, and how they collide",
    Permission.VIEW,
    query=CalendarQuery,
    response=Calendar,
    scoped=True,
)
def calendar_show(query: CalendarQuery) -> Calendar:
    return calendar.calendar_show(caller(), query)


@operation(
    "GET",
    "/calendar/feed",
    "State of the calendar feed",
    Permission.ADMINISTER,
    response=CalendarFeed,
)
def calendar_feed() -> CalendarFeed:
    return calendar.calendar_feed(caller())


@operation(
    "POST",
    "/calendar/feed",
    "A new secret address for the calendar feed, in place of the one there was",
    Permission.ADMINISTER,
    response=CalendarFeed,
    status=201,
)
def calendar_feed_make() -> CalendarFeed:
    return calendar.calendar_feed_make(caller())


@operation("DELETE", "/calendar/feed", "Switch the calendar feed off", Permission.ADMINISTER)
def calendar_feed_remove() -> None:
    calendar.calendar_feed_remove(caller())
