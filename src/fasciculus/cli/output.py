"""How the command line speaks: tables for people, JSON for programs, one sentence for trouble."""

from __future__ import annotations

import json
import sys
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import typer
from pydantic import BaseModel, ValidationError
from rich.console import Console
from rich.table import Table
from rich.text import Text

from ..client import (
    Client,
    ClientError,
    NoAnswerError,
    NotFoundError,
    NotSignedInError,
    RefusedError,
    UnusableAnswerError,
)
from ..core.formatting import format_size
from ..core.run_report import OUTCOMES

DONE, TROUBLE, WRONG, UNANSWERED, SIGNED_OUT, NOT_FOUND, REFUSED, CANCELLED = range(8)

# Into a pipe or a file goes the whole width: nobody greps for half a name.
out = Console(width=None if sys.stdout.isatty() else 240)
err = Console(stderr=True, soft_wrap=True, highlight=False)

#: Columns that are never broken over lines.
_WHOLE = frozenset(
    {
        "JOB",
        "ACCOUNT",
        "SUBJECT",
        "HOST",
        "STORE",
        "KIND",
        "OUTCOME",
        "STARTED",
        "MOMENT",
        "NEXT START",
        "WRITTEN",
        "LAST RUN",
        "CHANGED",
        "MODE",
        "OWNER",
        "TOKEN",
        "MADE",
    }
)

_STYLES = {
    "done": "green",
    "warned": "yellow",
    "skipped": "yellow",
    "partial": "red",
    "failed": "red",
    "interrupted": "red",
}
MARKS = {
    "done": "●",
    "warned": "▲",
    "skipped": "▷",
    "cancelled": "◇",
    "partial": "◧",
    "failed": "■",
    "interrupted": "■",
}


@contextmanager
def service() -> Iterator[Client]:
    """A client; what goes wrong ends the command with a sentence and an exit code."""
    try:
        with Client() as client:
            yield client
    except ClientError as error:
        code = next(
            (
                code
                for kind, code in (
                    (NotSignedInError, SIGNED_OUT),
                    (NotFoundError, NOT_FOUND),
                    (RefusedError, REFUSED),
                    (NoAnswerError, UNANSWERED),
                    (UnusableAnswerError, WRONG),
                )
                if isinstance(error, kind)
            ),
            TROUBLE,
        )
        if isinstance(error, RefusedError) and error.problem.status == 422:
            code = WRONG
        way_out = error.way_out
        if isinstance(error, NotSignedInError):
            way_out = "Run “fasciculus sign-in”, or set FASCICULUS_TOKEN."
        complain(error.message, way_out)
        raise typer.Exit(code) from error
    except ValidationError as error:
        for row in error.errors():
            field = ".".join(str(part) for part in row["loc"])
            complain(f"{field}: " * bool(field) + row["msg"].removeprefix("Value error, "))
        raise typer.Exit(WRONG) from error
    except KeyboardInterrupt:
        raise typer.Exit(CANCELLED) from None


def complain(message: str, way_out: str = "") -> None:
    err.print(Text(f"fasciculus: {message}", style="red"), Text(way_out) if way_out else "")


def wrong(message: str, way_out: str = "") -> typer.Exit:
    """Say what is wrong with a value; to be raised."""
    complain(message, way_out)
    return typer.Exit(WRONG)


def read_file(option: str, path: str, strip: bool = True) -> str:
    """The text of a file that an option names; “-” is standard input."""
    try:
        text = sys.stdin.read() if path == "-" else Path(path).read_text("utf-8")
    except (OSError, UnicodeDecodeError) as error:
        raise wrong(
            f"{option} {path}: it cannot be read ({error}).", "Name another file."
        ) from None
    return text.rstrip("\n") if strip else text


def done(value: Any, sentence: str, as_json: bool) -> None:
    """What a command did: the thing as JSON, or one sentence."""
    if as_json:
        show_json(value)
    else:
        out.print(sentence, soft_wrap=True, highlight=False)


def show_json(value: Any) -> None:
    """Plain JSON, whatever the terminal."""
    if isinstance(value, BaseModel):
        value = json.loads(value.model_dump_json())
    elif isinstance(value, list):
        value = [json.loads(v.model_dump_json()) if isinstance(v, BaseModel) else v for v in value]
    sys.stdout.write(json.dumps(value, indent=1, ensure_ascii=False) + "\n")


Column = tuple[str, Callable[[Any], Any]]


def show_table(
    rows: Iterable[Any], columns: Sequence[Column], empty: str, right: Sequence[str] = ()
) -> None:
    """A table; where there is nothing, what to do first."""
    rows = list(rows)
    if not rows:
        out.print(empty)
        return
    table = Table(box=None, pad_edge=False, header_style="bold", show_edge=False)
    for name, _ in columns:
        whole = name in right or name in _WHOLE
        table.add_column(
            name, justify="right" if name in right else "left", no_wrap=whole, overflow="fold"
        )
    for row in rows:
        cells = [value(row) for _, value in columns]
        table.add_row(*[c if isinstance(c, Text) else Text(str(c)) for c in cells])
    out.print(table)


def show_fields(fields: Sequence[tuple[str, Any]]) -> None:
    """One thing, field by field."""
    table = Table(box=None, show_header=False, pad_edge=False)
    table.add_column(style="bold")
    table.add_column(overflow="fold")
    for name, value in fields:
        table.add_row(name, value if isinstance(value, Text) else Text(str(value)))
    out.print(table)


def outcome(value: str | None, state: str = "ended") -> Text:
    """An outcome with its mark and word."""
    if state != "ended" or value is None:
        return Text(f"○ {state}", style="cyan")
    return Text(f"{MARKS[value]} {OUTCOMES[value]}", style=_STYLES.get(value, ""))


def moment(value: datetime | None) -> str:
    """A moment in this terminal's zone, with the zone said."""
    if value is None:
        return "never"
    return f"{value.astimezone():%Y-%m-%d %H:%M %Z}"


def ago(value: datetime | None) -> str:
    """How long ago, roughly."""
    if value is None:
        return "never"
    seconds = (datetime.now(UTC) - value).total_seconds()
    for unit, length in (("day", 86400), ("hour", 3600), ("minute", 60)):
        count = int(seconds // length)
        if count >= 1:
            return f"{count} {unit}{'s' if count > 1 else ''} ago"
    return "just now"


def size(value: int) -> str:
    return format_size(value)


def sure(question: str, yes: bool) -> None:
    """Ask before something is destroyed; without a terminal only ``--yes`` will do."""
    if yes:
        return
    if not sys.stdin.isatty():
        raise wrong(f"{question} This needs a yes.", "Add --yes.")
    if not typer.confirm(question):
        raise typer.Exit(CANCELLED)
