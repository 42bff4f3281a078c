"""The standing checks and the alerts that they open."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal

from pydantic import Field

from .jobs.timetable import Hours, Zone
from .model import Model
from .texts import checked, mail_address


class WatchSettings(Model):
    """The recipients of alerts that belong to no job, the quiet hours (“22:00-06:00”), the hours
    after which an unacknowledged alert is sent again (0: never), and the thresholds in days.
    """

    recipients: list[Annotated[str, checked(mail_address)]] = Field(default=[], max_length=50)
    channels: list[str] = Field(default=[], max_length=20)
    quiet: Hours = ""
    zone: Zone = "UTC"
    remind_hours: int = Field(default=0, ge=0, le=24 * 30)
    full_days: int = Field(default=14, ge=0, le=365)
    certificate_days: int = Field(default=21, ge=0, le=365)
    #: Hours after which a store that lacks copies is an alert.
    lag_hours: int = Field(default=24, ge=1, le=24 * 30)
    #: Days beyond its setting after which reading a store back is overdue.
    verify_days: int = Field(default=7, ge=1, le=365)
    #: Which restores are reported to the recipients of alerts.
    restores: Literal["always", "trouble", "never"] = "always"


class Alert(Model):
    """Something that the watch found; open until it is over. ``level`` is broken or look, ``check``
    the name of the standing check."""

    id: int
    key: str
    check: str
    level: Literal["broken", "look"]
    job: str = ""
    about: str
    text: str
    link: str
    opened: datetime
    closed: datetime | None = None
    told: datetime | None = None
    acknowledged: datetime | None = None
    acknowledged_by: str = ""
    note: str = ""


class Acknowledgement(Model):
    """The acknowledgement of an alert, with a comment for others."""

    note: str = Field(default="", max_length=500)
