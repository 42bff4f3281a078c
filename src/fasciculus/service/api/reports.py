"""Reports as they were sent, the outbox, the mail server."""

from __future__ import annotations

from ...core.errors import FasciculusError, SettingError
from ...models import (
    MailServer,
    OutboxItem,
    Page,
    Report,
    ReportDetail,
    Tried,
    TryStep,
)
from ...records import reports
from ..context import context
from ..operations import arg, operation, paging
from ..reports import mail
from .auth import note


@operation(
    "GET",
    "/reports",
    "Reports, newest first",
    gives=Page[Report],
    paged=True,
    query={"job": "only of this job", "q": "words in the title or the recipients"},
)
def reports_list() -> Page[Report]:
    return reports.reports(context().records.reader, paging(), arg("job"), arg("q"))


@operation("GET", "/reports/{report_id}", "One report as it was sent", gives=ReportDetail)
def reports_show(report_id: int) -> ReportDetail:
    return reports.report(context().records.reader, report_id)


@operation("GET", "/outbox", "Reports that wait to be sent", gives=Page[OutboxItem])
def outbox_list() -> Page[OutboxItem]:
    rows = reports.outbox(context().records.reader)
    return Page(items=rows, total=len(rows))


@operation(
    "POST", "/outbox/send", "Try all that waits again, now", gives=Page[OutboxItem], status=202
)
def outbox_send() -> Page[OutboxItem]:
    with context().records.write() as db:
        reports.hurry(db)
    context().outbox.wake()
    return outbox_list()


@operation("GET", "/settings/mail", "The mail server for reports", gives=MailServer)
def mail_show() -> MailServer:
    return mail.server(context().records.reader, context().cipher)


@operation(
    "PUT", "/settings/mail", "Set the mail server for reports", takes=MailServer, gives=MailServer
)
def mail_change(body: MailServer) -> MailServer:
    if body.address and not body.sender:
        raise SettingError(
            "The sender's address is missing.",
            "Give the address reports come from.",
            field="sender",
        )
    with context().records.write() as db:
        mail.save_server(db, context().cipher, body)
    note("changed the mail server", body.address)
    return mail_show()


@operation(
    "POST",
    "/settings/mail/try",
    "Send a test message to an address",
    gives=Tried,
    query={"to": "who gets it"},
)
def mail_try() -> Tried:
    db, cipher = context().records.reader, context().cipher
    if "@" not in arg("to"):
        raise SettingError("Say who gets the test message.", "Give ?to=ADDRESS.", field="to")
    sender = mail.sender_of(db)
    text = "Fasciculus can send its reports through this mail server.\n"
    message = mail.compose(sender, [arg("to")], "[Fasciculus] test message", text, f"<p>{text}</p>")
    try:
        mail.send(mail.server(db, cipher), mail.password(db, cipher), sender, [arg("to")], message)
    except FasciculusError as error:
        step = TryStep(name="mail", ok=False, text=error.message, way_out=error.way_out)
        return Tried(ok=False, steps=[step])
    return Tried(
        ok=True, steps=[TryStep(name="mail", ok=True, text=f"A message went to {arg('to')}.")]
    )
