"""Ends runs and writes all messages: of runs, damage, alerts, and digests."""

from __future__ import annotations

import logging
import sqlite3
from collections.abc import Callable, Iterable, Sequence
from dataclasses import replace
from datetime import UTC, datetime
from typing import Any

from jinja2.sandbox import SandboxedEnvironment

from ...config import Config
from ...core.alert_report import AlertLine, AlertReport
from ...core.digest import Digest
from ...core.formatting import format_list
from ...core.maintenance_report import DamageLine, MaintenanceReport
from ...core.report_rules import wants
from ...core.run_report import (
    CopyLine,
    RunReport,
    TaskLine,
    worst,
)
from ...core.watch import Finding
from ...models import Alert, JobInput, MaintenanceTask, RunDetail, WebhookMessage, WebhookStore
from ...records import channels, inventory, jobs, maintenance, reports, runs, settings, stores
from ...records.db import Records
from ...records.encryption import SecretCipher
from ...records.paging import PageRequest
from ...records.reports import NewReport
from ...records.secrets import MAIL
from ..background.alert_news import AlertNews
from ..event_stream import EventStream
from ..tasks.orders.connections import OrderSources
from ..watch_settings import watch_settings
from . import templates, webhook
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

    # Runs ------------------------------------------------------------------------

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
            self._without_harm(run_id, lambda: self.report(run_id, attached))
        self._events.changed("runs")

    @staticmethod
    def _without_harm(run_id: int, write: Callable[[], None]) -> None:
        """A report that cannot be written must not keep the run from ending."""
        try:
            write()
        except sqlite3.Error:
            raise
        except Exception:
            log.exception("run %s: its report could not be written", run_id)

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
        """Put the run's reports into the outbox: to the addresses and channels of its job, and to
        the contacts of its accounts, as far as they want one.
        """
        with self._records.write() as db:
            run = runs.run(db, run_id)
            recipients, when = runs.report_settings(db, run_id)
            report = report_of(run, self._link(f"runs/{run_id}"))
            job = jobs.find(db, run.job)
            previous = runs.outcome_before(db, run.job, run_id)
            if wants(when, report.outcome, previous):
                if recipients:
                    lines = self._log_lines(db, run_id, report, job)
                    self._mail(db, "report", "run", report, recipients, run_id, lines, attached)
                for name in job.channels if job is not None else ():
                    self._to_channel(db, name, "run", report, run_id)
            if job is not None and job.report_contacts != "never":
                self._tell_contacts(db, job, report, run_id)
        self._events.changed("reports")

    def _tell_contacts(
        self, db: sqlite3.Connection, job: JobInput, report: RunReport, run_id: int
    ) -> None:
        """Each account's contact gets the account's own part, and nothing of the others."""
        contacts = inventory.contacts(db, job.subjects[:-1])
        by_contact: dict[str, list[TaskLine]] = {}
        for task in report.tasks:
            if contact := contacts.get(task.subject):
                previous = runs.task_outcome_before(
                    db, job.name, task.subject_kind, task.subject, run_id
                )
                if wants(job.report_contacts, task.outcome, previous):
                    by_contact.setdefault(contact, []).append(task)
        for contact, tasks in by_contact.items():
            own = replace(
                report, tasks=tasks, outcome=worst([task.outcome for task in tasks]), link=""
            )
            names = {task.subject for task in tasks}
            lines = self._log_lines(db, run_id, own, job, names)
            self._mail(db, "report", "run", own, [contact], run_id, lines)

    @staticmethod
    def _log_lines(
        db: sqlite3.Connection,
        run_id: int,
        report: RunReport,
        job: JobInput | None,
        subjects: set[str] | None = None,
    ) -> str | None:
        """The log as an attachment, where the job wants one; only of some subjects if so asked."""
        attach = job.attach_log if job is not None else "trouble"
        report.log_attached = attach == "always" or (attach == "trouble" and report.trouble)
        if not report.log_attached:
            return None
        return "".join(
            f"{report.local(line.at)}  {line.level:7}  {line.subject}  {line.text}\n"
            for line in runs.raw_log(db, run_id, _LOG_LINES)
            if subjects is None or line.subject in subjects
        )

    def example(self, db: sqlite3.Connection, job: str) -> RunReport | None:
        """The report of the last run of a job that ended, None before there is one."""
        last = runs.last_ended(db, job)
        if last is None:
            return None
        return report_of(runs.run(db, last["id"]), self._link(f"runs/{last['id']}"))

    # Damage ----------------------------------------------------------------------

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
            self._mail(db, "maintenance", "maintenance", report, recipients)

    # Alerts and digests --------------------------------------------------------------

    def alerts(self, db: sqlite3.Connection, news: AlertNews) -> None:
        """Tell the people of each job of its alerts, and those of the watch of all others."""
        watch = watch_settings(db)
        known = {job.name: job for job in jobs.jobs(db)}
        everybody = sorted({address for job in known.values() for address in job.report_to})
        by_people: dict[tuple[tuple[str, ...], tuple[str, ...]], list[AlertLine]] = {}
        rows: list[tuple[str, Finding | Alert]] = [("opened", row) for row in news.opened]
        rows += [("open still", row) for row in news.reminded]
        rows += [("closed", alert) for alert in news.closed]
        for state, row in rows:
            job = known.get(row.job)
            own = (job.report_to, job.channels) if job is not None else ([], [])
            # What nobody is named for is told to those of the watch.
            people = tuple(own[0] or watch.recipients or everybody)
            ways = tuple(own[1] or watch.channels)
            line = AlertLine(state, row.level, row.text, self._link(row.link.lstrip("/")))
            by_people.setdefault((people, ways), []).append(line)
        for (people, ways), lines in by_people.items():
            report = AlertReport(datetime.now(UTC), watch.zone, lines, self._link("alerts"))
            if people:
                self._mail(db, "alert", "alert", report, people)
            for name in ways:
                self._to_channel(db, name, "alert", report)
        if by_people:
            self._events.changed("reports")

    def digest(
        self, db: sqlite3.Connection, digest: Digest, people: Sequence[str], channel: str
    ) -> None:
        """Send a digest to addresses, or to a channel."""
        digest = replace(digest, link=self._link("runs"))
        if channel:
            self._to_channel(db, channel, "digest", digest)
        else:
            self._mail(db, "digest", "digest", digest, people)
        self._events.changed("reports")

    # Writing -----------------------------------------------------------------------

    def _mail(
        self,
        db: sqlite3.Connection,
        template: str,
        kind: str,
        report: Any,
        recipients: Iterable[str],
        run_id: int | None = None,
        lines: str | None = None,
        attached: Sequence[Attachment] = (),
    ) -> None:
        """Put a message to addresses into the outbox."""
        people = list(recipients)
        text, html = self.rendered(db, template, report)
        message = compose(
            sender_of(db), people, report.title, text, html, lines, f"run-{run_id}.log", attached
        )
        job = getattr(report, "job", "")
        reports.add(
            db, NewReport(kind, report.title, text, html, message, people, run=run_id, job=job)
        )

    def rendered(self, db: sqlite3.Connection, template: str, report: Any) -> tuple[str, str]:
        """A message as text and as HTML; by the shipped template where people's own fails."""
        try:
            return _both(templates.environment(db), template, report)
        except Exception as error:
            log.warning(
                "the template of %s fails, and the shipped one is used: %s", template, error
            )
            return _both(templates.shipped_environment(), template, report)

    def _to_channel(
        self, db: sqlite3.Connection, name: str, kind: str, report: Any, run_id: int | None = None
    ) -> None:
        """Put a message to a channel into the outbox; one that cannot be made is only logged."""
        try:
            way = channels.channel(db, self._cipher, name)
            text, html = self.rendered(db, "report" if kind == "run" else kind, report)
            body = webhook.body_of(way, self._as_message(db, kind, report, text))
        except Exception as error:
            log.warning("channel %s gets no message: %s", name, error)
            return
        job = getattr(report, "job", "")
        reports.add(
            db, NewReport(kind, report.title, text, html, body, channel=name, run=run_id, job=job)
        )

    def _as_message(
        self, db: sqlite3.Connection, kind: str, report: Any, text: str
    ) -> WebhookMessage:
        totals = store_totals(db, self._cipher)
        if isinstance(report, RunReport):
            return webhook.of_run(report, totals)
        trouble = report.open if isinstance(report, AlertReport) else True
        return WebhookMessage(
            event=kind,
            at=datetime.now(UTC),
            title=report.title,
            sentence=report.sentence,
            trouble=trouble,
            link=report.link,
            text=text,
            stores=totals,
        )

    def second_way(self, db: sqlite3.Connection, due: reports.DueReport) -> None:
        """What could not be delivered for long goes to a channel as well."""
        name = settings.get(db, MAIL, {}).get("second_way", "")
        if not name or name == due.channel:
            return
        message = WebhookMessage(
            event="run",
            at=due.at,
            title=due.title,
            sentence=f"This report could not be delivered to {_whom(due)} for an hour.",
            trouble=True,
            text=due.text,
            stores=store_totals(db, self._cipher),
        )
        try:
            body = webhook.body_of(channels.channel(db, self._cipher, name), message)
        except Exception as error:
            log.warning("the second way, channel %s, gets no message: %s", name, error)
            return
        reports.add(
            db,
            NewReport("run", due.title, due.text, "", body, channel=name, instead_of=due.id),
        )

    def _link(self, page: str) -> str:
        base = self._config.public_url.rstrip("/")
        return f"{base}/#/{page}" if base else ""


def _whom(due: reports.DueReport) -> str:
    return f"channel {due.channel}" if due.channel else format_list(due.recipients)


def store_totals(db: sqlite3.Connection, cipher: SecretCipher) -> list[WebhookStore]:
    """What all stores hold."""
    return [
        WebhookStore(name=row.name, copies=row.copies, bytes=row.bytes)
        for row in stores.fills(db, cipher)
    ]


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


def _both(found: SandboxedEnvironment, template: str, report: Any) -> tuple[str, str]:
    """A message as text and as HTML."""
    text, html = (templates.render(found, f"{template}.{form}", report) for form in templates.FORMS)
    return text, html
