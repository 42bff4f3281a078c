"""Webhooks: the whole message as signed JSON, or what a template makes of it."""

from __future__ import annotations

import json
from typing import Annotated, Literal

from jinja2 import StrictUndefined, TemplateError
from jinja2.sandbox import SandboxedEnvironment
from pydantic import Field

from ..core.errors import SettingError
from ..kinds import Settings
from ..models import ChannelAnswer
from . import posting
from .base import ChannelMessage, ChannelSpec, Delivery, PostSecrets, host_of


class WebhookSettings(Settings):
    """The payload of a webhook."""

    kind: Literal["webhook"] = "webhook"
    template: Annotated[str, Field(max_length=20_000)] = Field(
        default="",
        title="Template",
        description="Replaces the payload; must produce JSON, as in "
        '{"text": {{ message.title | tojson }}}.',
        json_schema_extra={"multiline": True},
    )


class WebhookSecrets(PostSecrets):
    """The address of a webhook, and the key of its signature."""

    secret: str = Field(
        default="",
        title="Signing secret",
        description="Signs each message by Standard Webhooks 1.0.",
    )


class WebhookKind:
    """Webhooks that take JSON."""

    name = "webhook"
    title = "Webhook"
    settings = WebhookSettings
    secrets = WebhookSecrets

    def describe(self, channel: ChannelSpec) -> str:
        """Return the host of its address."""
        return host_of(channel)

    def recipients(self, channel: ChannelSpec) -> list[str]:
        """Return no address."""
        return []

    def compose(self, channel: ChannelSpec, message: ChannelMessage) -> bytes:
        """Return the message as JSON. Raises ``SettingError`` for a template that cannot be
        rendered.
        """
        settings = channel.settings
        assert isinstance(settings, WebhookSettings)
        data = message.data.model_dump_json()
        return _rendered(settings.template, data) if settings.template.strip() else data.encode()

    def ask(self, channel: ChannelSpec, delivery: Delivery) -> ChannelAnswer:
        """Post a payload, and return the answer."""
        return posting.ask(channel, delivery)

    def send(self, channel: ChannelSpec, delivery: Delivery) -> dict[str, str]:
        """Post a payload."""
        return posting.send(channel, delivery)


def _rendered(template: str, data: str) -> bytes:
    environment = SandboxedEnvironment(undefined=StrictUndefined)
    try:
        text = environment.from_string(template).render(message=json.loads(data))
        json.loads(text)
    except (TemplateError, ArithmeticError, LookupError, TypeError, ValueError) as error:
        raise SettingError(
            f"The template does not produce JSON: {str(error).rstrip('.')}.",
            'Write for example {"text": {{ message.title | tojson }}}.',
            field="settings.template",
        ) from error
    return text.encode()


KIND = WebhookKind()
