"""Writes messages into the outbox, in the words of their templates, for addresses and channels."""

from __future__ import annotations

import logging
import sqlite3
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from html import escape
from typing import Any, Protocol

from ...channels import KINDS as CHANNELS
from ...channels.base import ChannelMessage
from ...channels.mail_message import Attachment, compose
from ...config import Config
from ...core.formatting import format_list
from ...core.reports.run_report import RunReport
from ...models import WebhookMessage, WebhookStore
from ...records import settings
from ...records.forget_secrets import MAIL
from ...records.messages import channels, reports
from ...records.messages.reports import NewReport
from ...records.secret_cipher import SecretCipher
from ...records.stores import stores
from ..settings.mail_settings import sender_of
from . import templates, webhook_message
from .channel_messages import composed

log = logging.getLogger(__name__)


class Content(Protocol):
    """The contents of a message; its template may use more of it."""

    @property
    def title(self) -> str:
        """Return the title."""

    @property
    def sentence(self) -> str:
        """Return the summary in one sentence."""

    @property
    def trouble(self) -> bool:
        """Return whether it reports trouble."""

    @property
    def link(self) -> str:
        """Give a file another name."""


@dataclass(frozen=True, slots=True)
class Message:
    """``kind`` is run, maintenance, alert or digest; ``lines`` is a log that goes along by mail."""

    kind: str
    content: Content
    run: int | None = None
    job: str = ""
    lines: str | None = None
    attached: Sequence[Attachment] = ()

    @property
    def log(self) -> tuple[str, str] | None:
        """Return the log as a file's name and text, if there is one."""
        return None if self.lines is None else (f"run-{self.run}.log", self.lines)

    @property
    def template(self) -> str:
        """Return the name of its templates, without their forms."""
        return "report" if self.kind == "run" else self.kind


@dataclass(frozen=True, slots=True)
class Audience:
    """The recipients of a message: mail addresses and channels."""

    people: tuple[str, ...] = ()
    channels: tuple[str, ...] = ()

    def __bool__(self) -> bool:
        return bool(self.people or self.channels)

    def or_else(self, others: Audience) -> Audience:
        """Return the people of another audience where this has none, and its channels likewise."""
        return Audience(self.people or others.people, self.channels or others.channels)

    def parts(self) -> list[Audience]:
        """Return the addresses together, and each channel by itself."""
        channels = [Audience(channels=(name,)) for name in self.channels]
        return [Audience(people=self.people), *channels] if self.people else channels


class MessageWriter:
    """Puts messages into the outbox."""

    def __init__(self, config: Config, cipher: SecretCipher) -> None:
        self._config, self._cipher = config, cipher

    def link(self, page: str) -> str:
        """Return the address of a page of the console; empty while its own address is not set."""
        base = self._config.public_url.rstrip("/")
        return f"{base}/#/{page}" if base else ""

    def rendered(self, db: sqlite3.Connection, template: str, content: Any) -> tuple[str, str]:
        """Return a message as text and as HTML; by the default templates where people's own fail,
        which the message then says.
        """
        texts = templates.own_texts(db)
        try:
            return _both(texts, template, content)
        except Exception as error:
            log.warning(
                "the template of %s fails, and the default one is used: %s", template, error
            )
            text, html = _both({}, template, content)
            note = (
                f"Your own template for this message failed, so the default one was used: {error}"
            )
            return f"{text}\n-- \n{note}\n", _noted(html, note)

    def write(self, db: sqlite3.Connection, message: Message, audience: Audience) -> None:
        """Let a message wait to be sent: one mail to all addresses, and one to each channel. Errors
        of one channel are only logged.
        """
        if not audience:
            return
        text, html = self.rendered(db, message.template, message.content)
        if audience.people:
            mail = compose(
                sender_of(db),
                list(audience.people),
                message.content.title,
                text,
                html,
                message.log,
                message.attached,
            )
            reports.add(db, _waiting(message, text, html, mail, people=audience.people))
        for name in audience.channels:
            try:
                way = channels.channel(db, self._cipher, name)
                data = self._data(db, message, text)
                whole = ChannelMessage(
                    data, sender_of(db), text, html, message.log, message.attached
                )
                body = composed(way, whole)
            except Exception as error:
                log.warning("channel %s gets no message: %s", name, error)
                continue
            people = CHANNELS.get(way.settings.kind).recipients(way)
            reports.add(db, _waiting(message, text, html, body, people, name))

    def _data(self, db: sqlite3.Connection, message: Message, text: str) -> WebhookMessage:
        content, totals = message.content, store_totals(db, self._cipher)
        if isinstance(content, RunReport):
            return webhook_message.of_run(content, totals)
        return WebhookMessage(
            event=message.kind,
            at=datetime.now(UTC),
            title=content.title,
            sentence=content.sentence,
            trouble=content.trouble,
            link=content.link,
            text=text,
            stores=totals,
        )

    def fallback_channel(self, db: sqlite3.Connection, due: reports.DueReport) -> None:
        """Send a message that could not be delivered for long to the fallback channel."""
        name = settings.get(db, MAIL, {}).get("fallback_channel", "")
        if not name or name == due.channel:
            return
        whom = f"channel {due.channel}" if due.channel else format_list(due.recipients)
        message = WebhookMessage(
            event=due.kind,
            at=due.at,
            title=due.title,
            sentence=f"This report could not be delivered to {whom} for an hour.",
            trouble=True,
            text=due.text,
            stores=store_totals(db, self._cipher),
        )
        try:
            way = channels.channel(db, self._cipher, name)
            body = composed(way, ChannelMessage(message, sender_of(db)))
        except Exception as error:
            log.warning("the fallback channel, %s, gets no message: %s", name, error)
            return
        people = CHANNELS.get(way.settings.kind).recipients(way)
        new = NewReport(
            due.kind, due.title, due.text, "", body, people, channel=name, instead_of=due.id
        )
        reports.add(db, new)


def _waiting(
    message: Message,
    text: str,
    html: str,
    body: bytes,
    people: Sequence[str] = (),
    channel: str = "",
) -> NewReport:
    return NewReport(
        message.kind,
        message.content.title,
        text,
        html,
        body,
        people,
        channel,
        message.run,
        message.job,
    )


def _both(texts: Mapping[str, str], template: str, content: Any) -> tuple[str, str]:
    text, html = (
        templates.filled(texts, f"{template}.{form}", content) for form in ("txt", "html")
    )
    return text, html


def _noted(html: str, note: str) -> str:
    """Return a page with a note at its end."""
    line = f"<p>{escape(note)}</p>"
    head, end, tail = html.rpartition("</body>")
    return f"{head}{line}{end}{tail}" if end else html + line


def store_totals(db: sqlite3.Connection, cipher: SecretCipher) -> list[WebhookStore]:
    """Return the usage of all stores."""
    return [
        WebhookStore(name=row.name, copies=row.copies, bytes=row.bytes)
        for row in stores.fills(db, cipher)
    ]
