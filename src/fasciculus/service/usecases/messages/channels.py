"""Channels that reports go to."""

from __future__ import annotations

from datetime import UTC, datetime

from ....channels import KINDS
from ....models import Channel, ChannelAnswer, ChannelInput, Page
from ....records.messages import channels
from ....records.secret_cipher import merged
from ... import outside
from ...notifications.channel_messages import composed, delivery, example
from ...notifications.messages import store_totals
from ...settings.kind_settings import channel_spec
from ..caller import Caller


def channels_list(caller: Caller) -> Page[Channel]:
    """Return the channels that reports go to."""
    rows = channels.channels(caller.reader, caller.cipher)
    return Page(items=rows, total=len(rows))


def channels_save(caller: Caller, body: ChannelInput) -> Page[Channel]:
    """Add a channel, or change the one of its name."""
    db, cipher = caller.reader, caller.cipher
    new = channel_spec(body, merged(channels.secrets(db, cipher, body.name), body.secrets))
    # A template that fails would fail in the night.
    composed(new, example(db, store_totals(db, cipher)))
    with caller.write() as writer:
        channels.save(writer, cipher, new)
    caller.note("saved channel", body.name)
    return channels_list(caller)


def channels_remove(caller: Caller, name: str) -> None:
    """Remove a channel that nothing uses."""
    with caller.write() as db:
        channels.remove(db, name)
    caller.note("removed channel", name)


def channels_try(caller: Caller, name: str) -> ChannelAnswer:
    """Send a test message to a channel, and return its answer."""
    db, cipher = caller.reader, caller.cipher
    found = channels.channel(db, cipher, name)
    payload = composed(found, example(db, store_totals(db, cipher)))
    number = f"try-{int(datetime.now(UTC).timestamp() * 1000)}"
    sent = delivery(db, cipher, number, payload, caller.config.webhook_networks)
    return outside.try_out(KINDS.get(found.settings.kind).ask, found, sent)
