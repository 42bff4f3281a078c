"""``fasciculus drills`` commands."""

from __future__ import annotations

from typing import Annotated, Any

import typer

from ... import models
from .. import output
from ..output import count, duration, moment, size
from ..parameters import AsJson
from ..progress import follow_restore
from ..session import service
from .restores import end_with

app = typer.Typer(
    help="Restores into a scratch place, which prove that bundles come back.", no_args_is_help=True
)


@app.command()
def start(
    subject: Annotated[
        str,
        typer.Argument(
            help="An account or site; by default the one with the oldest last drill.",
            show_default=False,
        ),
    ] = "",
    bundle: Annotated[int | None, typer.Option(help="A bundle's number.")] = None,
    store: Annotated[str, typer.Option(help="The store to read from.")] = "",
    page: Annotated[
        str,
        typer.Option(
            metavar="ADDRESS",
            help="Also make a copy next to the site, request its page at this address, and remove "
            "the copy.",
        ),
    ] = "",
    site: Annotated[str, typer.Option(help="The site to copy, if there are several.")] = "",
    web_address: Annotated[
        str,
        typer.Option(metavar="ADDRESS:PORT", help="The web server; by default port 80 there."),
    ] = "",
    as_json: AsJson = False,
) -> None:
    """Restore a bundle into a scratch place, compare every file, load its databases, remove all."""
    with service({"page.address": "--page", "page.web_address": "--web-address"}) as client:
        asked = {"address": page, "web_address": web_address} if page else None
        order = {"subject": subject, "bundle": bundle, "store": store, "page": asked, "site": site}
        started = client.drills_start(models.DrillStart.model_validate(order))
        done = follow_restore(client, started.id)
    end_with(done, f"{done.subject} from bundle {done.bundle_id}: {_result(done)}.", as_json)


def _result(row: models.Restore) -> str:
    """Return what a drill has compared, and how long it took."""
    found = row.drill or models.DrillFigures()
    said = f"{count(found.files, 'file')} compared, {size(found.bytes)}"
    if found.databases:
        said += (
            f"; {count(found.databases, 'database')} loaded with {count(found.tables, 'table')} "
            f"and {count(found.rows, 'row')}"
        )
    if found.page:
        said += f"; page answered {found.page}"
    return f"{said}; {_took(row)}"


def _took(row: models.Restore) -> str:
    if row.started is None or row.ended is None:
        return ""
    return duration((row.ended - row.started).total_seconds())


@app.command("list")
def list_(
    subject: Annotated[str, typer.Option(help="Only of this account or site.")] = "",
    rows: Annotated[int, typer.Option("--count", help="Maximum number of rows.", min=1)] = 20,
    as_json: AsJson = False,
) -> None:
    """List drills, newest first."""
    with service() as client:
        found = client.drills_list(subject=subject, limit=min(rows, 500)).items
    if as_json:
        return output.show_json(found)
    columns: list[output.Column] = [
        ("DRILL", lambda row: row.id),
        ("SUBJECT", lambda row: row.subject),
        ("BUNDLE", lambda row: row.bundle_id or row.bundle),
        ("STORE", lambda row: row.store),
        ("OUTCOME", lambda row: output.outcome(row.outcome, row.state)),
        ("STARTED", lambda row: moment(row.started or row.created)),
        ("TOOK", _took),
        ("RESULT", lambda row: row.error or _result(row).rpartition("; ")[0]),
    ]
    output.show_table(found, columns, "No drill yet.", right=["DRILL"])
    return None


@app.command()
def settings(
    when: Annotated[
        str | None, typer.Option(help="Timetable, such as “weekly sun 04:00”, or “by hand”.")
    ] = None,
    zone: Annotated[str | None, typer.Option(help="Time zone of the timetable.")] = None,
    subject: Annotated[
        list[str] | None,
        typer.Option(help="Only this account or site; may be repeated; “all” for all."),
    ] = None,
    page: Annotated[
        str | None,
        typer.Option(
            metavar="ADDRESS",
            help="Also request the page of a copy at this address, such as "
            "“{account}.drills.example”; “none” to stop.",
        ),
    ] = None,
    web_address: Annotated[
        str | None,
        typer.Option(metavar="ADDRESS:PORT", help="The web server; by default port 80 there."),
    ] = None,
    as_json: AsJson = False,
) -> None:
    """Show or set the timetable of drills."""
    subjects = [] if subject == ["all"] else subject
    given: dict[str, Any] = {"timetable": when, "zone": zone, "subjects": subjects}
    given = {key: value for key, value in given.items() if value is not None}
    names = {
        "timetable": "--when",
        "subjects": "--subject",
        "page.address": "--page",
        "page.web_address": "--web-address",
    }
    with service(names) as client:
        found = client.drills_settings_show()
        if page is not None or web_address is not None:
            given["page"] = _page(found.page, page, web_address)
        if given:
            new = models.DrillSettings.model_validate({**found.model_dump(), **given})
            found = client.drills_settings_change(new)
    if as_json:
        return output.show_json(found)
    output.show_fields(
        [
            ("timetable", found.timetable),
            ("zone", found.zone),
            ("subjects", ", ".join(found.subjects) or "all, the longest not drilled first"),
            ("page", found.page.address if found.page else "none requested"),
        ]
    )
    return None


def _page(
    now: models.DrillPage | None, address: str | None, web_address: str | None
) -> dict[str, str] | None:
    """Return the page to request, with what the options change; None for none."""
    values = now.model_dump() if now else {"address": "", "web_address": ""}
    given = {"address": address, "web_address": web_address}
    values |= {key: value for key, value in given.items() if value is not None}
    return None if address == "none" or not values["address"] else values
