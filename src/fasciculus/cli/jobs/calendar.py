"""``fasciculus calendar`` commands."""

from __future__ import annotations

from typing import Annotated

import typer

from .. import output
from ..output import moment
from ..parameters import AsJson
from ..session import service

app = typer.Typer(help="Upcoming starts and overlaps.", no_args_is_help=True)


@app.command()
def show(
    days: Annotated[int, typer.Option(help="Number of days.", min=1, max=60)] = 2,
    as_json: AsJson = False,
) -> None:
    """List upcoming starts with expected durations, and the overlaps of the coming week."""
    with service() as client:
        found = client.calendar_show(days)
    if as_json:
        return output.show_json(found)
    output.show_table(
        found.starts,
        [
            ("STARTS", lambda s: moment(s.at)),
            ("JOB", lambda s: s.job),
            ("TAKES", lambda s: "not known" if s.seconds is None else output.duration(s.seconds)),
        ],
        "No scheduled starts in this period.",
        right=["TAKES"],
    )
    if found.more:
        output.out.print(f"… and {found.more:,} more.", highlight=False)
    for row in found.collisions:
        output.out.print(f"▲ {row.sentence}", style="yellow", soft_wrap=True, highlight=False)
    return None


@app.command()
def feed(
    make: Annotated[
        bool, typer.Option("--make", help="Create a new address; the old one stops working.")
    ] = False,
    remove: Annotated[bool, typer.Option("--remove", help="Turn the feed off.")] = False,
    as_json: AsJson = False,
) -> None:
    """Show, create or remove the secret address of the calendar feed (iCalendar)."""
    with service() as client:
        if remove:
            client.calendar_feed_remove()
            return output.done({"removed": True}, "The calendar feed is turned off.", as_json)
        found = client.calendar_feed_make() if make else client.calendar_feed()
    if as_json:
        return output.show_json(found)
    if found.url:
        output.show_fields([("address", found.url)])
        output.out.print(
            "It is shown only once. Anyone with this address can see what starts when."
        )
    elif found.made:
        output.out.print(f"Feed created {moment(found.made)}.", highlight=False)
    else:
        output.out.print("There is no feed. Create one: fasciculus calendar feed --make")
    return None
