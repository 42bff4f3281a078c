"""Findings of a service's watch, and a change of its job."""

from datetime import UTC, datetime

from fasciculus.models import JobInput, MailServer
from fasciculus.records.messages import alerts


def texts(parts, now=None):
    """The open alerts after a look."""
    parts.watch.look(now or datetime.now(UTC))
    return {row.check: row.text for row in alerts.open_by_key(parts.records.reader).values()}


def change(client, **fields):
    job = client.jobs_show("nightly").model_dump(include=set(JobInput.model_fields))
    client.jobs_change("nightly", JobInput(**{**job, **fields}))


def send_by(client, mailbox):
    """Let reports and alerts go to a stand-in of a mail server."""
    client.mail_change(
        MailServer(
            address="127.0.0.1",
            port=mailbox.port,
            security="none",
            sender="fasciculus@sedge-quill.example",
        )
    )
