"""Everything an operator defines as one readable TOML text, and back."""

from __future__ import annotations

import re
import tomllib
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

import tomli_w

from .errors import SettingError

#: The tables of the text, in the order in which one builds on another.
KINDS = ("channels", "settings", "templates", "hosts", "accounts", "stores", "jobs")

_HEAD = """\
# All that is set in Fasciculus. What has its usual value is left out.
# Secrets stand here by reference alone: {{ env = "NAME" }} or {{ file = "/path" }}.

"""


@dataclass(slots=True)
class ParsedDefinitions:
    """The text taken apart: by kind and name the fields, and by place the references of secrets."""

    tables: dict[str, dict[str, dict[str, Any]]] = field(default_factory=dict)
    references: dict[str, dict[str, str]] = field(default_factory=dict)


def reference_name(kind: str, name: str, key: str) -> str:
    """Return the environment variable that stands for a secret when it is written out."""
    return re.sub(r"[^A-Z0-9]+", "_", f"FASCICULUS_{kind}_{name}_{key}".upper())


def to_text(
    tables: Mapping[str, Mapping[str, Mapping[str, Any]]], secrets: Mapping[str, list[str]]
) -> str:
    """Return the TOML text. ``secrets`` has the names of the secrets that are set, by
    ``kind.name``.
    """
    document: dict[str, Any] = {}
    for kind in KINDS:
        document[kind] = {}
        for name, fields in tables.get(kind, {}).items():
            row = dict(fields)
            if keys := secrets.get(f"{kind}.{name}"):
                row["secrets"] = {key: {"env": reference_name(kind, name, key)} for key in keys}
            document[kind][name] = row
        if not document[kind]:
            del document[kind]
    return _HEAD.replace("{{", "{").replace("}}", "}") + tomli_w.dumps(
        document, multiline_strings=True
    )


def from_text(text: str) -> ParsedDefinitions:
    """Take the text apart; :class:`SettingError` says the line or the place that is wrong."""
    try:
        document = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        raise SettingError(
            f"The text is not TOML: {error}.", "Correct it there.", field="text"
        ) from error
    except RecursionError:
        raise SettingError(
            "The text is nested too deeply.", "Tables and lists here need few levels.", field="text"
        ) from None
    defined = ParsedDefinitions()
    for kind, table in document.items():
        if kind not in KINDS:
            raise SettingError(
                f"There is no kind of thing “{kind}”.", f"Use {', '.join(KINDS)}.", field="text"
            )
        if not isinstance(table, dict) or not all(isinstance(row, dict) for row in table.values()):
            raise SettingError(
                f"“{kind}” is not a table of tables.", f"Write [{kind}.NAME].", field="text"
            )
        defined.tables[kind] = {}
        for name, row in table.items():
            fields = dict(row)
            secrets = fields.pop("secrets", {})
            if not isinstance(secrets, dict):
                raise SettingError(
                    f"{kind}.{name}.secrets is not a table.",
                    'Write secrets = { password = { env = "NAME" } }.',
                    field="text",
                )
            for key, reference in secrets.items():
                place = f"{kind}.{name}.{key}"
                if not isinstance(reference, dict) or set(reference) not in ({"env"}, {"file"}):
                    raise SettingError(
                        f"{place} is written out.",
                        'Write { env = "NAME" } or { file = "/path" } instead.',
                        field="text",
                    )
                defined.references[place] = {k: str(v) for k, v in reference.items()}
            defined.tables[kind][name] = fields
    return defined


def changed_fields(before: Mapping[str, Any], after: Mapping[str, Any]) -> list[str]:
    """Return the fields that differ, those of nested tables as ``mail.home``."""
    found = []
    for key in sorted(before.keys() | after.keys()):
        old, new = before.get(key), after.get(key)
        if isinstance(old, dict) and isinstance(new, dict):
            found += [f"{key}.{below}" for below in changed_fields(old, new)]
        elif old != new:
            found.append(key)
    return found
