"""Findings of a service's watch, and a change of its job."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

from fasciculus.models import JobInput, MailServer
from fasciculus.records.messages import alerts
from fasciculus.service.context import Context


def texts(parts: Context, now: Any = None) -> dict[Any, Any]:
    """The open alerts after a look."""
    parts.watch.look(now or datetime.now(UTC))
    return {row.check: row.text for row in alerts.open_by_key(parts.records.reader).values()}


def change(client: Any, **fields: Any) -> None:
    job = client.jobs_show("nightly").model_dump(include=set(JobInput.model_fields))
    client.jobs_change("nightly", JobInput(**{**job, **fields}))


def send_by(client: Any, mailbox: Any) -> None:
    """Let reports and alerts go to a stand-in of a mail server."""
    client.mail_change(
        MailServer(
            address="127.0.0.1",
            port=mailbox.port,
            security="none",
            sender="fasciculus@sedge-quill.example",
        )
    )
