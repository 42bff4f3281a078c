"""The protocol of channels."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Annotated, Protocol
from urllib.parse import urlsplit

from pydantic import Field

from ..fields import web_address
from ..kinds import Kind, Secrets, Settings
from ..models import ChannelAnswer, MailServer, WebhookMessage
from ..models.texts import checked
from .mail_message import Attachment


@dataclass(frozen=True, slots=True)
class ChannelSpec:
    """A channel with what nobody is shown. ``secrets`` never go into messages or logs."""

    name: str
    settings: Settings
    secrets: Mapping[str, str] = field(default_factory=dict, repr=False)


@dataclass(frozen=True, slots=True)
class ChannelMessage:
    """A message for a channel: its data, its text and HTML, and what goes along by mail.

    ``sender`` is the address that reports come from; ``log`` is a log file's name and text."""

    data: WebhookMessage
    sender: str = ""
    text: str = ""
    html: str = ""
    log: tuple[str, str] | None = None
    attached: Sequence[Attachment] = ()


@dataclass(frozen=True, slots=True)
class Delivery:
    """One attempt to send a payload. ``number`` stays the same when it is tried again.

    ``networks`` are those of this machine and link that it may go to; ``recipients`` are the
    addresses still to be reached, for a channel that has any; ``server``, ``password`` and
    ``sender`` are of the mail server for all reports.
    """

    number: str
    payload: bytes
    networks: Sequence[str] = ()
    recipients: Sequence[str] = ()
    server: MailServer = field(default_factory=MailServer)
    password: str = field(default="", repr=False)
    sender: str = ""


class ChannelKind(Kind, Protocol):
    """One kind of channel. All methods except ``describe`` and ``recipients`` are called in a
    separate process, with limits of time and memory.
    """

    def describe(self, channel: ChannelSpec) -> str:
        """Return where it sends to, in a few words without a secret."""

    def recipients(self, channel: ChannelSpec) -> list[str]:
        """Return the addresses that it sends to, none for a kind that has no addresses."""

    def compose(self, channel: ChannelSpec, message: ChannelMessage) -> bytes:
        """Return the payload of a message. Raises ``SettingError`` for settings that cannot be
        applied to it.
        """

    def ask(self, channel: ChannelSpec, delivery: Delivery) -> ChannelAnswer:
        """Send a payload once, and return the answer, also that nobody answered."""

    def send(self, channel: ChannelSpec, delivery: Delivery) -> dict[str, str]:
        """Send a payload, and return the addresses that refused it, with their words.

        Raises ``RefusedError`` if it was refused, and another ``UnreachableError`` if nothing can
        be sent there for now.
        """


class PostSecrets(Secrets):
    """The address of a web hook: for many chat services it is all that a sender needs."""

    url: Annotated[str, checked(web_address)] = Field(
        min_length=1,
        title="Address",
        description="Stored encrypted; only its host name is shown.",
        examples=["https://chat.sedge-quill.example/hooks/…"],
    )


def host_of(channel: ChannelSpec) -> str:
    """Return the host of a channel's address; empty if it was lost with a key."""
    return urlsplit(channel.secrets.get("url", "")).netloc.rpartition("@")[2]
