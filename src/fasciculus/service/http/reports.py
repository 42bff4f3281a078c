"""Reports as they were sent, the outbox, the mail server."""

from __future__ import annotations

from ...core.errors import FasciculusError, SettingError
from ...core.permissions import Permission
from ...core.run_report import RunReport
from ...fields import check_addresses
from ...models import (
    MailServer,
    OutboxItem,
    Page,
    Report,
    ReportDetail,
    ReportPreview,
    TryResult,
    TryStep,
)
from ...models.queries import MailTryQuery, ReportsQuery
from ...records import jobs, reports
from .. import outside
from ..context import context
from ..mail_settings import (
    check_mail_server,
    mail_password,
    mail_server,
    save_mail_server,
    sender_of,
)
from ..notifications import mail
from ..operations import operation, page_request
from .auth import note


@operation(
    "GET",
    "/reports",
    "Reports, newest first",
    Permission.VIEW,
    response=Page[Report],
    query=ReportsQuery,
)
def reports_list(query: ReportsQuery) -> Page[Report]:
    return reports.reports(context().records.reader, page_request(query), query.job, query.q)


@operation("GET", "/reports/{report_id}", "One report", Permission.VIEW, response=ReportDetail)
def reports_show(report_id: int) -> ReportDetail:
    return reports.report(context().records.reader, report_id)


@operation(
    "GET",
    "/jobs/{name}/report",
    "The report of the last run of a job, as it would be written now",
    Permission.VIEW,
    response=ReportPreview,
)
def jobs_report(name: str) -> ReportPreview:
    db = context().records.reader
    report = _example(name)
    text, html = context().reporter.messages.rendered(db, "report", report)
    return ReportPreview(title=report.title, text=text, html=html)


def _example(name: str) -> RunReport:
    db = context().records.reader
    jobs.job(db, name)
    report = context().reporter.example(db, name)
    if report is None:
        raise SettingError(
            f"Job “{name}” has no run to report on yet.", "Start it once, and look again."
        )
    return report


@operation(
    "POST",
    "/jobs/{name}/report/try",
    "Send the report of the last run of a job to one address, now",
    Permission.OPERATE,
    response=TryResult,
    query=MailTryQuery,
)
def jobs_report_try(name: str, query: MailTryQuery) -> TryResult:
    db = context().records.reader
    report = _example(name)
    text, html = context().reporter.messages.rendered(db, "report", report)
    return _sent(query.to, report.title, text, html)


@operation(
    "GET", "/outbox", "Reports that wait to be sent", Permission.VIEW, response=Page[OutboxItem]
)
def outbox_list() -> Page[OutboxItem]:
    rows = reports.outbox(context().records.reader)
    return Page(items=rows, total=len(rows))


@operation(
    "POST",
    "/outbox/send",
    "Try all that waits again, now, and what could not be delivered in the last week",
    Permission.OPERATE,
    response=Page[OutboxItem],
    status=202,
)
def outbox_send() -> Page[OutboxItem]:
    with context().records.write() as db:
        reports.hurry(db)
    context().outbox.wake()
    return outbox_list()


@operation(
    "DELETE",
    "/outbox/{report_id}",
    "Remove a report that waits; it stays among the reports",
    Permission.OPERATE,
)
def outbox_remove(report_id: int) -> None:
    with context().records.write() as db:
        reports.remove_waiting(db, report_id)
    note("removed a waiting report", str(report_id))
    context().events.changed("reports")


@operation(
    "GET",
    "/settings/mail",
    "The mail server for reports",
    Permission.ADMINISTER,
    response=MailServer,
)
def mail_show() -> MailServer:
    return mail_server(context().records.reader, context().cipher)


@operation(
    "PUT",
    "/settings/mail",
    "Set the mail server for reports",
    Permission.ADMINISTER,
    body=MailServer,
    response=MailServer,
)
def mail_change(body: MailServer) -> MailServer:
    check_mail_server(body)
    with context().records.write() as db:
        save_mail_server(db, context().cipher, body)
    note("changed the mail server", body.address)
    return mail_show()


@operation(
    "POST",
    "/settings/mail/try",
    "Send a test message to an address",
    Permission.ADMINISTER,
    response=TryResult,
    query=MailTryQuery,
)
def mail_try(query: MailTryQuery) -> TryResult:
    text = "Fasciculus can send its reports through this mail server.\n"
    return _sent(query.to, "[Fasciculus] test message", text, f"<p>{text}</p>")


def _sent(to: str, title: str, text: str, html: str) -> TryResult:
    """Hand a message over now, and say how that went."""
    check_addresses([to], "to")
    db, cipher = context().records.reader, context().cipher
    sender = sender_of(db)
    message = mail.compose(sender, [to], title, text, html)
    try:
        server, secret = mail_server(db, cipher), mail_password(db, cipher)
        outside.try_out(mail.send, server, secret, sender, [to], message)
    except FasciculusError as error:
        step = TryStep(name="mail", ok=False, text=error.message, hint=error.hint)
        return TryResult(ok=False, steps=[step])
    return TryResult(
        ok=True, steps=[TryStep(name="mail", ok=True, text=f"A message went to {to}.")]
    )
