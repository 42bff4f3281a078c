"""``fasciculus coverage`` and ``fasciculus definitions`` commands."""

from __future__ import annotations

import os
from datetime import datetime
from pathlib import Path
from typing import Annotated

import typer
from rich.text import Text

from ... import models
from .. import output
from ..output import ago, wrong
from ..parameters import AsJson
from ..session import service

app = typer.Typer(help="Subjects and the jobs that protect them.", no_args_is_help=True)
definitions_app = typer.Typer(help="All settings as one file.", no_args_is_help=True)


_STATES = {
    "protected": ("● protected", "green"),
    "late": ("▲ copy too old", "yellow"),
    "never": ("▲ no copy yet", "yellow"),
    "bare": ("■ no job", "red"),
}


@app.command("list")
def list_(
    state: Annotated[
        str, typer.Option(help="bare, never, late, protected, or “trouble” for all but protected.")
    ] = "",
    host: Annotated[str, typer.Option(help="Only of this host.")] = "",
    account: Annotated[str, typer.Option(help="Only of this account.")] = "",
    find: Annotated[str, typer.Option(help="Only names that contain this text.")] = "",
    as_json: AsJson = False,
) -> None:
    """List how sites, databases and mail domains are protected. Exits with 1 if one is not."""
    with service() as client:
        rows = list(
            client.every(
                client.coverage_list, state=state, host=host, account=account, q=find, limit=500
            )
        )
    if as_json:
        return output.show_json(rows)
    output.show_table(
        rows,
        [
            ("STATE", _state),
            ("KIND", lambda r: r.kind),
            ("NAME", lambda r: r.name),
            ("ACCOUNT", lambda r: r.account),
            ("HOST", lambda r: r.host),
            ("JOBS", lambda r: ", ".join(r.jobs) or "–"),
            (
                "NEWEST COPY",
                lambda r: ago(datetime.fromisoformat(r.newest)) if r.newest else "never",
            ),
        ],
        "Everything is protected." if state else "No accounts yet.",
    )
    if any(row.state == "bare" for row in rows):
        raise typer.Exit(output.TROUBLE)
    return None


def _state(row: models.CoverageRow) -> Text:
    words, style = _STATES[row.state]
    return Text(words, style=style)


@definitions_app.command("export")
def export(
    to: Annotated[Path | None, typer.Option(help="Output file; default: standard output.")] = None,
    as_json: AsJson = False,
) -> None:
    """Export all settings: hosts, accounts, stores, jobs, channels, mail server, watch, templates.
    Secrets appear only as references.
    """
    with service() as client:
        text = client.definitions_export()
    if to is not None:
        to.write_text(text)
        output.done({"file": str(to)}, f"Wrote {to}.", as_json)
    elif as_json:
        output.show_json({"definitions": text})
    else:
        typer.echo(text, nl=False)


@definitions_app.command("apply")
def apply(
    source: Annotated[
        typer.FileText,
        typer.Argument(
            help="The file (“-” for standard input).", show_default=False, metavar="FILE"
        ),
    ],
    dry_run: Annotated[
        bool, typer.Option("--dry-run", help="Only show what would change.")
    ] = False,
    as_json: AsJson = False,
) -> None:
    """Add and change everything in the file. Applying it twice changes nothing. Anything it does
    not mention stays.
    """
    from ...core import definitions
    from ...core.errors import SettingError

    text = source.read()
    try:
        references = definitions.from_text(text).references
    except SettingError as error:
        raise wrong(error.message, error.hint, "FILE") from error
    secrets = {
        place: secret
        for place, reference in references.items()
        if (secret := _resolved(place, reference)) is not None
    }
    with service({"text": "FILE"}) as client:
        done = client.definitions_apply(text, secrets, dry_run)
    if as_json:
        return output.show_json(done)
    for change in done.changes:
        mark = {"added": "+", "changed": "~", "kept": "·"}[change.action]
        about = f": {', '.join(change.fields)}" if change.fields else ""
        if change.action == "kept":
            about = " is not in the file; it stays"
        output.out.print(
            f"{mark} {change.kind} {change.name}{about}", highlight=False, soft_wrap=True
        )
    for place in done.lacking:
        variable = definitions.reference_name(*place.split(".", 2))
        output.out.print(
            f"▲ {place} is needed when this is applied, as {variable} or as its reference says",
            style="yellow",
            highlight=False,
            soft_wrap=True,
        )
    count = sum(change.action != "kept" for change in done.changes)
    verb = "would change" if dry_run else "changed"
    output.out.print(f"{count} {verb}, {done.same} the same.", highlight=False)
    return None


def _resolved(place: str, reference: dict[str, str]) -> str | None:
    """Return the secret that a reference names, or None. It is never printed."""
    if "env" in reference:
        return os.environ.get(reference["env"])
    path = Path(reference["file"])
    try:
        text = path.read_text()
    except FileNotFoundError:
        return None
    except OSError as error:
        raise wrong(
            f"{place}: {path} cannot be read: {error.strerror}.", "Correct the reference."
        ) from error
    # A key keeps its last line's end; a password has none.
    return text if "PRIVATE KEY" in text else text.rstrip("\n")
