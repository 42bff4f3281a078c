"""The command's root: the daily verbs, and the nouns."""

from __future__ import annotations

import os
import sys
from collections.abc import Callable
from itertools import islice
from typing import Annotated, Any

import typer

from .. import __version__, models
from .. import config as configuration
from ..client import Client, ClientError
from ..core.errors import FasciculusError
from . import (
    accounts,
    auth,
    bundles,
    coverage,
    hosts,
    jobs,
    maintenance,
    output,
    reports,
    runs,
    stores,
)
from .output import moment, service, size
from .progress import (
    exit_code,
    finish_run,
    follow_restore,
    follow_run,
)

app = typer.Typer(
    name="fasciculus",
    no_args_is_help=True,
    pretty_exceptions_enable=False,
    help="Scheduled backups of web hosting accounts and sites.",
    epilog="Exit codes: 0 done, 1 trouble in a run or restore, 2 wrong use, 3 no answer, "
    "4 not signed in, 5 no such thing, 6 refused, 7 cancelled.",
)
for name, part in (
    ("hosts", hosts.app),
    ("accounts", accounts.app),
    ("sites", accounts.sites_app),
    ("stores", stores.app),
    ("jobs", jobs.app),
    ("runs", runs.app),
    ("bundles", bundles.app),
    ("restores", bundles.restores_app),
    ("reports", reports.app),
    ("mail", reports.mail_app),
    ("maintenance", maintenance.app),
    ("damage", maintenance.damage_app),
    ("growth", maintenance.growth_app),
    ("tokens", auth.app),
    ("coverage", coverage.app),
    ("definitions", coverage.definitions_app),
):
    app.add_typer(part, name=name)
app.command("sign-in")(auth.sign_in)
app.command("sign-out")(auth.sign_out)

AsJson = Annotated[bool, typer.Option("--json", help="JSON, for programs.")]


@app.command()
def status(as_json: AsJson = False) -> None:
    """What needs a person, what goes on, what comes."""
    with service() as client:
        found = client.overview()
    if as_json:
        output.show_json(found)
    else:
        for row in found.attention:
            mark, style = ("■", "red") if row.level == "broken" else ("▲", "yellow")
            output.out.print(f"{mark} {row.text}", style=style, soft_wrap=True, highlight=False)
        if not found.attention:
            output.out.print("● Nothing needs a person.", style="green")
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
                f"  {store.name}: {store.copies} copies, {size(store.bytes)}", highlight=False
            )
    if any(row.level == "broken" for row in found.attention):
        raise typer.Exit(output.TROUBLE)


@app.command()
def start(
    job: Annotated[str, typer.Argument(help="The job's name.", show_default=False)],
    wait: Annotated[bool, typer.Option("--wait", help="Follow it until it ends.")] = False,
    quiet: Annotated[
        bool, typer.Option("--quiet", help="With --wait: say nothing when all is well.")
    ] = False,
    full: Annotated[bool, typer.Option("--full", help="A full bundle this once.")] = False,
    compare: Annotated[
        bool,
        typer.Option("--compare", help="Compare contents this once, whatever sizes and times say."),
    ] = False,
) -> None:
    """Start a job now."""
    with service() as client:
        handle = client.start(job, full, compare)
        if not wait:
            output.out.print(
                f"Started run {handle.id}. Follow it: fasciculus runs follow {handle.id}",
                highlight=False,
            )
            return
        run = follow_run(client, handle.id, quiet)
    finish_run(run, quiet)


@app.command()
def restore(
    bundle: Annotated[int, typer.Argument(help="The bundle's number.", show_default=False)],
    to: Annotated[str, typer.Option(help="An empty or new folder, on the service's machine.")] = "",
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
    store: Annotated[str, typer.Option(help="The copy to read.")] = "",
) -> None:
    """Bring a bundle, or part of it, back into an empty folder, named databases, the host's mail
    files.
    """
    names = {}
    for text in database or []:
        old, equals, new = text.partition("=")
        if not (old and equals and new):
            raise output.wrong(
                f"--database {text}: the new name is missing.", "Write --database NAME=NEW_NAME."
            )
        names[old] = new
    with service() as client:
        order = models.RestoreStart(
            bundle=bundle,
            target=os.path.abspath(to) if to else "",
            store=store,
            contents=[c.strip() for c in contents.split(",") if c.strip()],
            paths=path or [],
            databases=names,
            mail_domains=mail_domain or [],
        )
        number = client.restores_start(order).id
        done = follow_restore(client, number)
    if done.outcome in ("done", "warned"):
        output.out.print(
            f"Restored {done.entries:,} entries, {size(done.bytes)}"
            + (f", to {done.target}." if done.target else ".")
            + (f" Databases: {', '.join(names.values())}." if names else "")
            + (f" Mail settings of {', '.join(done.mail_domains)}." if done.mail_domains else "")
            + (
                f" See the warnings: fasciculus restores log {number}"
                if done.outcome == "warned"
                else ""
            ),
            soft_wrap=True,
            highlight=False,
        )
    else:
        output.complain(done.error)
    raise typer.Exit(exit_code(done.outcome))


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
        f"Nothing is called “{words}”.",
    )
    return None


@app.command()
def serve() -> None:
    """Run the service, until it is told to stop."""
    # Another program in the same place: the command line knows the service by its API alone.
    os.execv(sys.executable, [sys.executable, "-m", "fasciculus.service"])


@app.command()
def config(as_json: AsJson = False) -> None:
    """Print the service's settings in force, and where each came from."""
    try:
        rows = configuration.explained(configuration.load())
    except FasciculusError as error:
        raise output.wrong(error.message, error.way_out) from error
    if as_json:
        return output.show_json(
            [{"setting": a, "value": b, "from": c, "about": d} for a, b, c, d in rows]
        )
    output.show_table(
        rows,
        [
            ("SETTING", lambda r: r[0]),
            ("VALUE", lambda r: r[1]),
            ("FROM", lambda r: r[2]),
            ("WHAT", lambda r: r[3]),
        ],
        "",
    )
    return None


@app.command()
def version() -> None:
    """Print the version."""
    output.out.print(f"fasciculus {__version__}", highlight=False)


def main() -> None:
    """The entry point of the ``fasciculus`` command."""
    auth.use_kept_token()
    try:
        app()
    except SystemExit as end:
        if end.code == output.WRONG:
            name_the_names([word for word in sys.argv[1:] if not word.startswith("-")])
        raise


def name_the_names(words: list[str]) -> None:
    """Answer a missing name with the list of names."""
    noun = (
        "jobs" if words == ["start"] else words[0] if len(words) == 2 and words[1] != "add" else ""
    )
    try:
        with Client() as client:
            listings: dict[str, Callable[..., models.Page[Any]]] = {
                "hosts": client.hosts_list,
                "accounts": client.accounts_list,
                "stores": client.stores_list,
                "jobs": client.jobs_list,
                "tokens": client.tokens_list,
            }
            if noun in listings:
                names = [row.name for row in islice(client.every(listings[noun]), 50)]
                output.complain(f"{noun}: {', '.join(names) or 'none yet'}")
    except ClientError:
        return
