"""Webhooks that reports go to."""

from __future__ import annotations

from datetime import UTC, datetime

from ....models import Channel, ChannelAnswer, ChannelInput, Page, WebhookMessage
from ....records.messages import channels
from ... import outside
from ...notifications import webhook
from ...notifications.messages import store_totals
from ..caller import Caller


def channels_list(caller: Caller) -> Page[Channel]:
    """Return webhooks that reports go to."""
    rows = channels.channels(caller.reader, caller.cipher)
    return Page(items=rows, total=len(rows))


def channels_save(caller: Caller, body: ChannelInput) -> Page[Channel]:
    """Add a webhook, or change the one of its name."""
    webhook.check_template(body, _example(caller))
    with caller.write() as db:
        channels.save(db, caller.cipher, body)
    caller.note("saved channel", body.name)
    return channels_list(caller)


def _example(caller: Caller) -> WebhookMessage:
    return webhook.example(store_totals(caller.reader, caller.cipher))


def channels_remove(caller: Caller, name: str) -> None:
    """Remove a webhook that nothing uses."""
    with caller.write() as db:
        channels.remove(db, name)
    caller.note("removed channel", name)


def channels_try(caller: Caller, name: str) -> ChannelAnswer:
    """Send a test message to a webhook, and show its answer."""
    found = channels.channel(caller.reader, caller.cipher, name)
    body = webhook.body_of(found, _example(caller))
    number = f"try-{int(datetime.now(UTC).timestamp() * 1000)}"
    networks = caller.config.webhook_networks
    return outside.try_out(webhook.ask, found, number, body, networks)
