"""``fasciculus jobs preview`` commands."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated

import typer

from ... import models
from .. import output
from ..output import size
from ..parameters import AsJson, JobName
from ..progress import follow_preview
from ..session import service

if TYPE_CHECKING:
    from ...client import Client


def preview(
    name: JobName,
    subject: Annotated[
        str,
        typer.Argument(help="The account or site to measure; default: all of the job."),
    ] = "",
    as_json: AsJson = False,
) -> None:
    """Measure the files that a job would include, and what each exclude saves."""
    with service({"subject": "SUBJECT"}) as client:
        job = models.JobInput(
            **client.jobs_show(name).model_dump(include=set(models.JobInput.model_fields))
        )
        if subject:
            found = {subject: _measured(client, job, subject)}
        else:
            found = {one: _measured(client, job, one) for one in client.jobs_summary(job).covers}
    if as_json:
        output.show_json(found[subject] if subject else list(found.values()))
    elif subject:
        _show(found[subject])
    else:
        _show_all(found)


def _measured(client: Client, job: models.JobInput, subject: str) -> models.Preview:
    """Return the preview of one subject, or end the command if there is none."""
    number = client.previews_start(job, subject).id
    try:
        found = follow_preview(client, number)
    except KeyboardInterrupt:
        client.previews_cancel(number)
        raise
    if found.outcome != "done":
        output.complain(f"{subject}: {found.error}")
        raise typer.Exit(output.CANCELLED if found.outcome == "cancelled" else output.TROUBLE)
    return found


def _show_all(found: dict[str, models.Preview]) -> None:
    """Print a line for each subject, and the total."""
    output.show_table(
        found.items(),
        [
            ("SUBJECT", lambda row: row[0]),
            ("ENTRIES", lambda row: f"{row[1].entries:,}"),
            ("SIZE", lambda row: size(row[1].bytes)),
            ("STORED", lambda row: size(row[1].packed)),
            ("NEW", lambda row: size(row[1].new.bytes) if row[1].new is not None else "–"),
        ],
        "The job covers no subjects yet.",
        right=["ENTRIES", "SIZE", "STORED", "NEW"],
    )
    previews = list(found.values())
    output.say(
        f"{output.count(len(previews), 'subject')}, "
        f"{output.count(sum(p.entries for p in previews), 'entry', 'entries')}, "
        f"{size(sum(p.bytes for p in previews))}; "
        f"about {size(sum(p.packed for p in previews))} packed."
    )
    for name, one in found.items():
        for warning in one.warnings:
            output.say(f"▲ {name}: {warning}", "yellow")


def _show(found: models.Preview) -> None:
    output.say(
        f"{output.count(found.entries, 'entry', 'entries')}, {size(found.bytes)}; about "
        f"{size(found.packed)} packed."
    )
    if found.new is not None:
        output.say(
            f"New since the last bundle: {output.count(found.new.entries, 'file')}, "
            f"{size(found.new.bytes)}."
        )
    output.say("\nLargest folders", "bold")
    output.show_table(
        found.folders,
        [
            ("SIZE", lambda f: size(f.bytes)),
            ("ENTRIES", lambda f: f"{f.entries:,}"),
            ("FOLDER", lambda f: f.path),
        ],
        "It has no folders.",
        right=["SIZE", "ENTRIES"],
    )
    if found.saved:
        output.say("\nExcluded", "bold")
        output.show_table(
            found.saved,
            [
                ("SIZE", lambda f: size(f.bytes)),
                ("ENTRIES", lambda f: f"{f.entries:,}"),
                ("BY", lambda f: f.rule),
            ],
            "",
            right=["SIZE", "ENTRIES"],
        )
    for warning in found.warnings:
        output.say(f"▲ {warning}", "yellow")
