"""``fasciculus sign-in`` and ``fasciculus tokens``"""

from __future__ import annotations

import os
import socket
from pathlib import Path
from typing import Annotated

import typer

from ..client import Client
from . import output
from .output import service

app = typer.Typer(help="Tokens for programs and the command line.", no_args_is_help=True)


def token_file() -> Path:
    """Where ``sign-in`` keeps its token."""
    base = os.environ.get("XDG_CONFIG_HOME") or str(Path.home() / ".config")
    return Path(base) / "fasciculus" / "token"


def use_kept_token() -> None:
    """Take the kept token where the environment names none."""
    if not os.environ.get("FASCICULUS_TOKEN") and token_file().is_file():
        os.environ["FASCICULUS_TOKEN"] = token_file().read_text("utf-8").strip()


def sign_in(name: Annotated[str, typer.Option(help="Who signs in.")] = "administrator") -> None:
    """Sign in once: makes a token for this user and keeps it."""
    os.environ.pop("FASCICULUS_TOKEN", None)
    with service() as client:
        password = typer.prompt("Password", hide_input=True)
        if client.session_open(name, password).must_change:
            output.out.print("This was the one-time password. Choose one of your own.")
            new = typer.prompt(
                "New password (at least 10 characters)", hide_input=True, confirmation_prompt=True
            )
            client.password_change(password, new)
            client.session_open(name, new)
        made = _new_token(client, f"{os.environ.get('USER', 'user')}@{socket.gethostname()}")
        path = token_file()
        path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        descriptor = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
        with os.fdopen(descriptor, "w") as sink:
            sink.write(made + "\n")
        output.out.print(
            f"Signed in. The token is kept in {path}.", soft_wrap=True, highlight=False
        )


def _new_token(client: Client, name: str) -> str:
    if any(token.name == name for token in client.tokens_list().items):
        client.tokens_remove(name)
    return client.tokens_add(name).token


def sign_out() -> None:
    """Remove the kept token, here and in the service."""
    with service() as client:
        name = f"{os.environ.get('USER', 'user')}@{socket.gethostname()}"
        if any(token.name == name for token in client.tokens_list().items):
            client.tokens_remove(name)
    token_file().unlink(missing_ok=True)
    output.out.print("Signed out.")


@app.command("list")
def list_(
    as_json: Annotated[bool, typer.Option("--json", help="JSON, for programs.")] = False,
) -> None:
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
        "No token yet.",
    )
    return None


@app.command()
def add(name: Annotated[str, typer.Argument(help="What it is for.")]) -> None:
    """Make a token; it is shown this once."""
    with service() as client:
        output.out.print(client.tokens_add(name).token, highlight=False, soft_wrap=True)


@app.command()
def remove(
    name: Annotated[str, typer.Argument(help="The token's name.")],
    yes: Annotated[bool, typer.Option("--yes", help="Do not ask.")] = False,
) -> None:
    """Remove a token; what uses it is locked out."""
    output.sure(f"Remove token {name}? What uses it is locked out.", yes)
    with service() as client:
        client.tokens_remove(name)
        output.out.print(f"Removed token {name}.")
