"""``fasciculus admin``: administration on the service's machine, with or without the service."""

from __future__ import annotations

import os
import sys
from typing import Annotated

import typer

from .parameters import AsJson

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


@app.command("new-key")
def new_key(as_json: AsJson = False) -> None:
    """Create a new key if keys/secrets.key is lost; stored passwords are forgotten."""
    _administration(as_json, "new-key")
