"""``fasciculus admin``: what root does on the service's machine, with or without the service."""

from __future__ import annotations

import os
import sys
from typing import Annotated

import typer

app = typer.Typer(
    help="What root does on the service's machine, without signing in.", no_args_is_help=True
)


def _administration(*words: str) -> None:
    # Another program in the same place: the command line knows the service by its API alone.
    os.execv(sys.executable, [sys.executable, "-m", "fasciculus.service.administration", *words])


@app.command("reset-password")
def reset_password(
    name: Annotated[str, typer.Option(help="Whose password.")] = "administrator",
) -> None:
    """Give somebody a one-time password and end his sessions; the service may be running."""
    _administration("reset-password", "--name", name)
