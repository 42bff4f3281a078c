"""``fasciculus alerts`` commands."""

from __future__ import annotations

from itertools import islice
from typing import Annotated, Any, Literal

import typer

from ... import models
from .. import output
from ..output import moment
from ..parameters import AsJson
from ..session import service

app = typer.Typer(help="Alerts of the standing checks, and their recipients.", no_args_is_help=True)
_OPTIONS = {"recipients": "--tell", "channels": "--tell-channel", "quiet": "--quiet-hours"}


@app.command("list")
def list_(
    everything: Annotated[bool, typer.Option("--all", help="Also closed alerts.")] = False,
    job: Annotated[str, typer.Option(help="Only of this job.")] = "",
    most: Annotated[int, typer.Option("--count", help="Maximum number of rows.", min=1)] = 50,
    as_json: AsJson = False,
) -> None:
    """List the open alerts, newest first."""
    state = "" if everything else "open"
    with service() as client:
        rows = list(islice(client.every(client.alerts_list, state=state, job=job), most))
    if as_json:
        return output.show_json(rows)
    output.show_table(
        rows,
        [
            ("ALERT", lambda a: a.id),
            ("", lambda a: "●" if a.closed else "■" if a.level == "broken" else "▲"),
            ("SINCE", lambda a: moment(a.opened)),
            *([("UNTIL", lambda a: moment(a.closed) if a.closed else "–")] if everything else []),
            ("WHAT", lambda a: a.text),
            ("TAKEN ON BY", lambda a: f"{a.acknowledged_by}: {a.note}".rstrip(": ")),
        ],
        "No open alerts.",
        right=["ALERT"],
    )
    return None


@app.command()
def acknowledge(
    number: Annotated[int, typer.Argument(help="The alert's number.", show_default=False)],
    note: Annotated[str, typer.Option(help="Comment for others.")] = "",
    as_json: AsJson = False,
) -> None:
    """Acknowledge an alert; it stays open until the cause is removed."""
    with service() as client:
        found = client.alerts_acknowledge(number, note)
    output.done(found, f"Alert {number} is acknowledged: {found.text}", as_json)


@app.command()
def watch(
    tell: Annotated[
        list[str] | None,
        typer.Option(
            help="Recipient of alerts that belong to no job; may be repeated; “none” for none."
        ),
    ] = None,
    tell_channel: Annotated[
        list[str] | None,
        typer.Option(help="A channel that also gets alerts; may be repeated; “none” for none."),
    ] = None,
    quiet_hours: Annotated[
        str | None,
        typer.Option(
            help="Send nothing in these hours, such as 22:00-06:00; “none”.", metavar="HH:MM-HH:MM"
        ),
    ] = None,
    zone: Annotated[str | None, typer.Option(help="Time zone of these hours.")] = None,
    remind_hours: Annotated[
        int | None,
        typer.Option(help="Hours after which an unacknowledged alert is sent again; 0 for never."),
    ] = None,
    full_days: Annotated[
        int | None, typer.Option(help="Alert if a store will be full within N days.")
    ] = None,
    certificate_days: Annotated[
        int | None, typer.Option(help="Alert if a certificate expires within N days.")
    ] = None,
    lag_hours: Annotated[
        int | None, typer.Option(help="Alert if a store has lacked copies for N hours.")
    ] = None,
    verify_days: Annotated[
        int | None,
        typer.Option(help="Alert if deep verification is overdue by N days."),
    ] = None,
    restores: Annotated[
        Literal["always", "trouble", "never"] | None,
        typer.Option(
            help="Report restores to the recipients of alerts: always, on trouble, or never."
        ),
    ] = None,
    as_json: AsJson = False,
) -> None:
    """Show or set the recipients of alerts and the thresholds for opening them."""
    given: dict[str, Any] = {
        "recipients": [] if tell == ["none"] else tell,
        "channels": [] if tell_channel == ["none"] else tell_channel,
        "quiet": "" if quiet_hours == "none" else quiet_hours,
        "zone": zone,
        "remind_hours": remind_hours,
        "full_days": full_days,
        "certificate_days": certificate_days,
        "lag_hours": lag_hours,
        "verify_days": verify_days,
        "restores": restores,
    }
    given = {key: value for key, value in given.items() if value is not None}
    with service(_OPTIONS) as client:
        found = client.watch_show()
        if given:
            found = client.watch_change(models.WatchSettings(**{**found.model_dump(), **given}))
    if as_json:
        return output.show_json(found)
    output.show_fields(
        [
            ("told", ", ".join(found.recipients) or "all report recipients"),
            ("channels", ", ".join(found.channels) or "none"),
            ("quiet hours", f"{found.quiet} ({found.zone})" if found.quiet else "none"),
            ("reminders", f"every {found.remind_hours} h" if found.remind_hours else "none"),
            ("store full in", f"{found.full_days} days"),
            ("certificate ends in", f"{found.certificate_days} days"),
            ("store lacks copies for", f"{found.lag_hours} h"),
            ("reading overdue by", f"{found.verify_days} days"),
            ("restores reported", found.restores),
        ]
    )
    return None
