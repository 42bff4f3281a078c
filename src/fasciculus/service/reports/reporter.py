"""Ends runs and writes their reports."""

from __future__ import annotations

import logging
import sqlite3
from collections.abc import Sequence
from datetime import UTC, datetime

from jinja2 import Environment, PackageLoader, StrictUndefined, select_autoescape

from ...config import Config
from ...core.maintenance_report import DamageLine, MaintenanceReport
from ...core.run_report import (
    CopyLine,
    RunReport,
    TaskLine,
    worst,
)
from ...models import MaintenanceTask, RunDetail
from ...records import maintenance, reports, runs
from ...records.db import Records
from ...records.encryption import SecretCipher
from ...records.paging import PageRequest
from ..event_stream import EventStream
from ..tasks.orders.connections import OrderSources
from .attachments import Attachment, attachments
from .mail import compose, sender_of

log = logging.getLogger(__name__)

_LOG_LINES = 5000
_DAMAGE_LINES = 500


class Reporter:
    """Says how runs went, to the records and to people."""

    def __init__(
        self, config: Config, records: Records, cipher: SecretCipher, events: EventStream
    ) -> None:
        self._config, self._records, self._cipher = config, records, cipher
        self._events = events
        self._templates = Environment(
            loader=PackageLoader("fasciculus.service", "templates"),
            undefined=StrictUndefined,
            autoescape=select_autoescape(["html"]),
            trim_blocks=True,
            lstrip_blocks=True,
        )

    def end(self, run_id: int) -> None:
        """All tasks have ended: so has the run. Its end and its report are written together."""
        attached = self._attachments(run_id)
        with self._records.write() as db:
            run = runs.run(db, run_id)
            if run.state == "ended":
                return
            outcome = worst([task.outcome or "failed" for task in run.tasks])
            run.outcome, run.ended = outcome, datetime.now(UTC)
            runs.end(db, run_id, outcome, report_of(run).sentence)
            try:
                self.report(run_id, attached)
            except sqlite3.Error:
                raise
            except Exception:
                # A report that cannot be written must not keep the run from ending.
                log.exception("run %s: its report could not be written", run_id)
        self._events.changed("runs")

    def _attachments(self, run_id: int) -> list[Attachment]:
        """What goes along with a report, read from a store before anything is written."""
        try:
            return attachments(
                OrderSources(self._config, self._records.reader, self._cipher), run_id
            )
        except Exception:
            log.exception("run %s: nothing could be attached to its report", run_id)
            return []

    def report(self, run_id: int, attached: Sequence[Attachment] = ()) -> None:
        """Put the run's report into the outbox, if somebody wants it."""
        with self._records.write() as db:
            run = runs.run(db, run_id)
            recipients, when = runs.report_settings(db, run_id)
            report = report_of(run, self._link(f"runs/{run_id}"))
            if not recipients or (when == "trouble" and not report.trouble):
                return
            log = self._log_text(db, run_id, report) if report.trouble else None
            self._put(db, "report", report, recipients, run_id, run.job, log, attached)
        self._events.changed("reports")

    def maintenance(self, db: sqlite3.Connection, number: int) -> None:
        """Report on maintenance that has ended, if it found damage that nobody has been told about
        yet, or was to mend some.

        To all who get the reports of the jobs that made the copies: damage is trouble.
        """
        work = maintenance.task(db, number)
        subject = (work.subject_kind, work.subject)
        if work.kind not in ("verify", "mend") or (
            work.kind == "mend" and work.outcome == "cancelled"
        ):
            return
        fresh = maintenance.told_now(db, work.store, subject)
        if work.kind == "verify" and not fresh:
            return
        recipients, zone = maintenance.concerned(db, work.store, subject)
        if recipients:
            known = maintenance.damage(
                db, PageRequest(limit=_DAMAGE_LINES), work.store, work.subject, work.subject_kind
            ).items
            rows = [row for row in known if work.kind != "verify" or row.id in fresh]
            lines = [
                DamageLine(row.file, row.reason, row.bundles, row.files, row.harmed) for row in rows
            ]
            helpers = sorted({store for row in rows for store in row.mend_from})
            report = maintenance_report_of(
                work, zone, lines, helpers, self._link(f"stores/{work.store}")
            )
            self._put(db, "maintenance", report, recipients)

    def _put(
        self,
        db: sqlite3.Connection,
        template: str,
        report: RunReport | MaintenanceReport,
        recipients: list[str],
        run_id: int | None = None,
        job: str = "",
        log: str | None = None,
        attached: Sequence[Attachment] = (),
    ) -> None:
        """Put a report into the outbox."""
        text = self._templates.get_template(f"{template}.txt").render(report=report)
        html = self._templates.get_template(f"{template}.html").render(report=report)
        message = compose(
            sender_of(db), recipients, report.title, text, html, log, f"run-{run_id}.log", attached
        )
        reports.add(db, run_id, job, report.title, recipients, text, html, message)

    def _link(self, page: str) -> str:
        base = self._config.public_url.rstrip("/")
        return f"{base}/#/{page}" if base else ""

    @staticmethod
    def _log_text(db: sqlite3.Connection, run_id: int, report: RunReport) -> str:
        return "".join(
            f"{report.local(line.at)}  {line.level:7}  {line.subject}  {line.text}\n"
            for line in runs.raw_log(db, run_id, _LOG_LINES)
        )


def report_of(run: RunDetail, link: str = "") -> RunReport:
    """The report's model of an ended run."""
    lines = []
    for task in run.tasks:
        seconds = (
            (task.ended - task.started).total_seconds() if task.ended and task.started else 0.0
        )
        lines.append(
            TaskLine(
                task.subject_kind,
                task.subject,
                task.outcome or "failed",
                task.bundle,
                task.entries,
                task.bytes,
                task.packed,
                seconds,
                task.error,
                task.warnings,
                [CopyLine(c.store, c.error, c.kept, c.retired) for c in task.copies],
            )
        )
    ended = run.ended or datetime.now(UTC)
    return RunReport(
        run.id,
        run.job,
        run.outcome or "failed",
        run.started or run.created,
        ended,
        run.zone,
        run.started_by,
        lines,
        link,
    )


def maintenance_report_of(
    work: MaintenanceTask, zone: str, damage: list[DamageLine], helpers: list[str], link: str = ""
) -> MaintenanceReport:
    """The report's model of ended maintenance."""
    return MaintenanceReport(
        work.id,
        work.kind,
        work.store,
        work.subject_kind,
        work.subject,
        work.outcome or "failed",
        work.sentence,
        work.ended or datetime.now(UTC),
        zone,
        work.started_by,
        damage,
        helpers,
        link,
    )
