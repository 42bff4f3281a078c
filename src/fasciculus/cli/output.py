"""Output of commands: tables for people, JSON for programs, one sentence for errors."""

from __future__ import annotations

import json
import os
import sys
from collections.abc import Callable, Iterable, Sequence
from contextlib import suppress
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import typer
from rich.cells import cell_len
from rich.table import Table
from rich.text import Text

from ..core.formatting import format_duration, format_size
from ..core.outcome import OUTCOMES, Tone
from .terminal import SafeConsole

_PIPE = 240
#: Words that are longer may be broken over lines.
_BROKEN = 24
DONE, TROUBLE, WRONG, UNANSWERED, SIGNED_OUT, NOT_FOUND, REFUSED, CANCELLED = range(8)


def _terminal_width() -> int | None:
    """Return the columns of the terminal itself; COLUMNS may be that of another one."""
    if not sys.stdout.isatty():
        return _PIPE
    with suppress(OSError):
        return os.get_terminal_size(sys.stdout.fileno()).columns or None
    return None


# Into a pipe or a file goes the whole width: nobody greps for half a name.
out = SafeConsole(width=_terminal_width())
err = SafeConsole(stderr=True, soft_wrap=True, highlight=False)

#: Whether this command was asked for JSON.
_json = False

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

_STYLES: dict[Tone, str] = {"good": "green", "look": "yellow", "broken": "red"}


def speak_json(wanted: bool) -> None:
    """Return whether errors are printed as JSON."""
    global _json
    _json = wanted


def complain(message: str, hint: str = "", field: str = "") -> None:
    """Print an error; ``field`` is the option or field at fault."""
    if _json:
        problem = {"error": message, "hint": hint, "field": field}
        sys.stderr.write(json.dumps(problem, ensure_ascii=False) + "\n")
        return
    named = f"{field}: " if field and not message.startswith(field) else ""
    said = Text(f"fasciculus: {named}{message}", style="red")
    err.print(*([said, Text(hint)] if hint else [said]))


def wrong(message: str, hint: str = "", field: str = "") -> typer.Exit:
    """Say what is wrong with a value; to be raised."""
    complain(message, hint, field)
    return typer.Exit(WRONG)


def read_file(option: str, path: str, strip: bool = True) -> str:
    """Return the text of a file that an option names; “-” is standard input."""
    try:
        text = sys.stdin.read() if path == "-" else Path(path).read_text("utf-8")
    except (OSError, UnicodeDecodeError) as error:
        raise wrong(
            f"{option} {path}: it cannot be read ({error}).", "Name another file."
        ) from None
    return text.rstrip("\n") if strip else text


def say(sentence: str, style: str = "") -> None:
    """Print one sentence, never wrapped and without markup."""
    out.print(sentence, style=style, soft_wrap=True, highlight=False, markup=False)


def done(value: Any, sentence: str, as_json: bool) -> None:
    """Print the result of a command: the object as JSON, or one sentence."""
    if as_json:
        show_json(value)
    else:
        say(sentence)


def show_json(value: Any) -> None:
    """Plain JSON, whatever the terminal."""
    sys.stdout.write(json.dumps(value, indent=1, ensure_ascii=False, default=_plain) + "\n")


def _plain(value: Any) -> Any:
    """Return a model as JSON has it."""
    return value.model_dump(mode="json")


Column = tuple[str, Callable[[Any], Any]]


def show_table(
    rows: Iterable[Any], columns: Sequence[Column], empty: str, right: Sequence[str] = ()
) -> None:
    """Print a table; if it has no rows, print what to do first."""
    rows = list(rows)
    if not rows:
        out.print(empty)
        return
    names = [name for name, _ in columns]
    cells = [[_cell(value(row)) for _, value in columns] for row in rows]
    whole = [name in right or name in _WHOLE for name in names]
    if _least_width(names, cells, whole) > out.width:
        _show_blocks(names, cells)
        return
    table = Table(box=None, pad_edge=False, header_style="bold", show_edge=False)
    for name, is_whole in zip(names, whole, strict=True):
        table.add_column(
            name, justify="right" if name in right else "left", no_wrap=is_whole, overflow="fold"
        )
    for row in cells:
        table.add_row(*row)
    out.print(table)


def _cell(value: Any) -> Text:
    return value if isinstance(value, Text) else Text(str(value))


def _least_width(
    names: Sequence[str], cells: Sequence[Sequence[Text]], whole: Sequence[bool]
) -> int:
    """Return the width at which a table breaks no word, except very long ones."""
    total = 2 * (len(names) - 1)
    for number, name in enumerate(names):
        texts = [row[number].plain for row in cells]
        parts = texts if whole[number] else [word for text in texts for word in text.split()]
        longest = max(map(cell_len, parts), default=0)
        total += max(cell_len(name), longest if whole[number] else min(longest, _BROKEN))
    return total


def _show_blocks(names: Sequence[str], cells: Sequence[Sequence[Text]]) -> None:
    """Print rows one below the other, field by field, for a terminal that is too narrow for a
    table.
    """
    for row in cells:
        out.print(row[0], style="bold")
        table = Table(box=None, show_header=False, pad_edge=False)
        table.add_column(no_wrap=True, style="dim")
        table.add_column(overflow="fold")
        for name, cell in zip(names[1:], row[1:], strict=True):
            if cell.plain:
                table.add_row(f"  {name.lower()}", cell)
        out.print(table)


def show_fields(fields: Sequence[tuple[str, Any]]) -> None:
    """Print one object, field by field."""
    table = Table(box=None, show_header=False, pad_edge=False)
    table.add_column(style="bold")
    table.add_column(overflow="fold")
    for name, value in fields:
        table.add_row(name, value if isinstance(value, Text) else Text(str(value)))
    out.print(table)


def outcome(value: str | None, state: str = "ended") -> Text:
    """Return an outcome with its mark and word."""
    if state != "ended" or value is None:
        return Text(f"○ {state}", style="cyan")
    shown = OUTCOMES[value]
    return Text(f"{shown.mark} {shown.word}", style=_STYLES.get(shown.tone, ""))


def moment(value: datetime | None) -> str:
    """Return a time in this terminal's zone, with the zone's name."""
    if value is None:
        return "never"
    return f"{value.astimezone():%Y-%m-%d %H:%M %Z}"


def ago(value: datetime | None) -> str:
    """Return how long ago a time is, roughly."""
    if value is None:
        return "never"
    seconds = (datetime.now(UTC) - value).total_seconds()
    for unit, length in (("day", 86400), ("hour", 3600), ("minute", 60)):
        count = int(seconds // length)
        if count >= 1:
            return f"{count} {unit}{'s' if count > 1 else ''} ago"
    return "just now"


def count(number: int, one: str, many: str = "") -> str:
    """Return a number with its noun: “1 copy”, “2,000 copies”."""
    return f"{number:,} {one if number == 1 else many or one + 's'}"


def size(value: int) -> str:
    """Return a number of bytes as people read it."""
    return format_size(value)


def duration(seconds: float) -> str:
    """Return a number of seconds as people read it."""
    return format_duration(seconds)


def sure(question: str, yes: bool) -> None:
    """Ask before a destructive action; without a terminal ``--yes`` is required."""
    if yes:
        return
    if not sys.stdin.isatty():
        raise wrong(f"{question} This needs confirmation.", "Add --yes.")
    if not typer.confirm(question):
        raise typer.Exit(CANCELLED)
