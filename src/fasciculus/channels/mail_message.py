"""Composing mail messages (RFC 5322)."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from email.message import EmailMessage
from email.policy import SMTP
from email.utils import format_datetime, localtime, make_msgid


@dataclass(frozen=True, slots=True)
class Attachment:
    """A file of a message."""

    name: str
    data: bytes


def compose(
    sender: str,
    recipients: Sequence[str],
    title: str,
    text: str,
    html: str | None,
    log: tuple[str, str] | None = None,
    attached: Sequence[Attachment] = (),
) -> bytes:
    """Return a message with text and HTML, the log (its file name and text) if there is one, and
    files.
    """
    message = EmailMessage(policy=SMTP)
    message["From"] = f"Fasciculus <{sender}>"
    message["To"] = ", ".join(recipients)
    message["Subject"] = title
    message["Date"] = format_datetime(localtime())
    message["Message-ID"] = make_msgid("fasciculus", sender.rpartition("@")[2])
    message["Auto-Submitted"] = "auto-generated"
    message.set_content(text)
    if html:
        message.add_alternative(html, subtype="html")
    if log is not None:
        name, lines = log
        message.add_attachment(lines.encode("utf-8", "replace"), "text", "plain", filename=name)
    for file in attached:
        message.add_attachment(file.data, "application", "octet-stream", filename=file.name)
    return message.as_bytes()
