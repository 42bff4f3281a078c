"""The root command: it imports the module of a command only when that command is used."""

from __future__ import annotations

from collections.abc import Sequence
from copy import copy
from dataclasses import dataclass
from importlib import import_module
from typing import Any

from typer import Typer
from typer.core import TyperCommand
from typer.main import get_command_name, get_group
from typer.models import CommandInfo

from .help_text import WIDTH, SectionedCommand, SectionedGroup

#: The order of commands in help: adding, showing, changing, rarer ones, removing.
_ORDER = (
    *("kinds", "add", "propose", "connect", "try", "find", "list", "show", "set", "files", "start"),
    *("search", "summary", "preview", "usage", "simulate", "retiring", "follow", "log", "text"),
    *("change", "verify", "repair", "repack", "catch-up", "copy", "move", "transfers", "seal"),
    *("import", "proposals", "accept", "dismiss", "claim", "pause", "resume", "paused"),
    *(
        "address",
        "changes",
        "revert",
        "download",
        "link",
        "links",
        "unlink",
        "pin",
        "unpin",
        "acknowledge",
        "export",
    ),
    *("apply", "plan", "undo", "drop", "disconnect", "cancel", "remove"),
)


def _place(command: str) -> int:
    return _ORDER.index(command) if command in _ORDER else len(_ORDER) - 3


def _name_of(info: CommandInfo) -> str:
    return info.name or get_command_name(info.callback.__name__ if info.callback else "")


def _with_sections(app: Typer, commands: Sequence[CommandInfo]) -> Typer:
    """Return the app with these commands only, and with help as plain text in sections.

    The panels that Typer draws otherwise take longer than all the rest of a help.
    """
    app, info = copy(app), copy(app.info)
    info.cls, app.info, app.rich_markup_mode = SectionedGroup, info, None
    app.registered_commands = [copy(command) for command in commands]
    for command in app.registered_commands:
        command.cls = SectionedCommand
        command.context_settings = (command.context_settings or {}) | {"max_content_width": WIDTH}
    return app


@dataclass(frozen=True, slots=True)
class Entry:
    """An entry of the root command: its module and its help line.

    ``place`` is ``module:app`` for a group of commands, and ``module:app.command`` for a single
    command.
    """

    place: str
    help: str

    def load(self, words: Sequence[str] = ()) -> Any:
        """Import the module and return the command.

        Where ``words``, the rest of the command line, begin with a command of the group, its others
        are left out: describing dozens of options that nobody uses takes a while.
        """
        module, _, attribute = self.place.partition(":")
        name, _, own = attribute.partition(".")
        app: Typer = getattr(import_module(f"{__package__}.{module}"), name)
        wanted = own or (words[0] if words else "")
        only = [info for info in app.registered_commands if _name_of(info) == wanted]
        group = get_group(_with_sections(app, only or app.registered_commands))
        if own:
            return group.commands[own]
        group.commands = dict(sorted(group.commands.items(), key=lambda row: _place(row[0])))
        return group


class LazyGroup(SectionedGroup):
    """A group whose entries are imported on use."""

    entries: dict[str, Entry] = {}

    def list_commands(self, ctx: Any) -> list[str]:
        """Return the names of the commands."""
        return list(self.entries)

    def get_command(self, ctx: Any, cmd_name: str) -> Any:
        """Return a command with only a help text, which is enough for a list of commands."""
        entry = self.entries.get(cmd_name)
        return entry and TyperCommand(cmd_name, help=entry.help)

    def resolve_command(self, ctx: Any, args: list[str]) -> tuple[str | None, Any, list[str]]:
        """Return the command of a command line, with suggestions for mistyped names."""
        name, command, rest = super().resolve_command(ctx, args)
        return name, (self.entries[name].load(rest) if name and command else command), rest
