"""Reports as they were sent, the outbox, and where reports go."""

from __future__ import annotations

import re
from datetime import datetime
from typing import Annotated, Literal

from pydantic import Field, model_validator

from .model import Model, RenamedFields
from .texts import Name, checked, mail_address_or_empty

#: A name of a host (labels of at most 63 letters, RFC 1035) or an address, and a port.
_HOST = re.compile(
    r"(?:[^/@]*@)?(?:(?=[^/:?#]{1,253}(?:[/:?#]|$))[^\s./:?#]{1,63}(?:\.[^\s./:?#]{1,63})*\.?|\[[0-9a-fA-F:.]+\])"
    r"(?::[0-9]{1,5})?(?:[/?#]|$)"
)
_TIME = re.compile(r"([01]?[0-9]|2[0-3]):([0-5][0-9])", re.ASCII)


def _web_address(value: str) -> str:
    value = value.strip()
    scheme, _, rest = value.partition("://")
    if (
        scheme not in ("http", "https")
        or any(c.isspace() or not c.isprintable() for c in value)
        or not _HOST.match(rest)
    ):
        raise ValueError("Write an address such as https://chat.sedge-quill.example/hooks/….")
    return value


def _time_of_day(value: str) -> str:
    found = _TIME.fullmatch(value.strip())
    if found is None:
        raise ValueError("Write a time such as 07:00.")
    return f"{int(found[1]):02}:{found[2]}"


class Report(Model):
    """A message; ``channel`` is where it goes when that is not mail. ``state`` is waiting, sent or
    undeliverable, ``kind`` run, maintenance, alert or digest."""

    id: int
    run: int | None
    job: str
    at: datetime
    kind: str = "run"
    title: str
    recipients: list[str]
    channel: str = ""
    state: str
    sent: datetime | None = None
    last_error: str = ""


class ReportDetail(Report):
    """A report with its text and its HTML."""

    text: str
    html: str


class ReportPreview(Model):
    """A message as it would be written now."""

    title: str
    text: str
    html: str


class OutboxItem(Model):
    """A report that waits to be sent."""

    id: int
    report: int
    title: str
    recipients: list[str]
    channel: str = ""
    attempts: int
    next_try: datetime
    last_error: str


class MailServer(RenamedFields):
    """The mail server that sends reports. No answer contains its password.

    ``fallback_channel`` gets a report that the mail server has not accepted for an hour; mail is
    retried for ``days`` days. Digests are sent at ``digest_time`` (such as “07:00”) in the time
    zone of their jobs, weekly ones on ``digest_day``.
    """

    former_names = {"second_way": "fallback_channel"}
    address: str = ""
    port: int = Field(default=587, ge=1, le=65535)
    security: Literal["starttls", "tls", "none"] = "starttls"
    user: str = ""
    password: str | None = Field(default=None, repr=False, exclude_if=lambda value: value is None)
    password_set: bool = False
    sender: Annotated[str, checked(mail_address_or_empty)] = ""
    fallback_channel: str = ""
    days: int = Field(default=5, ge=1, le=30)
    digest_time: Annotated[str, checked(_time_of_day)] = "07:00"
    digest_day: Literal["mon", "tue", "wed", "thu", "fri", "sat", "sun"] = "mon"


class ChannelInput(Model):
    """A webhook that reports go to as well.

    ``form`` is the payload: “message” is the whole report as JSON, signed with ``secret``
    (Standard Webhooks 1.0); “text” and “content” one line under that name, as many chat services
    take it; “template” what ``template`` makes of it, which must be JSON. ``secret`` is given when
    saving, never given back; left out, it stays as it was.
    """

    name: Name
    url: Annotated[str, checked(_web_address)] = Field(repr=False)
    form: Literal["message", "text", "content", "template"] = "message"
    template: str = Field(default="", max_length=20_000)
    secret: str | None = Field(default=None, repr=False, exclude_if=lambda value: value is None)

    @model_validator(mode="after")
    def _fits(self) -> ChannelInput:
        if self.form == "template" and not self.template.strip():
            raise ValueError("template: write one, or choose another form.")
        return self


class Channel(Model):
    """A webhook in a list, with only the host of its address, since the rest may be secret."""

    name: str
    host: str
    form: str
    template: str = ""
    secret_set: bool = False
    jobs: list[str] = []


class ChannelAnswer(Model):
    """The answer of a webhook: its status, its duration in seconds, and the beginning of
    the body.
    """

    ok: bool
    status: int | None
    seconds: float
    body: str
    error: str = ""


class Template(Model):
    """A message template: the present text and the default."""

    name: str
    text: str
    shipped: str
    changed: bool


class TemplateText(Model):
    """A text in place of a template; None for the one that came along."""

    text: str | None = None


class WebhookTask(Model):
    """A subject's part of a run, in a webhook's message; sizes are bytes."""

    subject_kind: str
    subject: str
    outcome: str
    bundle: str
    bytes: int
    packed: int
    seconds: float
    error: str
    warnings: list[str]
    stores: dict[str, str]


class WebhookStore(Model):
    """The usage of a store, in a webhook's message."""

    name: str
    copies: int
    bytes: int


class WebhookMessage(Model):
    """The payload of a webhook with the form “message”. ``version`` grows when the meaning of a
    field changes; fields may be added. ``event`` is run, alert, digest, maintenance or try.
    """

    version: int = 1
    event: str
    at: datetime
    title: str
    sentence: str
    outcome: str = ""
    trouble: bool = False
    job: str = ""
    run: int | None = None
    started: datetime | None = None
    ended: datetime | None = None
    link: str = ""
    text: str = ""
    tasks: list[WebhookTask] = []
    stores: list[WebhookStore] = []
