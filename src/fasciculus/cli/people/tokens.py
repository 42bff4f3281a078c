"""``fasciculus tokens`` commands."""

from __future__ import annotations

from typing import Annotated

import typer

from .. import output
from ..parameters import AsJson, TokenName, Yes
from ..session import service

app = typer.Typer(help="Tokens for programs and the command line.", no_args_is_help=True)


@app.command("list")
def list_(as_json: AsJson = False) -> None:
    """List your tokens."""
    with service() as client:
        rows = client.tokens_list().items
    if as_json:
        return output.show_json(rows)
    output.show_table(
        rows,
        [
            ("TOKEN", lambda t: t.name),
            ("MADE", lambda t: output.moment(t.created)),
            ("LAST USED", lambda t: output.ago(t.last_used)),
        ],
        "No tokens yet.",
    )
    return None


@app.command()
def add(
    name: Annotated[str, typer.Argument(help="Purpose.", show_default=False)],
    as_json: AsJson = False,
) -> None:
    """Create a token; it is shown only once."""
    with service() as client:
        made = client.tokens_add(name)
    output.done(made, made.token, as_json)


@app.command()
def remove(name: TokenName, yes: Yes = False, as_json: AsJson = False) -> None:
    """Remove a token; programs that use it lose access."""
    output.sure(f"Remove token {name}? Programs that use it lose access.", yes)
    with service() as client:
        client.tokens_remove(name)
    output.done({"removed": name}, f"Removed token {name}.", as_json)
