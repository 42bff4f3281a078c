"""Ends runs and writes all messages: of runs, damage, alerts, and digests."""

from __future__ import annotations

import logging
import sqlite3
from collections.abc import Callable, Iterable, Sequence
from dataclasses import replace
from datetime import UTC, datetime

from ...channels.mail_message import Attachment
from ...config import Config
from ...core.outcome import worst
from ...core.reports.alert_report import AlertLine, AlertReport
from ...core.reports.digest import Digest
from ...core.reports.maintenance_report import DamageLine, MaintenanceReport
from ...core.reports.report_rules import tells_of_recovery, wants
from ...core.reports.restore_report import RestoreReport
from ...core.reports.run_report import CopyLine, RunReport, TaskLine
from ...core.restore.restore_kind import RestoreKind, SetAside
from ...core.scope import EVERYTHING
from ...core.subject import Subject
from ...core.watch import FAILED, PARTLY_FAILED, Finding
from ...models import Alert, JobInput, MaintenanceTask, Restore, RunDetail, WatchSettings
from ...records import inventory
from ...records.bundles import damage
from ...records.db import Records
from ...records.jobs import jobs
from ...records.paging import PageRequest
from ...records.runs import log_lines, maintenance, past_runs, runs
from ...records.secret_cipher import SecretCipher
from ..event_stream import EventStream
from ..settings.watch_settings import watch_settings
from ..tasks.orders.connections import OrderInputs
from .alert_news import AlertNews
from .attachments import attachments
from .messages import Audience, Message, MessageWriter

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
        self.messages = MessageWriter(config, cipher)

    # Runs ------------------------------------------------------------------------

    def end(self, run_id: int) -> None:
        """End a run whose tasks have all ended, and write its report in the same transaction."""
        attached = self._attachments(run_id)
        with self._records.write() as db:
            run = runs.run(db, run_id)
            if run.state == "ended":
                return
            outcome = worst([task.outcome or "failed" for task in run.tasks])
            run.outcome, run.ended = outcome, datetime.now(UTC)
            runs.end(db, run_id, outcome, report_of(run).sentence, run.ended)
            self._without_harm(run_id, lambda: self.report(run_id, attached))
        self._events.changed("runs")

    @staticmethod
    def _without_harm(run_id: int, write: Callable[[], None]) -> None:
        """Write the report of a run; a failure must not keep the run from ending."""
        try:
            write()
        except sqlite3.Error:
            raise
        except Exception:
            log.exception("run %s: its report could not be written", run_id)

    def _attachments(self, run_id: int) -> list[Attachment]:
        """Return the attachments of a report, read from a store before anything is written."""
        try:
            return attachments(
                OrderInputs(self._config, self._records.reader, self._cipher), run_id
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
            report = report_of(run, self.messages.link(f"runs/{run_id}"))
            job = jobs.find(db, run.job)
            previous = past_runs.outcome_before(db, run.job, run_id)
            if wants(when, report.outcome, previous):
                ways = tuple(job.channels) if job is not None else ()
                lines = self._log_lines(db, run_id, report, job)
                message = Message("run", report, run_id, run.job, lines, attached)
                self.messages.write(db, message, Audience(tuple(recipients), ways))
            if job is not None and job.report_contacts != "never":
                self._tell_contacts(db, job, report, run_id)
        self._events.changed("reports")

    def _tell_contacts(
        self, db: sqlite3.Connection, job: JobInput, report: RunReport, run_id: int
    ) -> None:
        """Write each account's contact a report of that account only."""
        contacts = inventory.contacts(db, job.subject_kind)
        by_contact: dict[str, list[TaskLine]] = {}
        for task in report.tasks:
            if contact := contacts.get(task.subject):
                previous = past_runs.task_outcome_before(
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
            message = Message("run", own, run_id, job.name, lines)
            self.messages.write(db, message, Audience((contact,)))

    @staticmethod
    def _log_lines(
        db: sqlite3.Connection,
        run_id: int,
        report: RunReport,
        job: JobInput | None,
        subjects: set[str] | None = None,
    ) -> str | None:
        """Return the log as an attachment, where the job wants one; only of some subjects if so
        asked.
        """
        attach = job.attach_log if job is not None else "trouble"
        report.log_attached = attach == "always" or (attach == "trouble" and report.trouble)
        if not report.log_attached:
            return None
        return "".join(
            f"{report.local(line.at)}  {line.level:7}  {line.subject}  {line.text}\n"
            for line in log_lines.first_of_run(db, run_id, _LOG_LINES)
            if subjects is None or line.subject in subjects
        )

    def example(self, db: sqlite3.Connection, job: str) -> RunReport | None:
        """Return the report of the last run of a job that ended, None before there is one."""
        last = past_runs.last_ended(db, job)
        if last is None:
            return None
        return report_of(runs.run(db, last["id"]), self.messages.link(f"runs/{last['id']}"))

    # Damage ----------------------------------------------------------------------

    def maintenance(self, db: sqlite3.Connection, number: int) -> None:
        """Report on maintenance that has ended, if it found damage that nobody has been told about
        yet, or was to repair some.

        To all who get the reports of the jobs that made the copies: damage is trouble.
        """
        work = maintenance.task(db, number)
        subject = Subject.of(work.subject_kind, work.subject)
        if work.kind not in ("verify", "repair") or (
            work.kind == "repair" and work.outcome == "cancelled"
        ):
            return
        fresh = damage.told_now(db, work.store, subject)
        if work.kind == "verify" and not fresh:
            return
        concerned, zone = damage.concerned(db, work.store, subject)
        watch = watch_settings(db)
        everybody = _everybody(jobs.jobs(db))
        people = {address: None for job in concerned for address in job.report_to}
        ways = {name: None for job in concerned for name in job.channels}
        known = damage.rows(
            db,
            EVERYTHING,
            PageRequest(limit=_DAMAGE_LINES),
            work.store,
            work.subject,
            work.subject_kind,
        ).items
        rows = [row for row in known if work.kind != "verify" or row.id in fresh]
        report = maintenance_report_of(
            work,
            zone,
            [DamageLine(row.file, row.reason, row.bundles, row.files, row.harmed) for row in rows],
            sorted({store for row in rows for store in row.repair_from}),
            self.messages.link(f"stores/{work.store}"),
        )
        audience = Audience(tuple(people), tuple(ways)).or_else(_others(watch, everybody))
        self.messages.write(db, Message("maintenance", report), audience)

    # Restores --------------------------------------------------------------------

    def restore(self, db: sqlite3.Connection, row: Restore) -> None:
        """Report a restore or an undo that has ended to the recipients of alerts, if they want."""
        watch = watch_settings(db)
        report = restore_report_of(row, watch.zone, self.messages.link(f"restores/{row.id}"))
        if row.kind not in (RestoreKind.RESTORE, RestoreKind.UNDO) or watch.restores == "never":
            return
        if watch.restores == "trouble" and not report.trouble:
            return
        audience = _others(watch, _everybody(jobs.jobs(db)))
        self.messages.write(db, Message("restore", report), audience)

    # Alerts and digests --------------------------------------------------------------

    def alerts(self, db: sqlite3.Connection, news: AlertNews) -> None:
        """Tell the people of each job of its alerts, and those of the watch of all others."""
        watch = watch_settings(db)
        known = {job.name: job for job in jobs.jobs(db)}
        everybody = _everybody(known.values())
        by_audience: dict[Audience, list[AlertLine]] = {}
        for state, rows in (
            ("opened", news.opened),
            ("open still", news.reminded),
            ("closed", news.closed),
        ):
            for row in rows:
                job = known.get(row.job)
                audience = _audience(job, watch, everybody, _is_reported(state, row, job))
                line = AlertLine(
                    state, row.level, row.text, self.messages.link(row.link.lstrip("/"))
                )
                # What goes to the same addresses, or to one channel, is one message.
                for part in audience.parts():
                    by_audience.setdefault(part, []).append(line)
        for audience, lines in by_audience.items():
            report = AlertReport(datetime.now(UTC), watch.zone, lines, self.messages.link("alerts"))
            self.messages.write(db, Message("alert", report), audience)
        if by_audience:
            self._events.changed("reports")

    def digest(self, db: sqlite3.Connection, digest: Digest, audience: Audience) -> None:
        """Send a digest."""
        digest = replace(digest, link=self.messages.link("runs"))
        self.messages.write(db, Message("digest", digest), audience)
        self._events.changed("reports")


def _everybody(known: Iterable[JobInput]) -> list[str]:
    """Return all who get the reports of any job."""
    return sorted({address for job in known for address in job.report_to})


def _is_reported(state: str, row: Finding | Alert, job: JobInput | None) -> bool:
    """Return whether a report already covers an alert."""
    if isinstance(row, Finding):
        return state == "opened" and row.told_by_report
    return (
        row.check in (FAILED, PARTLY_FAILED)
        and job is not None
        and tells_of_recovery(job.report_when)
    )


def _audience(
    job: JobInput | None, watch: WatchSettings, everybody: Sequence[str], is_reported: bool
) -> Audience:
    """Return the recipients of an alert: those of its job, or those of the watch if it has none.
    Recipients of a report on the same trouble are not notified twice.
    """
    own = Audience(tuple(job.report_to), tuple(job.channels)) if job is not None else Audience()
    others = _others(watch, everybody)
    if not is_reported:
        return own.or_else(others)
    if job is None:
        return Audience()
    return Audience(() if own.people else others.people, () if own.channels else others.channels)


def _others(watch: WatchSettings, everybody: Sequence[str]) -> Audience:
    """Return the recipients of alerts without a job."""
    return Audience(tuple(watch.recipients or everybody), tuple(watch.channels))


def report_of(run: RunDetail, link: str = "") -> RunReport:
    """Return the report's model of an ended run."""
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


def restore_report_of(row: Restore, zone: str, link: str = "") -> RestoreReport:
    """Return the report's model of an ended restore."""
    ended = row.ended or datetime.now(UTC)
    where = "in place" if row.in_place else f"to {row.target}" if row.target else "to its host"
    is_kept = row.aside == SetAside.KEPT and row.kind == RestoreKind.RESTORE
    return RestoreReport(
        row.id,
        row.kind == RestoreKind.UNDO,
        row.subject,
        row.bundle,
        row.store,
        where,
        row.outcome or "failed",
        row.error,
        row.entries,
        row.bytes,
        (ended - (row.started or row.created)).total_seconds(),
        ended,
        zone,
        row.started_by,
        f"fasciculus restores undo {row.id}" if is_kept else "",
        link,
    )


def maintenance_report_of(
    work: MaintenanceTask, zone: str, damage: list[DamageLine], helpers: list[str], link: str = ""
) -> MaintenanceReport:
    """Return the report's model of ended maintenance."""
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
