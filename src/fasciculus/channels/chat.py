"""Chat services: one line of text under the name that the service expects."""

from __future__ import annotations

import json
from typing import Literal

from pydantic import Field

from ..kinds import Settings
from ..models import ChannelAnswer
from . import posting
from .base import ChannelMessage, ChannelSpec, Delivery, PostSecrets, host_of


class ChatSettings(Settings):
    """The form of a chat message."""

    kind: Literal["chat"] = "chat"
    field: Literal["text", "content"] = Field(
        default="text",
        title="Field",
        description="The name of the field that holds the line in the JSON sent.",
    )


class ChatKind:
    """Chat services with an address for incoming messages."""

    name = "chat"
    title = "Chat"
    settings = ChatSettings
    secrets = PostSecrets

    def describe(self, channel: ChannelSpec) -> str:
        """Return the host of its address."""
        return host_of(channel)

    def recipients(self, channel: ChannelSpec) -> list[str]:
        """Return no address."""
        return []

    def compose(self, channel: ChannelSpec, message: ChannelMessage) -> bytes:
        """Return a line as JSON, under the name of the field."""
        data = message.data
        line = f"{data.title.removeprefix('[Fasciculus] ')}. {data.sentence} {data.link}".strip()
        settings = channel.settings
        assert isinstance(settings, ChatSettings)
        return json.dumps({settings.field: line}, ensure_ascii=False).encode()

    def ask(self, channel: ChannelSpec, delivery: Delivery) -> ChannelAnswer:
        """Post a line, and return the answer."""
        return posting.ask(channel, delivery)

    def send(self, channel: ChannelSpec, delivery: Delivery) -> dict[str, str]:
        """Post a line."""
        return posting.send(channel, delivery)


KIND = ChatKind()
