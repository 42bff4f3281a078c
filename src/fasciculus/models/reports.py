"""Reports as they were sent, the outbox, and the mail server."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal

from pydantic import AfterValidator, BaseModel, Field

from .jobs import _address


def _address_or_empty(value: str) -> str:
    return _address(value) if value.strip() else ""


class Report(BaseModel):
    id: int
    run: int | None
    job: str
    at: datetime
    title: str
    recipients: list[str]
    state: str
    sent: datetime | None = None
    last_error: str = ""


class ReportDetail(Report):
    text: str
    html: str


class OutboxItem(BaseModel):
    """A report that waits to be sent."""

    id: int
    report: int
    title: str
    recipients: list[str]
    attempts: int
    next_try: datetime
    last_error: str


class MailServer(BaseModel):
    """Where reports are handed in. The password is given when saving, never given back."""

    address: str = ""
    port: int = Field(default=587, ge=1, le=65535)
    security: Literal["starttls", "tls", "none"] = "starttls"
    user: str = ""
    password: str | None = Field(default=None, repr=False, exclude_if=lambda value: value is None)
    password_set: bool = False
    sender: Annotated[str, AfterValidator(_address_or_empty)] = ""
