"""``fasciculus admin``: administration on the service's machine, with or without the service."""

from __future__ import annotations

import json
import os
import re
import subprocess
import sys
from typing import Annotated

import typer

from .. import models
from . import output
from .kind_options import EXTRA, KindOptions, find_kind, parse_extra
from .parameters import AsJson

_NEXT = """Next:
  1. fasciculus serve                        start the service (or its unit of systemd)
  2. fasciculus sign-in                      with a user of the lost machine
  3. fasciculus stores import STORE          for each store: bundles newer than the records
  4. fasciculus recoveries run HOST          for each lost host: all of its accounts"""

app = typer.Typer(
    help="Administration on the service's machine, as root, without signing in.",
    no_args_is_help=True,
)


def _administration(as_json: bool, *words: str) -> None:
    # Another program in the same place: the command line knows the service by its API alone.
    program = [sys.executable, "-P", "-m", "fasciculus.service.administration"]
    os.execv(sys.executable, [*program, *words, *(["--json"] if as_json else [])])


@app.command("reset-password")
def reset_password(
    name: Annotated[str, typer.Option(help="User whose password is reset.")] = "administrator",
    as_json: AsJson = False,
) -> None:
    """Set an initial password for a user and end all sessions; the service may be running."""
    _administration(as_json, "reset-password", "--name", name)


@app.command("restore-records")
def restore_records(
    file: Annotated[
        str, typer.Argument(help="A copy of the records from a store.", show_default=False)
    ],
    as_json: AsJson = False,
) -> None:
    """Restore the records from a copy; the service must be stopped."""
    _administration(as_json, "restore-records", os.path.abspath(file))


@app.command("recovery-sheet")
def recovery_sheet(
    confirm: Annotated[
        str,
        typer.Option(
            help="Record that the sheet is saved; GROUP is the last group of its code.",
            metavar="GROUP",
        ),
    ] = "",
    as_json: AsJson = False,
) -> None:
    """Print the sheet to save outside this machine: the key, and where the records are copied."""
    _administration(as_json, "recovery-sheet", "--confirm", confirm)


@app.command(context_settings=EXTRA)
def recover(
    context: typer.Context,
    kind: Annotated[str, typer.Option(help="Kind of the store.", show_default=False)] = "",
    sheet: Annotated[
        str,
        typer.Option(
            help="A file with the recovery sheet, or only its code; “-” for standard input. "
            "Otherwise you are prompted for the code.",
            metavar="FILE",
        ),
    ] = "",
    as_json: AsJson = False,
) -> None:
    """Bring the records of a lost machine back from a store; the service must be stopped.

    The recovery sheet has the command with all options of the store. Every job is paused
    afterwards.
    """
    program = [sys.executable, "-P", "-m", "fasciculus.service.administration"]
    listed = subprocess.run([*program, "store-kinds"], stdout=subprocess.PIPE, check=True)
    kinds = models.Kinds.model_validate_json(listed.stdout)
    options = KindOptions(find_kind(kinds.stores, kind, kinds.refused))
    given = parse_extra(context.args, options.names, ("kind", "sheet"))
    text = output.read_file("--sheet", sheet) if sheet else typer.prompt("Code of the sheet")
    asked = {
        "code": _code(text),
        "settings": {"kind": kind, **options.settings(given)},
        "secrets": options.secrets(given),
    }
    words = ["recover", *(["--json"] if as_json else [])]
    done = subprocess.run([*program, *words], input=json.dumps(asked).encode())
    if done.returncode == 0 and not as_json:
        output.say(_NEXT)
    raise typer.Exit(done.returncode)


def _code(text: str) -> str:
    """Return the code out of a sheet, or the text itself."""
    lines = re.findall(r"^ *((?:[A-Z2-7]{4}(?: +|$)){7})$", text, re.MULTILINE)
    return "".join(lines[:2]) if len(lines) >= 2 else text


@app.command("new-key")
def new_key(as_json: AsJson = False) -> None:
    """Create a new key if keys/secrets.key is lost; stored passwords are forgotten."""
    _administration(as_json, "new-key")
