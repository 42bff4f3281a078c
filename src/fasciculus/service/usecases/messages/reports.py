"""Reports as they were sent, the outbox, the mail server."""

from __future__ import annotations

from ....channels import smtp
from ....channels.mail_message import compose
from ....core.errors import FasciculusError, SettingError
from ....core.reports.run_report import RunReport
from ....fields import check_addresses
from ....models import (
    MailServer,
    OutboxItem,
    Page,
    Report,
    ReportDetail,
    ReportPreview,
    TryResult,
    TryStep,
)
from ....models.queries import MailTryQuery, ReportsQuery
from ....records.jobs import jobs
from ....records.messages import reports
from ....records.paging import page_request
from ... import outside
from ...settings.mail_settings import (
    check_mail_server,
    mail_password,
    mail_server,
    save_mail_server,
    sender_of,
)
from ..caller import Caller


def reports_list(caller: Caller, query: ReportsQuery) -> Page[Report]:
    """Return reports, newest first."""
    return reports.reports(caller.reader, page_request(query), query.job, query.q)


def reports_show(caller: Caller, report_id: int) -> ReportDetail:
    """Return one report."""
    return reports.report(caller.reader, report_id)


def jobs_report(caller: Caller, name: str) -> ReportPreview:
    """Return the report of the last run of a job, as it would be written now."""
    db = caller.reader
    report = _example(caller, name)
    text, html = caller.service.reporter.messages.rendered(db, "report", report)
    return ReportPreview(title=report.title, text=text, html=html)


def _example(caller: Caller, name: str) -> RunReport:
    db = caller.reader
    jobs.job(db, name)
    report = caller.service.reporter.example(db, name)
    if report is None:
        raise SettingError(
            f"Job “{name}” has no run to report on yet.", "Start it once, and look again."
        )
    return report


def jobs_report_try(caller: Caller, name: str, query: MailTryQuery) -> TryResult:
    """Send the report of the last run of a job to one address, now."""
    db = caller.reader
    report = _example(caller, name)
    text, html = caller.service.reporter.messages.rendered(db, "report", report)
    return _sent(caller, query.to, report.title, text, html)


def outbox_list(caller: Caller) -> Page[OutboxItem]:
    """Return reports that wait to be sent."""
    rows = reports.outbox(caller.reader)
    return Page(items=rows, total=len(rows))


def outbox_send(caller: Caller) -> Page[OutboxItem]:
    """Try all that waits again, now, and what could not be delivered in the last week."""
    with caller.write() as db:
        reports.hurry(db)
    caller.service.outbox.wake()
    return outbox_list(caller)


def outbox_remove(caller: Caller, report_id: int) -> None:
    """Remove a report that waits; it stays among the reports."""
    with caller.write() as db:
        reports.remove_waiting(db, report_id)
    caller.note("removed a waiting report", str(report_id))
    caller.changed("reports")


def mail_show(caller: Caller) -> MailServer:
    """Return the mail server for reports."""
    return mail_server(caller.reader, caller.cipher)


def mail_change(caller: Caller, body: MailServer) -> MailServer:
    """Set the mail server for reports."""
    check_mail_server(body)
    with caller.write() as db:
        save_mail_server(db, caller.cipher, body)
    caller.note("changed the mail server", body.address)
    return mail_show(caller)


def mail_try(caller: Caller, query: MailTryQuery) -> TryResult:
    """Send a test message to an address."""
    text = "Fasciculus can send its reports through this mail server.\n"
    return _sent(caller, query.to, "[Fasciculus] test message", text, f"<p>{text}</p>")


def _sent(caller: Caller, to: str, title: str, text: str, html: str) -> TryResult:
    """Hand a message over now, and say how that went."""
    check_addresses([to], "to")
    db, cipher = caller.reader, caller.cipher
    sender = sender_of(db)
    message = compose(sender, [to], title, text, html)
    try:
        server, secret = mail_server(db, cipher), mail_password(db, cipher)
        outside.try_out(smtp.send, server, secret, sender, [to], message)
    except FasciculusError as error:
        step = TryStep(name="mail", ok=False, text=error.message, hint=error.hint)
        return TryResult(ok=False, steps=[step])
    return TryResult(
        ok=True, steps=[TryStep(name="mail", ok=True, text=f"A message went to {to}.")]
    )
