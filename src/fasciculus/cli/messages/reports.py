"""``fasciculus reports`` and ``fasciculus mail`` commands."""

from __future__ import annotations

from itertools import islice
from typing import Annotated, Literal

import typer

from ... import models
from .. import output
from ..output import moment
from ..parameters import AsJson, JobName, Yes
from ..session import service
from ..steps import show_tried

app = typer.Typer(help="Sent reports and the outbox.", no_args_is_help=True)
mail_app = typer.Typer(help="The mail server for reports.", no_args_is_help=True)


def _sent(report: models.Report) -> str:
    if report.state == "undeliverable":
        return f"■ given up: {report.last_error}"
    return moment(report.sent) if report.sent else f"▲ waits: {report.last_error}"


@app.command("list")
def list_(
    count: Annotated[int, typer.Option(help="Maximum number of rows.", min=1)] = 20,
    as_json: AsJson = False,
) -> None:
    """List reports, newest first."""
    with service() as client:
        rows = list(islice(client.every(client.reports_list), count))
    if as_json:
        return output.show_json(rows)
    output.show_table(
        rows,
        [
            ("REPORT", lambda r: r.id),
            ("WRITTEN", lambda r: moment(r.at)),
            ("TITLE", lambda r: r.title),
            ("TO", lambda r: r.channel or ", ".join(r.recipients)),
            ("SENT", _sent),
        ],
        "No reports yet. A job with report recipients writes one after each run.",
        right=["REPORT"],
    )
    return None


@app.command()
def show(
    number: Annotated[int, typer.Argument(help="The report's number.", show_default=False)],
    as_json: AsJson = False,
) -> None:
    """Print a sent report."""
    with service() as client:
        report = client.reports_show(number)
    if as_json:
        return output.show_json(report)
    output.out.print(f"{report.title}\n\n{report.text}", markup=False, highlight=False)
    return None


@app.command()
def preview(
    job: JobName,
    html: Annotated[bool, typer.Option("--html", help="The HTML part.")] = False,
    as_json: AsJson = False,
) -> None:
    """Print the report of a job's last run with the present template."""
    with service() as client:
        found = client.jobs_report(job)
    if as_json:
        return output.show_json(found)
    output.out.print(
        found.html if html else f"{found.title}\n\n{found.text}", markup=False, highlight=False
    )
    return None


@app.command("try")
def try_(
    job: JobName,
    to: Annotated[str, typer.Argument(help="Recipient.", metavar="ADDRESS")],
    as_json: AsJson = False,
) -> None:
    """Send the report of a job's last run to one address."""
    with service() as client:
        tried = client.jobs_report_try(job, to)
    show_tried(tried, as_json)


@app.command()
def waiting(as_json: AsJson = False) -> None:
    """List messages waiting to be sent."""
    with service() as client:
        rows = client.outbox_list().items
    if as_json:
        return output.show_json(rows)
    output.show_table(
        rows,
        [
            ("REPORT", lambda r: r.report),
            ("TITLE", lambda r: r.title),
            ("TRIES", lambda r: r.attempts),
            ("NEXT TRY", lambda r: moment(r.next_try)),
            ("WHY", lambda r: r.last_error),
        ],
        "No messages are waiting.",
        right=["REPORT", "TRIES"],
    )
    return None


@app.command()
def send(as_json: AsJson = False) -> None:
    """Send all waiting messages now, and those that could not be delivered in the last week."""
    with service() as client:
        waiting = client.outbox_send()
    said = f"Sending {output.count(waiting.total, 'message')} now."
    output.done(waiting, said if waiting.total else "No message is waiting.", as_json)


@app.command()
def remove(
    report: Annotated[int, typer.Argument(help="The report's number.", show_default=False)],
    yes: Yes = False,
    as_json: AsJson = False,
) -> None:
    """Remove a waiting message from the outbox; the report stays."""
    output.sure(f"Remove report {report} from the outbox? It will not be sent.", yes)
    with service() as client:
        client.outbox_remove(report)
    output.done({"removed": report}, f"Report {report} no longer waits.", as_json)


@mail_app.command("show")
def mail_show(as_json: AsJson = False) -> None:
    """Show the mail server's settings."""
    with service() as client:
        found = client.mail_show()
    if as_json:
        return output.show_json(found)
    output.show_fields(
        [
            ("server", f"{found.address}:{found.port}" if found.address else "none"),
            ("security", found.security),
            ("user", found.user or "none"),
            ("password", "set" if found.password_set else "not set"),
            ("sender", found.sender or "none"),
            ("fallback channel", found.fallback_channel or "none"),
            ("retried for", f"{found.days} days"),
            ("digests", f"at {found.digest_time}, weekly ones on {found.digest_day}"),
        ]
    )
    return None


@mail_app.command("set")
def mail_set(
    address: Annotated[str | None, typer.Option(help="Address of the server.")] = None,
    port: Annotated[int | None, typer.Option(help="Its port.")] = None,
    security: Annotated[
        Literal["starttls", "tls", "none"] | None,
        typer.Option(help="Security of the connection."),
    ] = None,
    user: Annotated[str | None, typer.Option(help="User to sign in as.")] = None,
    password_file: Annotated[
        typer.FileText | None, typer.Option(help="File with the password (“-” for standard input).")
    ] = None,
    sender: Annotated[str | None, typer.Option(help="Sender address of reports.")] = None,
    fallback_channel: Annotated[
        str | None,
        typer.Option(
            help="Channel for reports that could not be delivered for an hour; “none” for none.",
            metavar="CHANNEL",
        ),
    ] = None,
    days: Annotated[int | None, typer.Option(help="Days for which delivery is retried.")] = None,
    digest_time: Annotated[
        str | None,
        typer.Option(
            help="Time at which digests are sent, in the time zone of their jobs.", metavar="HH:MM"
        ),
    ] = None,
    digest_day: Annotated[
        Literal["mon", "tue", "wed", "thu", "fri", "sat", "sun"] | None,
        typer.Option(help="The day of weekly digests."),
    ] = None,
    as_json: AsJson = False,
) -> None:
    """Set the mail server. Options you omit keep their value."""
    with service({"fallback_channel": "--fallback-channel"}) as client:
        fields = client.mail_show().model_dump(exclude={"password", "password_set"})
        given = {
            "address": address,
            "port": port,
            "security": security,
            "user": user,
            "sender": sender,
            "fallback_channel": "" if fallback_channel == "none" else fallback_channel,
            "days": days,
            "digest_time": digest_time,
            "digest_day": digest_day,
        }
        fields.update({key: value for key, value in given.items() if value is not None})
        password = password_file.read().rstrip("\n") if password_file else None
        client.mail_change(models.MailServer(**fields, password=password))
        made = client.mail_show()
    output.done(made, "Set. Try it: fasciculus mail try ADDRESS", as_json)


@mail_app.command("try")
def mail_try(
    to: Annotated[str, typer.Argument(help="Recipient of the test message.")],
    as_json: AsJson = False,
) -> None:
    """Send a test message."""
    with service() as client:
        tried = client.mail_try(to)
    show_tried(tried, as_json)
