"""``fasciculus keys`` commands."""

from __future__ import annotations

import os
from typing import Annotated

import typer

from .. import output
from ..output import read_file
from ..parameters import AsJson, Yes
from ..session import service

app = typer.Typer(help="Keys that bundles are sealed to.", no_args_is_help=True)
#: What must be known before bundles are sealed.
LOSS = (
    "Only a private key can open sealed bundles. If all private keys are lost, the bundles are "
    "lost too. Print the recovery sheet (keys make --sheet) and keep it in two safe places."
)

Note = Annotated[str, typer.Option(help="Owner or purpose.")]


@app.command("list")
def list_(as_json: AsJson = False) -> None:
    """List the private keys stored in the service."""
    with service() as client:
        rows = client.keys_list().items
    if as_json:
        return output.show_json(rows)
    output.show_table(
        rows,
        [
            ("PUBLIC KEY", lambda k: k.recipient),
            ("NOTE", lambda k: k.note),
            ("KEPT SINCE", lambda k: output.moment(k.added)),
        ],
        "No private keys are stored: reading sealed bundles needs --key-file.",
    )
    return None


@app.command()
def make(
    note: Note = "",
    keep: Annotated[
        bool, typer.Option("--keep", help="Also store the private key in the service.")
    ] = False,
    sheet: Annotated[
        str, typer.Option(help="New file for the recovery sheet.", metavar="FILE.html")
    ] = "",
    as_json: AsJson = False,
) -> None:
    """Create a key pair. The private key is shown only once."""
    if sheet and os.path.exists(sheet):
        raise output.wrong(f"{sheet} is there already.", "Name a new file.", "--sheet")
    with service() as client:
        made = client.keys_make(note, keep)
    if sheet:
        descriptor = os.open(sheet, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
        with os.fdopen(descriptor, "w", encoding="utf-8") as sink:
            sink.write(made.sheet)
    if as_json:
        return output.show_json(made)
    output.show_fields(
        [
            ("public key", made.recipient),
            ("private key", made.identity),
            ("kept", "in the service" if made.kept else "only by you"),
            *([("recovery sheet", sheet)] if sheet else []),
        ]
    )
    output.say(LOSS)
    return None


@app.command()
def keep(
    key_file: Annotated[
        str, typer.Option(help="The file with the private key, or “-” for standard input.")
    ],
    note: Note = "",
    as_json: AsJson = False,
) -> None:
    """Store a private key in the service, so that it can read sealed bundles."""
    with service({"identity": "--key-file"}) as client:
        kept = client.keys_keep(read_file("--key-file", key_file), note)
    what = "keys" if kept.others else "key"
    keys = ", ".join([kept.recipient, *kept.others])
    output.done(kept, f"Kept the private {what} of {keys}.", as_json)


@app.command()
def remove(
    recipient: Annotated[
        str, typer.Argument(help="The public key.", metavar="KEY", show_default=False)
    ],
    yes: Yes = False,
    as_json: AsJson = False,
) -> None:
    """Remove a private key from the service; sealed bundles stay."""
    output.sure(
        f"Forget the private key of {recipient}? Without it the service can create and retire "
        "bundles sealed to it, but not read them.",
        yes,
    )
    with service() as client:
        client.keys_remove(recipient)
    output.done({"removed": recipient}, f"Forgot the private key of {recipient}.", as_json)
