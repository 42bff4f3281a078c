"""Shortcuts at the root: ``fasciculus status``, ``start``, ``search``."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated

import typer

from .. import models
from . import output
from .output import count, moment, size
from .parameters import AsJson, JobName
from .progress import finish_run, follow_run
from .session import service

if TYPE_CHECKING:
    from ..client import Client

app = typer.Typer()


@app.command()
def status(as_json: AsJson = False) -> None:
    """Show alerts, running tasks and next starts."""
    with service() as client:
        found = client.overview()
    if as_json:
        output.show_json(found)
    else:
        for row in found.attention:
            mark, style = ("■", "red") if row.level == "broken" else ("▲", "yellow")
            taken = f" (acknowledged by {row.acknowledged_by})" if row.acknowledged_by else ""
            output.out.print(
                f"{mark} {row.text}{taken}", style=style, soft_wrap=True, highlight=False
            )
        if not found.attention:
            first = _first_step(found)
            output.out.print(
                first or "● Nothing needs attention.",
                style=None if first else "green",
                soft_wrap=True,
                highlight=False,
            )
        for run in found.running:
            output.out.print(
                f"○ run {run.id} of {run.job}: {run.tasks_done} of {run.tasks_total} tasks done",
                style="cyan",
                highlight=False,
            )
        for start in found.upcoming[:5]:
            output.out.print(f"  next: {start.job}, {moment(start.at)}", highlight=False)
        for store in found.stores:
            output.out.print(
                f"  {store.name}: {count(store.copies, 'copy', 'copies')}, {size(store.bytes)}",
                highlight=False,
            )
    if any(row.level == "broken" for row in found.attention):
        raise typer.Exit(output.TROUBLE)


def _first_step(found: models.Overview) -> str:
    """Return the next step of a new installation; empty once there is a job."""
    if found.jobs:
        return ""
    if not found.hosts:
        step = "fasciculus hosts add NAME --homes '/home/{account}'"
    elif not found.accounts:
        step = "fasciculus hosts find HOST, then fasciculus hosts accept HOST --all"
    elif not found.stores:
        step = "fasciculus stores add NAME --kind KIND"
    else:
        step = "fasciculus jobs add NAME --accounts all --store STORE"
    return f"No jobs yet: nothing is protected. The next step: {step}"


@app.command()
def start(
    job: JobName,
    wait: Annotated[bool, typer.Option("--wait", help="Follow the run until it ends.")] = False,
    quiet: Annotated[
        bool, typer.Option("--quiet", help="With --wait: print nothing on success.")
    ] = False,
    full: Annotated[bool, typer.Option("--full", help="Create full bundles in this run.")] = False,
    compare: Annotated[
        bool,
        typer.Option("--compare", help="Compare contents in this run, not only sizes and times."),
    ] = False,
    name: Annotated[
        str,
        typer.Option(
            help="Label for this run, such as “before the update”: its bundles get it and are "
            "pinned."
        ),
    ] = "",
    keep_days: Annotated[
        int | None,
        typer.Option(help="With --name: number of days; default 30.", min=1),
    ] = None,
    only: Annotated[
        list[str] | None,
        typer.Option(
            help="Only this subject of the job; may be repeated.", metavar="SUBJECT[,SUBJECT]"
        ),
    ] = None,
    failed: Annotated[
        bool, typer.Option("--failed", help="Only the failed subjects of its last run.")
    ] = False,
    as_json: AsJson = False,
) -> None:
    """Start a job now."""
    with service({"names": "--only", "label": "--name", "failed_of": "--failed"}) as client:
        names = [name.strip() for text in only or [] for name in text.split(",") if name.strip()]
        more = {"failed_of": _last_run(client, job)} if failed else {}
        handle = client.start(
            job, full, compare, label=name, keep_days=keep_days or 0, names=names, **more
        )
        if not wait:
            said = f"Started run {handle.id}. Follow it: fasciculus runs follow {handle.id}"
            output.done({"run": handle.id}, said, as_json)
            return
        run = follow_run(client, handle.id, quiet)
    finish_run(run, quiet, as_json)


def _last_run(client: Client, job: str) -> int:
    """Return the number of the last run of a job that has ended."""
    found = client.runs_list(job=job, state="ended", limit=1).items
    if not found:
        raise output.wrong(f"Job “{job}” has not run yet.", "Leave it out.", "--failed")
    return found[0].id


@app.command()
def search(
    words: Annotated[str, typer.Argument(help="A part of a name.")], as_json: AsJson = False
) -> None:
    """Find accounts, sites, jobs, stores and bundles."""
    with service() as client:
        rows = client.search(words).items
    if as_json:
        return output.show_json(rows)
    output.show_table(
        rows,
        [("KIND", lambda f: f.kind), ("NAME", lambda f: f.name), ("OF", lambda f: f.about)],
        f"Nothing matches “{words}”.",
    )
    return None
