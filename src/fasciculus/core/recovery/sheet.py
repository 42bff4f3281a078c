"""The recovery sheet: the key, and how to reach the stores that have copies of the records."""

from __future__ import annotations

import shlex
from collections.abc import Mapping, Sequence
from datetime import datetime
from textwrap import fill

from msgspec import Struct

_WIDTH = 78


class StoreOnSheet(Struct):
    """A store with a copy of the records: its kind, the settings that are not at their defaults,
    and the names of its secrets.
    """

    name: str
    kind: str
    settings: Mapping[str, str | int | bool]
    secrets: Sequence[str]

    @property
    def command(self) -> str:
        """Return the command that starts a recovery from it."""
        words = ["fasciculus", "admin", "recover", "--kind", self.kind]
        for name, value in self.settings.items():
            words += [f"--{name.replace('_', '-')}", _typed(value)]
        for name in self.secrets:
            words += [f"--{name.replace('_', '-')}-file", "FILE"]
        return shlex.join(words)


def _typed(value: str | int | bool) -> str:
    if isinstance(value, bool):
        return "yes" if value else "no"
    return str(value)


def sheet_text(
    code: str, stores: Sequence[StoreOnSheet], machine: str, made: datetime, version: str
) -> str:
    """Return the sheet as plain text, to be printed."""
    groups = code.split("-")
    lines = [
        "FASCICULUS RECOVERY SHEET",
        f"for {machine}, made {made:%Y-%m-%d %H:%M} UTC by version {version}",
        "",
        _wrapped(
            "Whoever has this sheet and access to a store below can read all stored passwords. "
            "Keep it where neither the machine nor a store can be lost with it."
        ),
        "",
        "Code of the key:",
        "",
        "    " + "  ".join(groups[:7]),
        "    " + "  ".join(groups[7:]),
        "",
        "If this machine is lost: install Fasciculus on another one, and run there, as",
        "root, with one of these stores. It asks for the code.",
        "",
    ]
    for store in stores:
        lines += [f"{store.name}:", f"    {store.command}", ""]
    if not stores:
        lines += ["    (No store has copies of the records yet: make a new sheet later.)", ""]
    lines += [
        _wrapped(
            "FILE is a file with that password or key, which is not on this sheet. Then follow "
            "docs/lost-machine.md, or what the command says."
        ),
    ]
    return "\n".join(lines) + "\n"


def _wrapped(text: str) -> str:
    return fill(text, _WIDTH)
