"""``fasciculus workers`` commands, and ``fasciculus worker``."""

from __future__ import annotations

import os
import sys
from pathlib import Path
from typing import Annotated

import typer

from .. import models
from . import output
from .parameters import AsJson, Yes
from .session import service

app = typer.Typer(help="Workers on other machines.", no_args_is_help=True)
run_app = typer.Typer()

WorkerName = Annotated[str, typer.Argument(help="The worker's name.", show_default=False)]


@app.command("list")
def list_(as_json: AsJson = False) -> None:
    """List the workers, with the tasks of each."""
    with service() as client:
        rows = client.workers_list().items
    if as_json:
        return output.show_json(rows)
    output.show_table(
        rows,
        [
            ("WORKER", lambda w: w.name),
            ("QUEUE", lambda w: w.queue),
            ("PLACE", lambda w: w.place or "–"),
            ("VERSION", lambda w: w.version),
            ("STATE", lambda w: w.state),
            ("TASKS", _tasks),
            ("LAST SEEN", lambda w: output.ago(w.last_seen)),
        ],
        "No workers yet: this machine does all work. Enrol one: fasciculus workers code QUEUE.",
    )
    return None


def _tasks(worker: models.FleetWorker) -> str:
    under_way = ", ".join(f"{task.kind} {task.subject}" for task in worker.tasks[:3])
    more = f", … ({len(worker.tasks)})" if len(worker.tasks) > 3 else ""
    return f"{under_way}{more}" if under_way else f"none of {worker.slots}"


@app.command()
def code(
    queue: Annotated[
        str, typer.Argument(help="The queue that it takes orders of.", show_default=False)
    ],
    as_json: AsJson = False,
) -> None:
    """Make a code that enrols one worker, within a day; it is shown only once."""
    with service() as client:
        made = client.workers_code(queue)
    output.done(made, made.code, as_json)


@app.command()
def drain(
    name: WorkerName,
    off: Annotated[bool, typer.Option("--off", help="Give it orders again.")] = False,
    as_json: AsJson = False,
) -> None:
    """Let a worker finish its tasks; it gets no further orders."""
    with service() as client:
        made = client.workers_drain(name, not off)
    said = f"Worker {name} gets orders again." if off else f"Worker {name} drains."
    output.done(made, said, as_json)


@app.command()
def remove(name: WorkerName, yes: Yes = False, as_json: AsJson = False) -> None:
    """Remove a worker; its tasks end."""
    output.sure(f"Remove worker {name}? Its tasks end, and its keys become void.", yes)
    with service() as client:
        client.workers_remove(name)
    output.done({"removed": name}, f"Removed worker {name}.", as_json)


@run_app.command("worker")
def worker(
    queue: Annotated[str, typer.Option(help="The queue that it takes orders of.")] = "",
    service_address: Annotated[
        str, typer.Option("--service", help="The service's address, to enrol.", metavar="URL")
    ] = "",
    code_file: Annotated[
        str,
        typer.Option(
            help="A file with the code of “workers code”, to enrol; “-” for standard input."
        ),
    ] = "",
    name: Annotated[str, typer.Option(help="Its name in the list; default: this machine's.")] = "",
    home: Annotated[Path, typer.Option(help="Folder for its keys and temporary files.")] = Path(
        "/var/lib/fasciculus-worker"
    ),
    slots: Annotated[
        int, typer.Option(help="Tasks at the same time; 0: one for each core.", min=0, max=256)
    ] = 0,
) -> None:
    """Take orders of a queue on this machine, for a service on another one.

    The first time, it needs the service's address and a code. Later it needs neither.
    """
    if code_file and not service_address:
        raise output.wrong("A worker needs the service's address to enrol.", "Add --service URL.")
    program = [sys.executable, "-P", "-m", "fasciculus.fleet", f"--home={home}"]
    for option, value in (
        ("queue", queue),
        ("service", service_address),
        ("code-file", code_file),
        ("name", name),
        ("slots", str(slots)),
    ):
        program.append(f"--{option}={value}")
    # Another program in the same place: the command line knows the service by its API alone.
    os.execv(sys.executable, program)
