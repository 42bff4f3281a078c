"""Options whose names the service says: the settings and secrets of its kinds."""

from __future__ import annotations

import difflib
from collections.abc import Iterable, Mapping, Sequence
from typing import TYPE_CHECKING, Any

from . import output
from .output import read_file, wrong

if TYPE_CHECKING:
    from ..models import KindField, KindInfo

#: For commands that accept such options in addition to their own.
EXTRA = {"allow_extra_args": True, "ignore_unknown_options": True}


def option_of(name: str, prefix: str = "") -> str:
    """Return the option for a setting, such as ``--host-key``."""
    return f"--{prefix}{name.replace('_', '-')}"


class KindOptions:
    """The options of one thing's kind, out of the arguments that typer did not know.

    ``prefix`` stands before their names, as in ``--mariadb-socket``.
    """

    def __init__(self, kind: KindInfo, prefix: str = "") -> None:
        self.kind = kind
        self._settings = {option_of(field.name, prefix): field for field in kind.fields}
        self._secrets = {option_of(field.name, prefix) + "-file": field for field in kind.secrets}
        self._files = {
            f"{option}-file": field for option, field in self._settings.items() if field.multiline
        }

    @property
    def names(self) -> list[str]:
        """Return the names of all options."""
        return [*self._settings, *self._files, *self._secrets]

    def settings(self, given: Mapping[str, str]) -> dict[str, Any]:
        """Return the settings that were given."""
        found = {
            field.name: _typed(option, field, given[option])
            for option, field in self._settings.items()
            if option in given
        }
        for option, field in self._files.items():
            if option in given:
                found[field.name] = read_file(option, given[option], strip=False)
        return found

    def secrets(self, given: Mapping[str, str]) -> dict[str, str]:
        """Return the secrets, read from the files that were named."""
        return {
            field.name: read_file(option, given[option], strip=not field.multiline)
            for option, field in self._secrets.items()
            if option in given
        }

    def rows(self) -> list[tuple[str, str, str]]:
        """(kind, option, what it is) for a table."""
        files = "; a file, or “-” for standard input"
        return [
            (
                self.kind.name,
                f"{option}-file" if field.multiline else option,
                field.title + (f": {field.hint}" if field.hint else ""),
            )
            for option, field in self._settings.items()
        ] + [
            (self.kind.name, option, field.title + files) for option, field in self._secrets.items()
        ]


def _typed(option: str, field: KindField, text: str) -> Any:
    if field.type == "number":
        if not text.isdigit():
            raise wrong(f"{option} {text}: that is not a number.", "Give a number.")
        return int(text)
    if field.type == "switch":
        if text not in ("yes", "no"):
            raise wrong(f"{option} {text}: that is neither yes nor no.", "Give yes or no.")
        return text == "yes"
    if field.type == "choice" and text not in field.choices:
        raise wrong(
            f"{option} {text}: there is no such choice.", f"Give {' or '.join(field.choices)}."
        )
    return text


def parse_extra(args: Sequence[str], known: Iterable[str], fields: Iterable[str]) -> dict[str, str]:
    """``--option value`` and ``--option=value`` by option; a wrong one is answered with the
    nearest, also of the command's own, which set ``fields``."""
    names, given, rest = list(known), {}, list(args)
    while rest:
        option, equals, value = rest.pop(0).partition("=")
        if option not in names:
            own = [f"--{field.replace('_', '-')}" for field in fields]
            close = difflib.get_close_matches(option, [*names, *own], 1)
            hint = f"Did you mean {close[0]}?" if close else "With --help it lists its options."
            raise wrong(f"There is no option {option} here.", hint)
        if not equals:
            if not rest:
                raise wrong(f"{option} needs a value.", f"Write {option} VALUE.")
            value = rest.pop(0)
        given[option] = value
    return given


def find_kind(
    kinds: Sequence[KindInfo], name: str, refused: Mapping[str, str] | None = None
) -> KindInfo:
    """Return the kind of that name; a wrong one is answered with those there are, or with the
    reason against it.
    """
    for kind in kinds:
        if kind.name == name:
            return kind
    names = ", ".join(kind.name for kind in kinds)
    if reason := (refused or {}).get(name):
        raise wrong(reason, f"Choose one of: {names}.", "--kind")
    if not name:
        raise wrong("A kind is needed.", f"Choose one of: {names}.", "--kind")
    close = difflib.get_close_matches(name, [kind.name for kind in kinds], 1)
    nearest = f" Did you mean {close[0]}?" if close else ""
    raise wrong(f"There is no kind “{name}”.", f"Choose one of: {names}.{nearest}", "--kind")


def show_kinds(options: Iterable[KindOptions], as_json: bool) -> None:
    """Print a table of kinds with the options of each."""
    rows = [row for kind in options for row in kind.rows()]
    if as_json:
        output.show_json([{"kind": k, "option": o, "about": a} for k, o, a in rows])
        return
    output.show_table(
        rows,
        [("KIND", lambda r: r[0]), ("OPTION", lambda r: r[1]), ("WHAT", lambda r: r[2])],
        "",
    )
