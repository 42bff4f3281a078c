"""Shortcuts at the root: ``fasciculus status``, ``start``, ``restore``, ``search``."""

from __future__ import annotations

import os
from typing import TYPE_CHECKING, Annotated

import typer

from .. import models
from . import output
from .output import count, moment, size
from .parameters import AsJson, JobName, complete_stores
from .progress import exit_code, finish_run, follow_restore, follow_run
from .session import service

if TYPE_CHECKING:
    from ..client import Client

app = typer.Typer()

#: Options whose names are not those of the fields.
_OPTIONS = {
    "target": "--to",
    "paths": "--path",
    "databases": "--database",
    "mail_domains": "--mail-domain",
    "identity": "--key-file",
    "owners": "--map-owner",
}


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
def restore(
    bundle: Annotated[int, typer.Argument(help="The bundle's number.", show_default=False)],
    to: Annotated[str, typer.Option(help="An empty or new folder on the service's machine.")] = "",
    contents: Annotated[
        str, typer.Option(help="Only these kinds: files, databases, mail.", metavar="KIND,KIND")
    ] = "",
    path: Annotated[
        list[str] | None, typer.Option(help="Only at or below this path; may be repeated.")
    ] = None,
    database: Annotated[
        list[str] | None,
        typer.Option(
            help="Load a MariaDB database under a new name; may be repeated.",
            metavar="NAME=NEW_NAME",
        ),
    ] = None,
    mail_domain: Annotated[
        list[str] | None,
        typer.Option(
            help="Merge this domain's mail settings into the host's files; may be repeated."
        ),
    ] = None,
    store: Annotated[
        str, typer.Option(help="The store to read from.", autocompletion=complete_stores)
    ] = "",
    resume: Annotated[
        bool,
        typer.Option("--resume", help="Continue an interrupted restore into that folder."),
    ] = False,
    special_modes: Annotated[
        bool,
        typer.Option(
            "--special-modes",
            help="Restore set-user-id bits, devices and system attributes even from a copy that "
            "the records do not vouch for.",
        ),
    ] = False,
    map_owner: Annotated[
        list[str] | None,
        typer.Option(
            help="New owner for the entries of a recorded user or group; may be repeated.",
            metavar="NAME=NAME_THERE",
        ),
    ] = None,
    key_file: Annotated[
        str,
        typer.Option(
            help="A file with a private key, if the bundle is sealed; “-” for standard input."
        ),
    ] = "",
    as_json: AsJson = False,
) -> None:
    """Restore a bundle, or part of it, to an empty folder, new databases or the mail files."""
    names = dict(_renamed(text, "--database") for text in database or [])
    with service(_OPTIONS) as client:
        order = models.RestoreStart(
            bundle=bundle,
            target=os.path.abspath(to) if to else "",
            store=store,
            contents=[c.strip() for c in contents.split(",") if c.strip()],
            paths=path or [],
            databases=names,
            mail_domains=mail_domain or [],
            resume=resume,
            special_modes=special_modes,
            owners=dict(_renamed(text, "--map-owner") for text in map_owner or []),
            identity=output.read_file("--key-file", key_file) if key_file else "",
        )
        number = client.restores_start(order).id
        done = follow_restore(client, number)
    if as_json or done.outcome in ("done", "warned"):
        output.done(done, _restored(done), as_json)
    else:
        output.complain(done.error)
    raise typer.Exit(exit_code(done.outcome))


def _renamed(text: str, option: str) -> tuple[str, str]:
    old, equals, new = text.partition("=")
    if not (old and equals and new):
        raise output.wrong(f"“{text}” has no new name.", "Write NAME=NEW_NAME.", option)
    return old, new


def _restored(done: models.Restore) -> str:
    """Return a sentence about what was restored."""
    parts = [f"Restored {count(done.entries, 'entry', 'entries')}, {size(done.bytes)}"]
    parts.append(f", to {done.target}." if done.target else ".")
    if done.databases:
        parts.append(f" Databases: {', '.join(done.databases.values())}.")
    if done.mail_domains:
        parts.append(f" Mail settings of {', '.join(done.mail_domains)}.")
    if done.outcome == "warned":
        parts.append(f" See the warnings: fasciculus restores log {done.id}")
    return "".join(parts)


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
