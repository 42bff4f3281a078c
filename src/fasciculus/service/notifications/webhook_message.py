"""The data of messages, as webhooks get it."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import UTC, datetime

from ...core.reports.run_report import RunReport
from ...models import WebhookMessage, WebhookStore, WebhookTask


def of_run(report: RunReport, stores: list[WebhookStore]) -> WebhookMessage:
    """Return a run as a message."""
    return WebhookMessage(
        event="run",
        at=report.ended,
        title=report.title,
        sentence=report.sentence,
        outcome=report.outcome,
        trouble=report.trouble,
        job=report.job,
        run=report.run,
        started=report.started,
        ended=report.ended,
        link=report.link,
        tasks=[
            WebhookTask(
                subject_kind=task.subject_kind,
                subject=task.subject,
                outcome=task.outcome,
                bundle=task.bundle,
                bytes=task.bytes,
                packed=task.packed,
                seconds=round(task.seconds, 3),
                error=task.error,
                warnings=task.warnings[:20],
                stores={copy.store: copy.error or "stored" for copy in task.copies},
            )
            for task in report.tasks
        ],
        stores=stores,
    )


def example(stores: Sequence[WebhookStore] = ()) -> WebhookMessage:
    """Return a test message with these stores, or with a made-up one if there are none, so that a
    template can refer to a store before the first one is added.
    """
    return WebhookMessage(
        event="try",
        at=datetime.now(UTC),
        title="[Fasciculus] test message",
        sentence="Fasciculus can send its reports to this channel.",
        stores=list(stores) or [WebhookStore(name="attic", copies=12, bytes=34_000_000)],
    )
