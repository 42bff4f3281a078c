"""``fasciculus sign-in`` and ``sign-out``: the token that the command line keeps."""

from __future__ import annotations

import os
import socket
import sys
from typing import TYPE_CHECKING, Annotated

import typer

from ... import models
from .. import output
from ..kept_token import keep_token, token_file
from ..parameters import AsJson
from ..session import connect, service

if TYPE_CHECKING:
    from ...client import Client

app = typer.Typer()

_PasswordFile = Annotated[
    str,
    typer.Option(
        metavar="FILE",
        help="A file with the password; “-” for standard input. Otherwise you are prompted.",
    ),
]


@app.command("sign-in")
def sign_in(
    name: Annotated[str, typer.Option(help="User name.")] = "administrator",
    password_file: _PasswordFile = "",
    as_json: AsJson = False,
) -> None:
    """Sign in: create a token for this user and store it."""
    os.environ.pop("FASCICULUS_TOKEN", None)
    with connect() as client:
        # A password must not go to whatever happens to listen there.
        client.health()
        password = _password(password_file, f"Password of {name} at {client.url}")
        if _opened(client, name, password).must_change:
            _change(client, name, password)
        made = _new_token(client)
    path = keep_token(made)
    said = f"Signed in at {client.url}. The token is stored in {path}."
    output.done({"url": client.url, "token_file": str(path)}, said, as_json)


def _password(path: str, question: str) -> str:
    if path:
        return output.read_file("--password-file", path)
    if not sys.stdin.isatty():
        raise output.wrong("There is no terminal to ask for the password.", "Use --password-file.")
    return str(typer.prompt(question, hide_input=True))


def _change(client: Client, name: str, password: str) -> None:
    """Replace the initial password by one that the user chooses."""
    if not sys.stdin.isatty():
        raise output.wrong(
            "This is the initial password; it must be replaced.",
            "Sign in once from a terminal or in the console.",
        )
    output.out.print("This was the initial password. Choose your own.")
    new = _new_password()
    client.password_change(password, new)
    client.session_open(name, new)


def _opened(client: Client, name: str, password: str) -> models.Session:
    """Return the session; for a wrong password, print how to reset a lost one."""
    from ...client import NotSignedInError

    try:
        return client.session_open(name, password)
    except NotSignedInError as error:
        output.complain(
            error.message,
            "Root can reset a lost password on the service's machine: fasciculus admin "
            "reset-password.",
        )
        raise typer.Exit(output.SIGNED_OUT) from error


def _token_name() -> str:
    return f"{os.environ.get('USER', 'user')}@{socket.gethostname()}"


def _new_token(client: Client) -> str:
    _remove_token(client)
    return client.tokens_add(_token_name()).token


def _remove_token(client: Client) -> None:
    if any(token.name == _token_name() for token in client.tokens_list().items):
        client.tokens_remove(_token_name())


@app.command()
def password(
    end_tokens: Annotated[
        bool, typer.Option("--end-tokens", help="Also remove all of your tokens.")
    ] = False,
    as_json: AsJson = False,
) -> None:
    """Change your password; all sessions in the console end."""
    if not sys.stdin.isatty():
        raise output.wrong(
            "There is no terminal to ask for the passwords.", "Change it in the console."
        )
    with service() as client:
        old = str(typer.prompt("Old password", hide_input=True))
        client.password_change(old, _new_password(), end_tokens)
    if end_tokens:
        token_file().unlink(missing_ok=True)
    said = "The password was changed." + (" Sign in again: your tokens were removed." * end_tokens)
    output.done({"changed": True}, said, as_json)


def _new_password() -> str:
    return str(
        typer.prompt(
            "New password (at least 10 characters)", hide_input=True, confirmation_prompt=True
        )
    )


@app.command("sign-out")
def sign_out(as_json: AsJson = False) -> None:
    """Remove the stored token, here and in the service."""
    with service() as client:
        _remove_token(client)
    token_file().unlink(missing_ok=True)
    output.done({"signed_in": False}, "Signed out.", as_json)
