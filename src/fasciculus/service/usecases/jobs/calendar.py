"""The days to come, and their feed for calendar programs."""

from __future__ import annotations

import secrets
from datetime import UTC, datetime

from ....core.scope import EVERYTHING
from ....models import Calendar, CalendarFeed
from ....models.queries import CalendarQuery
from ....records import settings
from ....records.db import stamp
from ....records.jobs.start_addresses import digest
from ...context import Context
from ...settings.watch_settings import watch_settings
from ..caller import Caller
from . import coming_starts as calendar

_KEY = "calendar.feed"
_FEED_DAYS = 28


def calendar_show(caller: Caller, query: CalendarQuery) -> Calendar:
    """Return the starts of the coming days, how long they will take, and how they collide."""
    db = caller.reader
    found = calendar.calendar(db, caller.scope, datetime.now(UTC), query.days)
    watch = watch_settings(db)
    found.quiet, found.zone = watch.quiet, watch.zone
    return found


def calendar_feed(caller: Caller) -> CalendarFeed:
    """Return state of the calendar feed."""
    row = settings.get(caller.reader, _KEY) or {}
    return CalendarFeed(made=row.get("made"))


def calendar_feed_make(caller: Caller) -> CalendarFeed:
    """Make a new secret address for the calendar feed, in place of the one there was."""
    secret = secrets.token_urlsafe(32)
    made = datetime.now(UTC)
    row = {"hash": digest(secret), "made": stamp(made)}
    with caller.write() as db:
        settings.put(db, _KEY, row)
    caller.note("made the calendar feed's address", "")
    return CalendarFeed(made=made, url=f"{caller.service.base_url}/calendar/{secret}.ics")


def calendar_feed_remove(caller: Caller) -> None:
    """Switch the calendar feed off."""
    with caller.write() as db:
        settings.put(db, _KEY, {})
    caller.note("removed the calendar feed's address", "")


def calendar_feed_data(service: Context, secret: str) -> bytes | None:
    """Return the coming starts as iCalendar (RFC 5545), for anyone with the feed's secret address:
    calendar programs cannot sign in. None where the secret is wrong.
    """
    db = service.records.reader
    row = settings.get(db, _KEY) or {}
    if not secrets.compare_digest(row.get("hash", ""), digest(secret)):
        return None
    moment = datetime.now(UTC)
    found = calendar.calendar(db, EVERYTHING, moment, _FEED_DAYS)
    return calendar.as_icalendar(found.starts, moment, service.config.public_url.rstrip("/"))
