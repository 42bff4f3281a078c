"""Channels that reports go to."""

from __future__ import annotations

from .....core.permissions import Permission
from .....models import Channel, ChannelAnswer, ChannelInput, Page
from ....usecases.messages import channels
from ...operations import operation
from ...request import caller


@operation(
    "GET", "/channels", "Channels that reports go to", Permission.CONFIGURE, response=Page[Channel]
)
def channels_list() -> Page[Channel]:
    return channels.channels_list(caller())


@operation(
    "PUT",
    "/channels",
    "Add a channel, or change the one of its name",
    Permission.ADMINISTER,
    body=ChannelInput,
    response=Page[Channel],
)
def channels_save(body: ChannelInput) -> Page[Channel]:
    return channels.channels_save(caller(), body)


@operation(
    "DELETE", "/channels/{name}", "Remove a channel that nothing uses", Permission.ADMINISTER
)
def channels_remove(name: str) -> None:
    channels.channels_remove(caller(), name)


@operation(
    "POST",
    "/channels/{name}/try",
    "Send a test message to a channel, and show its answer",
    Permission.ADMINISTER,
    response=ChannelAnswer,
)
def channels_try(name: str) -> ChannelAnswer:
    return channels.channels_try(caller(), name)
