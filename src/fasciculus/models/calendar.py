"""Upcoming starts, and addresses that start jobs from outside."""

from __future__ import annotations

import ipaddress
from datetime import datetime
from typing import Annotated

from pydantic import Field

from .model import Model
from .texts import checked


def _network(value: str) -> str:
    try:
        return str(ipaddress.ip_network(value.strip(), strict=False))
    except ValueError as error:
        raise ValueError(
            f"“{value}” is not a network; write for example 192.0.2.0/24 or 2001:db8::/32."
        ) from error


class CalendarStart(Model):
    """A start to come; ``seconds`` is how long the run will take, by how long the last ones took,
    None where there was none."""

    job: str
    at: datetime
    zone: str
    seconds: float | None = None


class CalendarCollision(Model):
    """Two jobs whose runs will go on at the same time on the same hosts or stores: how often, when
    first, and by how many minutes ``second`` could be moved to meet nothing; None where no such
    time is near. ``sentence`` says so."""

    first: str
    second: str
    places: list[str]
    count: int
    at: datetime
    #: When both will be running, the first ones.
    moments: list[datetime]
    move: int | None
    sentence: str


class Calendar(Model):
    """The coming days: starts, and collisions of the coming week. ``quiet`` are the hours in which
    the watch sends nothing, in the time zone ``zone``."""

    begin: datetime
    end: datetime
    starts: list[CalendarStart]
    more: int = 0
    collisions: list[CalendarCollision]
    quiet: str = ""
    zone: str = "UTC"


class CalendarFeed(Model):
    """The calendar feed; its secret address only when it was just created."""

    made: datetime | None = None
    url: str = ""


class StartAddressInput(Model):
    """Limits of a start address: allowed networks (none: all), and starts per hour."""

    networks: list[Annotated[str, checked(_network)]] = Field(default=[], max_length=50)
    per_hour: int = Field(default=12, ge=1, le=3600)
    enabled: bool = True


class StartAddress(StartAddressInput):
    """The secret address of a job, without the secret."""

    made: datetime
    used: datetime | None = None


class StartAddressMade(StartAddress):
    """The only time that the address itself is shown, with lines to copy."""

    url: str
    curl: str
    crontab: str


class StartedFromOutside(Model):
    """A run started through an address: its place, and its outcome if the caller waited."""

    run: int
    url: str
    state: str
    outcome: str | None = None
    sentence: str = ""
