"""Messages as the kinds of channels get them."""

from __future__ import annotations

import sqlite3
from collections.abc import Sequence

from ...channels import KINDS
from ...channels.base import ChannelMessage, ChannelSpec, Delivery
from ...core.errors import SettingError, UnreachableError
from ...models import WebhookStore
from ...records.secret_cipher import SecretCipher
from .. import outside
from ..settings.mail_settings import mail_password, mail_server, sender_of
from . import webhook_message

#: Seconds that composing a payload may take.
_SECONDS = 10.0


def example(db: sqlite3.Connection, stores: Sequence[WebhookStore]) -> ChannelMessage:
    """Return a test message."""
    return ChannelMessage(webhook_message.example(stores), sender_of(db))


def composed(channel: ChannelSpec, message: ChannelMessage) -> bytes:
    """Return the payload of a message for a channel. Raises ``SettingError`` for a template that
    cannot be rendered, or takes too long.
    """
    kind = KINDS.get(channel.settings.kind)
    try:
        return outside.call_within(_SECONDS, kind.compose, channel, message)
    except UnreachableError as error:
        raise SettingError(
            "The template takes too long or too much memory.",
            "Make it simpler.",
            field="settings.template",
        ) from error


def delivery(
    db: sqlite3.Connection,
    cipher: SecretCipher,
    number: str,
    payload: bytes,
    networks: Sequence[str],
    recipients: Sequence[str] = (),
) -> Delivery:
    """Return one attempt to send a payload, with the mail server for all reports."""
    return Delivery(
        number,
        payload,
        tuple(networks),
        tuple(recipients),
        mail_server(db, cipher),
        mail_password(db, cipher),
        sender_of(db),
    )
