"""Commands that need no running service."""

from __future__ import annotations

import os
import sys

import typer

from . import output
from .parameters import AsJson

app = typer.Typer()


@app.command()
def serve() -> None:
    """Run the service."""
    # Another program in the same place: the command line knows the service by its API alone.
    os.execv(sys.executable, [sys.executable, "-P", "-m", "fasciculus.service"])


@app.command()
def config(as_json: AsJson = False) -> None:
    """Print the service's settings, and where each comes from."""
    from .. import config as configuration
    from ..core.errors import FasciculusError

    try:
        rows = configuration.explained(configuration.load())
    except FasciculusError as error:
        raise output.wrong(error.message, error.hint) from error
    if as_json:
        output.show_json([{"setting": a, "value": b, "from": c, "about": d} for a, b, c, d in rows])
        return
    titles = ("SETTING", "VALUE", "FROM", "WHAT")
    columns = [(title, lambda row, n=n: row[n]) for n, title in enumerate(titles)]
    output.show_table(rows, columns, "")


@app.command()
def version(as_json: AsJson = False) -> None:
    """Print the version."""
    from .. import __version__

    output.done({"version": __version__}, f"fasciculus {__version__}", as_json)
