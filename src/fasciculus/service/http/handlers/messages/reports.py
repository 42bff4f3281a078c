"""Reports as they were sent, the outbox, the mail server."""

from __future__ import annotations

from .....core.permissions import Permission
from .....models import MailServer, OutboxItem, Page, Report, ReportDetail, ReportPreview, TryResult
from .....models.queries import MailTryQuery, ReportsQuery
from ....usecases.messages import reports
from ...operations import operation
from ...request import caller


@operation(
    "GET",
    "/reports",
    "Reports, newest first",
    Permission.VIEW,
    response=Page[Report],
    query=ReportsQuery,
)
def reports_list(query: ReportsQuery) -> Page[Report]:
    return reports.reports_list(caller(), query)


@operation("GET", "/reports/{report_id}", "One report", Permission.VIEW, response=ReportDetail)
def reports_show(report_id: int) -> ReportDetail:
    return reports.reports_show(caller(), report_id)


@operation(
    "GET",
    "/jobs/{name}/report",
    "The report of the last run of a job, as it would be written now",
    Permission.VIEW,
    response=ReportPreview,
)
def jobs_report(name: str) -> ReportPreview:
    return reports.jobs_report(caller(), name)


@operation(
    "POST",
    "/jobs/{name}/report/try",
    "Send the report of the last run of a job to one address, now",
    Permission.OPERATE,
    response=TryResult,
    query=MailTryQuery,
)
def jobs_report_try(name: str, query: MailTryQuery) -> TryResult:
    return reports.jobs_report_try(caller(), name, query)


@operation(
    "GET", "/outbox", "Reports that wait to be sent", Permission.VIEW, response=Page[OutboxItem]
)
def outbox_list() -> Page[OutboxItem]:
    return reports.outbox_list(caller())


@operation(
    "POST",
    "/outbox/send",
    "Try all that waits again, now, and what could not be delivered in the last week",
    Permission.OPERATE,
    response=Page[OutboxItem],
    status=202,
)
def outbox_send() -> Page[OutboxItem]:
    return reports.outbox_send(caller())


@operation(
    "DELETE",
    "/outbox/{report_id}",
    "Remove a report that waits; it stays among the reports",
    Permission.OPERATE,
)
def outbox_remove(report_id: int) -> None:
    reports.outbox_remove(caller(), report_id)


@operation(
    "GET",
    "/settings/mail",
    "The mail server for reports",
    Permission.ADMINISTER,
    response=MailServer,
)
def mail_show() -> MailServer:
    return reports.mail_show(caller())


@operation(
    "PUT",
    "/settings/mail",
    "Set the mail server for reports",
    Permission.ADMINISTER,
    body=MailServer,
    response=MailServer,
)
def mail_change(body: MailServer) -> MailServer:
    return reports.mail_change(caller(), body)


@operation(
    "POST",
    "/settings/mail/try",
    "Send a test message to an address",
    Permission.ADMINISTER,
    response=TryResult,
    query=MailTryQuery,
)
def mail_try(query: MailTryQuery) -> TryResult:
    return reports.mail_try(caller(), query)
