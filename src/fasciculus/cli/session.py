"""A client for a command, and what its errors mean for the command."""

from __future__ import annotations

import sys
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from typing import TYPE_CHECKING, NoReturn

import typer

from . import output
from .kept_token import use_kept_token
from .output import complain

if TYPE_CHECKING:
    from ..client import Client, ClientError

#: Parts of a field's path that are not part of an option's name.
_GROUPS = ("settings", "connection", "mail", "rules", "databases", "discovery")


@contextmanager
def service(options: Mapping[str, str] | None = None) -> Iterator[Client]:
    """Return a client with the stored token; errors end the command with a sentence and an exit
    code.

    ``options`` has the option of each field whose option has another name.
    """
    use_kept_token()
    with connect(options) as client:
        yield client


@contextmanager
def connect(options: Mapping[str, str] | None = None) -> Iterator[Client]:
    """Provide the same as :func:`service`, without requiring a token."""
    # Imported late: a help text or a mistyped option must not wait for the client.
    sys.modules.setdefault("httpx._main", None)  # type: ignore[arg-type]  # its own command line
    from pydantic import ValidationError

    from ..client import Client, ClientError

    try:
        with Client() as client:
            yield client
    except ClientError as error:
        _end(error, options or {})
    except ValidationError as error:
        from ..models.validation import field_errors

        for row in field_errors(error):
            complain(row.message, field=option_named(row.field, options or {}))
        raise typer.Exit(output.WRONG) from error
    except KeyboardInterrupt:
        raise typer.Exit(output.CANCELLED) from None


def _end(error: ClientError, options: Mapping[str, str]) -> NoReturn:
    from ..client import NotSignedInError, RefusedError
    from ..models.problem import ProblemType

    code, hint = _exit_code(error), error.hint
    if isinstance(error, NotSignedInError) and error.problem.type == ProblemType.NOT_SIGNED_IN:
        hint = "Run “fasciculus sign-in”, or set FASCICULUS_TOKEN."
    rows = error.problem.errors if isinstance(error, RefusedError) else []
    if isinstance(error, RefusedError) and error.problem.status == 422:
        code = output.WRONG
    for row in rows:
        complain(row.message, field=option_named(row.field, options))
    if not rows:
        refused = isinstance(error, RefusedError) and error.field
        complain(error.message, hint, option_named(refused, options) if refused else "")
    raise typer.Exit(code) from error


def _exit_code(error: ClientError) -> int:
    from ..client import errors

    codes = (
        (errors.NotSignedInError, output.SIGNED_OUT),
        (errors.NotFoundError, output.NOT_FOUND),
        (errors.RefusedError, output.REFUSED),
        (errors.NoAnswerError, output.UNANSWERED),
        (errors.UnusableAnswerError, output.WRONG),
    )
    return next((code for kind, code in codes if isinstance(error, kind)), output.TROUBLE)


def option_named(field: str, options: Mapping[str, str]) -> str:
    """Return the option that sets a field of the API, such as ``--host-key``."""
    parts = [part for part in field.split(".") if not part.isdigit()]
    if parts == ["name"]:
        return "NAME"
    for length in range(len(parts), 0, -1):
        if option := options.get(".".join(parts[:length])):
            return option
    if parts and parts[0] == "secrets":
        return f"--{parts[-1].replace('_', '-')}-file"
    if len(parts) > 1 and parts[0] in _GROUPS:
        parts = parts[1:]
    return "--" + parts[0].replace("_", "-") if parts else ""
