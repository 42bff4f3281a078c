"""Reports as they were sent, the outbox, and where reports go."""

from __future__ import annotations

import re
from collections.abc import Mapping
from datetime import datetime
from typing import Annotated, Any, Literal

from pydantic import Field, model_validator

from ..core.subject import SubjectKind
from .kinds import KindSettings
from .model import Model, RenamedFields
from .texts import Name, checked, mail_address_or_empty

_TIME = re.compile(r"([01]?[0-9]|2[0-3]):([0-5][0-9])", re.ASCII)


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
    """A channel to be saved. Secrets you omit stay as they were; an empty text removes one.

    The fields of its previous form (``url``, ``form``, ``template``, ``secret``) are accepted for
    one version.
    """

    name: Name
    settings: KindSettings
    secrets: dict[str, str | None] = Field(default={}, repr=False)

    @model_validator(mode="before")
    @classmethod
    def _take_former_fields(cls, values: Any) -> Any:
        if not isinstance(values, dict) or "settings" in values:
            return values
        return former_channel(values)


def former_channel(values: Mapping[str, Any]) -> dict[str, Any]:
    """Return a channel in its present form, out of the fields of the previous version."""
    form = values.get("form", "message")
    if form == "template" and not str(values.get("template", "")).strip():
        raise ValueError("template: write one, or omit “form”.")
    settings = (
        {"kind": "chat", "field": form}
        if form in ("text", "content")
        else {"kind": "webhook", "template": values.get("template", "")}
    )
    given = {key: values[key] for key in ("url", "secret") if values.get(key) is not None}
    other = {k: v for k, v in values.items() if k not in ("url", "form", "template", "secret")}
    secrets = {**given, **other.get("secrets", {})}
    if settings["kind"] == "chat":
        # A line is not signed.
        secrets.pop("secret", None)
    return {**other, "settings": settings, "secrets": secrets}


class Channel(Model):
    """A channel in a list. ``where`` is where it sends to, without anything secret."""

    name: str
    settings: KindSettings
    where: str
    secrets_set: list[str] = []
    jobs: list[str] = []


class ChannelAnswer(Model):
    """The answer of a channel: its HTTP status if it has one, its duration in seconds, and the
    beginning of the body.
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

    subject_kind: SubjectKind
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
    """The payload of a webhook without a template. ``version`` grows when the meaning of a
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
