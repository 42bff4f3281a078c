"""Mail to fixed addresses, through the mail server for reports or another one."""

from __future__ import annotations

import re
import time
from typing import Annotated, Literal

from pydantic import Field

from ..core.errors import FasciculusError
from ..fields import check_addresses
from ..kinds import Secrets, Settings
from ..models import ChannelAnswer, MailServer
from ..models.texts import checked, mail_address_or_empty
from . import smtp
from .base import ChannelMessage, ChannelSpec, Delivery
from .mail_message import compose


def _addresses(value: str) -> list[str]:
    return [address for address in re.split(r"[,;\s]+", value) if address]


def _checked_addresses(value: str) -> str:
    found = _addresses(value)
    if not found:
        raise ValueError("Enter at least one e-mail address.")
    check_addresses(found, "recipients")
    return ", ".join(found)


class MailSettings(Settings):
    """The recipients of a mail channel, and its mail server if it has its own."""

    kind: Literal["mail"] = "mail"
    recipients: Annotated[str, checked(_checked_addresses)] = Field(
        max_length=4_000,
        title="Recipients",
        description="E-mail addresses, separated by commas.",
        examples=["duty@sedge-quill.example"],
    )
    address: str = Field(
        default="",
        max_length=253,
        title="Mail server",
        description="Empty: the mail server for all reports. Another one, if this is the fallback "
        "channel.",
        examples=["mail.sedge-quill.example"],
    )
    port: int = Field(default=587, ge=1, le=65535, title="Port")
    security: Literal["starttls", "tls", "none"] = Field(default="starttls", title="Security")
    user: str = Field(default="", title="User")
    sender: Annotated[str, checked(mail_address_or_empty)] = Field(
        default="", title="Sender", description="Empty: the sender of all reports."
    )


class MailSecrets(Secrets):
    """The password for a mail channel's own server."""

    password: str = Field(default="", title="Password")


class MailKind:
    """Mail to a fixed list of addresses."""

    name = "mail"
    title = "Mail"
    settings = MailSettings
    secrets = MailSecrets

    def describe(self, channel: ChannelSpec) -> str:
        """Return the addresses, and its own server."""
        settings = _settings(channel)
        through = f" through {settings.address}" if settings.address else ""
        return settings.recipients + through

    def recipients(self, channel: ChannelSpec) -> list[str]:
        """Return the addresses."""
        return _addresses(_settings(channel).recipients)

    def compose(self, channel: ChannelSpec, message: ChannelMessage) -> bytes:
        """Return a message with text and HTML (RFC 5322)."""
        data = message.data
        text = message.text or data.text or f"{data.sentence}\n"
        return compose(
            _settings(channel).sender or message.sender,
            self.recipients(channel),
            data.title,
            text,
            message.html or None,
            message.log,
            message.attached,
        )

    def ask(self, channel: ChannelSpec, delivery: Delivery) -> ChannelAnswer:
        """Send a message, and return whether the mail server accepted it for all addresses."""
        began = time.monotonic()
        try:
            refused = self.send(channel, delivery)
            error = " ".join(smtp.refusal(refused)) if refused else ""
        except FasciculusError as problem:
            error = problem.sentence()
        seconds = time.monotonic() - began
        body = "" if error else "The mail server accepted the message."
        return ChannelAnswer(ok=not error, status=None, seconds=seconds, body=body, error=error)

    def send(self, channel: ChannelSpec, delivery: Delivery) -> dict[str, str]:
        """Hand a message to the mail server; return the addresses that it refused."""
        settings = _settings(channel)
        recipients = list(delivery.recipients) or self.recipients(channel)
        sender = settings.sender or delivery.sender
        if not settings.address:
            server, password = delivery.server, delivery.password
        else:
            server = MailServer(
                address=settings.address,
                port=settings.port,
                security=settings.security,
                user=settings.user,
            )
            password = channel.secrets.get("password", "")
        return smtp.send(server, password, sender, recipients, delivery.payload)


def _settings(channel: ChannelSpec) -> MailSettings:
    assert isinstance(channel.settings, MailSettings)
    return channel.settings


KIND = MailKind()
