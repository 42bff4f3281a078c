"""Help in sections: one for each group of options, then the commands."""

from __future__ import annotations

from typing import Any

from typer.core import TyperCommand, TyperGroup

#: The maximum width of help, in characters.
WIDTH = 100
#: The widest column of option names; the description of a longer one begins on the next line.
_NAMES = 34
#: Python's types as people read them.
_TYPES = (
    *(("<int range>", "N"), ("<int>", "N"), ("<float range>", "N"), ("<float>", "N")),
    *(("<list[str]>", "TEXT"), ("<str>", "TEXT"), ("<path>", "PATH")),
)


class SectionedCommand(TyperCommand):
    """A command whose options are listed by section."""

    def format_options(self, ctx: Any, formatter: Any) -> None:
        """Write the arguments, then each section of options, in the order of the command."""
        sections: dict[str, list[tuple[str, str]]] = {"Arguments": []}
        for parameter in self.get_params(ctx):
            if (record := parameter.get_help_record(ctx)) is not None:
                row = (_in_words(record[0]), record[1])
                sections.setdefault(_section(parameter), []).append(row)
        # The options of no section are few, and the same with every command.
        sections["Options"] = sections.pop("Options", [])
        for title, rows in sections.items():
            _write(formatter, title, rows)


class SectionedGroup(TyperGroup):
    """A group of commands, each with the whole first paragraph of its description."""

    def format_commands(self, ctx: Any, formatter: Any) -> None:
        """Write the names of the commands and what they do."""
        found = [(name, self.get_command(ctx, name)) for name in self.list_commands(ctx)]
        rows = [
            (name, command.get_short_help_str(limit=10 * WIDTH))
            for name, command in found
            if command is not None and not command.hidden
        ]
        _write(formatter, "Commands", rows)


def _in_words(names: str) -> str:
    """Return the names of an option with what it takes: TEXT or N in place of Python's types."""
    for form, word in _TYPES:
        names = names.replace(form, word)
    return names


def _section(parameter: Any) -> str:
    if parameter.param_type_name == "argument":
        return "Arguments"
    return parameter.rich_help_panel or "Options"


def _write(formatter: Any, title: str, rows: list[tuple[str, str]]) -> None:
    if rows:
        with formatter.section(title):
            formatter.write_dl(rows, col_max=_NAMES)
