"""``fasciculus channels`` and ``fasciculus templates`` commands."""

from __future__ import annotations

import sys
from typing import Annotated

import typer

from ... import models
from .. import output
from ..kind_options import EXTRA, KindOptions, find_kind, parse_extra, show_kinds
from ..parameters import AsJson, Yes
from ..session import service

app = typer.Typer(help="Webhooks, chats and mail that receive reports.", no_args_is_help=True)
templates_app = typer.Typer(help="Message templates.", no_args_is_help=True)

ChannelName = Annotated[
    str, typer.Argument(help="The channel's name.", metavar="NAME", show_default=False)
]
TemplateName = Annotated[
    str,
    typer.Argument(help="Such as report.txt or digest.html.", metavar="NAME", show_default=False),
]


@app.command("list")
def list_(as_json: AsJson = False) -> None:
    """List the channels."""
    with service() as client:
        rows = client.channels_list().items
    if as_json:
        return output.show_json(rows)
    output.show_table(
        rows,
        [
            ("CHANNEL", lambda c: c.name),
            ("KIND", lambda c: c.settings.kind),
            ("WHERE", lambda c: c.where),
            ("SECRETS", lambda c: ", ".join(c.secrets_set) or "none"),
            ("JOBS", lambda c: ", ".join(c.jobs)),
        ],
        "No channels yet. Add one: fasciculus channels save NAME --kind webhook --url-file FILE",
    )
    return None


@app.command("kinds")
def kinds(as_json: AsJson = False) -> None:
    """List the kinds of channels, with the options of each."""
    with service() as client:
        known = client.kinds_list().channels
    show_kinds([KindOptions(kind) for kind in known], as_json)


@app.command(context_settings=EXTRA)
def save(
    context: typer.Context,
    name: ChannelName,
    kind: Annotated[
        str, typer.Option(help="webhook, chat or mail; fasciculus channels kinds lists them.")
    ] = "",
    as_json: AsJson = False,
) -> None:
    """Add a channel, or change the one of that name.

    Its further options depend on the kind: fasciculus channels kinds.
    """
    with service({"settings.template": "--template-file"}) as client:
        known = {row.name: row for row in client.channels_list().items}
        old = known.get(name)
        kind = kind or (old.settings.kind if old else "webhook")
        of_kind = KindOptions(find_kind(client.kinds_list().channels, kind))
        given = parse_extra(context.args, of_kind.names, ["kind"])
        before = old.settings.model_dump() if old and old.settings.kind == kind else {}
        rows = client.channels_save(
            models.ChannelInput(
                name=name,
                settings=models.KindSettings(**{**before, "kind": kind, **of_kind.settings(given)}),
                secrets=dict(of_kind.secrets(given)),
            )
        )
    output.done(rows, f"Saved. Try it: fasciculus channels try {name}", as_json)


@app.command("try")
def try_(name: ChannelName, as_json: AsJson = False) -> None:
    """Send a test message, and show the answer."""
    with service() as client:
        answer = client.channels_try(name)
    if as_json:
        output.show_json(answer)
    else:
        mark = "●" if answer.ok else "■"
        said = "accepted" if answer.ok else "no answer"
        status = answer.status if answer.status is not None else said
        output.say(f"{mark} {status} in {answer.seconds:.2f} s {answer.error}".rstrip())
        if answer.body:
            output.say(answer.body)
    if not answer.ok:
        raise typer.Exit(output.TROUBLE)


@app.command()
def remove(name: ChannelName, yes: Yes = False, as_json: AsJson = False) -> None:
    """Remove a channel that nothing uses."""
    output.sure(f"Remove channel {name}?", yes)
    with service() as client:
        client.channels_remove(name)
    output.done({"removed": name}, f"Removed channel {name}.", as_json)


@templates_app.command("list")
def templates_list(as_json: AsJson = False) -> None:
    """List the message templates."""
    with service() as client:
        rows = client.templates_list().items
    if as_json:
        return output.show_json(rows)
    output.show_table(
        rows,
        [("TEMPLATE", lambda t: t.name), ("TEXT", lambda t: "yours" if t.changed else "shipped")],
        "There is none.",
    )
    return None


@templates_app.command("show")
def templates_show(
    name: TemplateName,
    preview: Annotated[
        bool, typer.Option("--preview", help="Render it with the last real run instead.")
    ] = False,
    as_json: AsJson = False,
) -> None:
    """Print a message template."""
    with service() as client:
        if preview:
            shown = client.templates_preview(name)
            if as_json:
                return output.show_json(shown)
            sys.stdout.write(shown.html if name.endswith(".html") else shown.text)
            return None
        found = client.templates_show(name)
    if as_json:
        return output.show_json(found)
    sys.stdout.write(found.text)
    return None


@templates_app.command("change")
def templates_change(
    name: TemplateName,
    file: Annotated[
        str, typer.Option(help="A file with the new text; “-” for standard input.")
    ] = "",
    reset: Annotated[bool, typer.Option("--reset", help="Restore the default template.")] = False,
    as_json: AsJson = False,
) -> None:
    """Replace a message template."""
    if bool(file) == reset:
        raise output.wrong("Name a file, or give --reset.", "For example --file report.txt")
    text = None if reset else output.read_file("--file", file, strip=False)
    with service({"text": "--file"}) as client:
        made = client.templates_change(name, text)
    said = f"{name} is the default again." if reset else f"{name} was replaced."
    output.done(made, said, as_json)
