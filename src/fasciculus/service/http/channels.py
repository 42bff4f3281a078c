"""Webhooks that reports go to."""

from __future__ import annotations

from datetime import UTC, datetime

from ...core.permissions import Permission
from ...models import Channel, ChannelAnswer, ChannelInput, Page, WebhookMessage
from ...records import channels
from .. import outside
from ..context import context
from ..notifications import webhook
from ..notifications.messages import store_totals
from ..operations import operation
from .auth import note


@operation(
    "GET", "/channels", "Webhooks that reports go to", Permission.CONFIGURE, response=Page[Channel]
)
def channels_list() -> Page[Channel]:
    rows = channels.channels(context().records.reader, context().cipher)
    return Page(items=rows, total=len(rows))


@operation(
    "PUT",
    "/channels",
    "Add a webhook, or change the one of its name",
    Permission.ADMINISTER,
    body=ChannelInput,
    response=Page[Channel],
)
def channels_save(body: ChannelInput) -> Page[Channel]:
    webhook.check_template(body, _example())
    with context().records.write() as db:
        channels.save(db, context().cipher, body)
    note("saved channel", body.name)
    return channels_list()


def _example() -> WebhookMessage:
    return webhook.example(store_totals(context().records.reader, context().cipher))


@operation(
    "DELETE", "/channels/{name}", "Remove a webhook that nothing uses", Permission.ADMINISTER
)
def channels_remove(name: str) -> None:
    with context().records.write() as db:
        channels.remove(db, name)
    note("removed channel", name)


@operation(
    "POST",
    "/channels/{name}/try",
    "Send a test message to a webhook, and show its answer",
    Permission.ADMINISTER,
    response=ChannelAnswer,
)
def channels_try(name: str) -> ChannelAnswer:
    found = channels.channel(context().records.reader, context().cipher, name)
    body = webhook.body_of(found, _example())
    number = f"try-{int(datetime.now(UTC).timestamp() * 1000)}"
    networks = context().config.webhook_networks
    return outside.try_out(webhook.ask, found, number, body, networks)
