"""``fasciculus runs`` commands."""

from __future__ import annotations

from itertools import islice
from typing import Annotated

import typer

from .. import models
from ..core.formatting import format_duration
from ..core.outcome import OUTCOMES
from ..core.reports.failure_causes import causes
from . import output
from .output import moment, size
from .parameters import AsJson
from .progress import finish_run, follow_run
from .session import service

app = typer.Typer(help="Executions of jobs.", no_args_is_help=True)

Number = Annotated[int, typer.Argument(help="The run's number.", show_default=False)]


@app.command("list")
def list_(
    job: Annotated[str, typer.Option(help="Only of this job.")] = "",
    outcome: Annotated[
        str, typer.Option(help=f"Only these: {', '.join(OUTCOMES)}, or “trouble” for all but done.")
    ] = "",
    count: Annotated[int, typer.Option(help="Maximum number of rows.", min=1)] = 20,
    as_json: AsJson = False,
) -> None:
    """List runs, newest first."""
    with service() as client:
        rows = list(islice(client.every(client.runs_list, job=job, outcome=outcome), count))
    if as_json:
        return output.show_json(rows)
    output.show_table(
        rows,
        [
            ("RUN", lambda r: r.id),
            ("JOB", lambda r: r.job),
            ("OUTCOME", lambda r: output.outcome(r.outcome, r.state)),
            ("STARTED", lambda r: moment(r.started or r.created)),
            ("TOOK", _took),
            ("TASKS", lambda r: f"{r.tasks_done}/{r.tasks_total}"),
            ("SIZE", lambda r: size(r.bytes)),
            ("STORED", lambda r: size(r.packed)),
            ("BY", lambda r: r.started_by),
        ],
        "No runs yet. Start a job: fasciculus start JOB --wait",
        right=["RUN", "TOOK", "TASKS", "SIZE", "STORED"],
    )
    return None


def _took(run: models.Run | models.Task) -> str:
    if not (run.started and run.ended):
        return "–"
    return format_duration((run.ended - run.started).total_seconds())


@app.command()
def show(number: Number, as_json: AsJson = False) -> None:
    """Show one run with its tasks."""
    with service() as client:
        run = client.runs_show(number)
    if as_json:
        return output.show_json(run)
    output.show_fields(
        [
            ("run", run.id),
            ("job", run.job),
            ("outcome", output.outcome(run.outcome, run.state)),
            ("started", f"{moment(run.started or run.created)} by {run.started_by}"),
            ("took", _took(run)),
        ]
    )
    if run.sentence:
        output.out.print(run.sentence, soft_wrap=True, highlight=False)
    output.out.print()
    output.show_table(
        run.tasks,
        [
            ("SUBJECT", lambda t: t.subject),
            ("OUTCOME", lambda t: output.outcome(t.outcome, t.state)),
            ("ENTRIES", lambda t: f"{t.entries:,}"),
            ("SIZE", lambda t: size(t.bytes)),
            ("STORED", lambda t: size(t.packed)),
            ("TOOK", _took),
            ("CHANGES", lambda t: changes_words(t.changes)),
            (
                "COPIES",
                lambda t: ", ".join(
                    f"{c.store}: {'NO COPY' if c.error else f'{c.kept} kept'}" for c in t.copies
                ),
            ),
        ],
        "It has no tasks.",
        right=["ENTRIES", "SIZE", "STORED", "TOOK"],
    )
    for cause in causes(task for task in run.tasks if task.error):
        names = f" ({cause.names})" if cause.is_shared else ""
        output.out.print(
            f"■ {cause.whom}{names}: {cause.error}", style="red", soft_wrap=True, highlight=False
        )
    for task in run.tasks:
        for warning in task.warnings:
            output.out.print(
                f"▲ {task.subject}: {warning}", style="yellow", soft_wrap=True, highlight=False
            )
    return None


@app.command()
def follow(number: Number, as_json: AsJson = False) -> None:
    """Follow a run until it ends; the exit code is the outcome."""
    with service() as client:
        run = follow_run(client, number)
    finish_run(run, as_json=as_json)


@app.command()
def cancel(number: Number, as_json: AsJson = False) -> None:
    """Cancel a run; incomplete bundles are discarded."""
    with service() as client:
        client.runs_cancel(number)
    output.done({"cancelled": number}, f"Run {number} is being cancelled.", as_json)


@app.command()
def log(
    number: Number,
    level: Annotated[
        str, typer.Option(help="info, warning, error, or trouble for all but info.")
    ] = "",
    find: Annotated[str, typer.Option(help="Only lines that contain this.")] = "",
    as_json: AsJson = False,
) -> None:
    """Print the log of a run."""
    with service() as client:
        rows = list(client.every(client.runs_log, run_id=number, level=level, q=find, limit=500))
    if as_json:
        return output.show_json(rows)
    show_log(rows)
    return None


def changes_words(changes: models.Changes | None) -> str:
    """Return a short summary of the differences to the previous bundle."""
    if changes is None:
        return "–"
    if not (changes.new or changes.changed or changes.gone):
        return "nothing changed"
    return (
        f"{changes.new:,} new, {changes.changed:,} changed, {changes.gone:,} gone, "
        f"{'+' if changes.grew >= 0 else '−'}{size(abs(changes.grew))}"
    )


CHANGE_COLUMNS: list[output.Column] = [
    ("STATE", lambda c: c.state),
    ("WHAT", lambda c: c.what or "–"),
    ("SIZE", lambda c: size(c.bytes) if c.state != "gone" else "–"),
    ("BEFORE", lambda c: size(c.before) if c.state != "new" else "–"),
    ("PATH", lambda c: f"{c.kind}/{c.path}" + ("/" if c.type == "dir" else "")),
]


@app.command()
def changes(
    number: Number,
    subject: Annotated[str, typer.Option(help="Only of this account or site.")] = "",
    state: Annotated[str, typer.Option(help="Only new, changed or gone entries.")] = "",
    count: Annotated[int, typer.Option(help="Maximum number per subject.", min=1)] = 200,
    as_json: AsJson = False,
) -> None:
    """List what was added, changed and removed in each bundle of a run."""
    with service() as client:
        found = {}
        for task in client.runs_show(number).tasks:
            if (
                task.bundle_id is None
                or task.changes is None
                or (subject and task.subject != subject)
            ):
                continue
            found[task.subject] = list(
                islice(
                    client.every(
                        client.bundles_changes, bundle_id=task.bundle_id, state=state, limit=500
                    ),
                    count,
                )
            )
    if as_json:
        return output.show_json(
            {name: [row.model_dump() for row in rows] for name, rows in found.items()}
        )
    if not found:
        output.out.print("No bundle of this run has a previous one.")
    for name, rows in found.items():
        output.out.print(f"{name}:", highlight=False)
        output.show_table(rows, CHANGE_COLUMNS, "No differences.", right=["SIZE", "BEFORE"])
    return None


def show_log(rows: list[models.LogLine]) -> None:
    """Log lines for people."""
    for row in rows:
        output.out.print(
            f"{row.at.astimezone():%H:%M:%S}  {row.level:7}  {row.subject}  {row.text}",
            soft_wrap=True,
            highlight=False,
            markup=False,
        )
