"""The fields of a job that the options of ``fasciculus jobs add`` and ``change`` set."""

from __future__ import annotations

from functools import cache
from typing import TYPE_CHECKING, Any

from ... import models
from ..output import wrong
from ..sizes import parse_size
from . import start_options

if TYPE_CHECKING:
    from pydantic import BaseModel

_WHEN = ("before", "after_success", "after_failure", "always")


def _listed(text: str) -> list[str]:
    return [part.strip() for part in text.split(",") if part.strip()]


@cache
def _defaults() -> models.JobDefaults:
    return models.JobDefaults.model_construct()


def fields_of(old: models.JobInput | None, o: dict[str, Any]) -> dict[str, Any]:
    """Return the fields that the given options set."""
    if sum(bool(o[key]) for key in ("accounts", "sites", "hosts")) > 1:
        raise wrong("--accounts, --sites and --hosts exclude each other.", "Make several jobs.")
    fields: dict[str, Any] = {
        "messages": o["messages"],
        "stores": o["store"],
        "timetable": o["when"],
        "zone": o["zone"],
        "keep": o["keep"],
        "report_to": o["tell"],
        "report_when": o["tell_when"],
        "compression": o["compression"],
        "level": o["level"],
        "enabled": o["on"],
        "hold_page": o["hold_page"],
        "mode": o["mode"],
        "full_every": o["full_every"],
        "max_unused_percent": o["max_unused_percent"],
        "compare_every": o["compare_every"],
        "recipients": [] if o["seal_to"] == ["none"] else o["seal_to"],
        **start_options.tell_fields(o),
    }
    for group, given in start_options.start_fields(o).items():
        fields[group] = _part(getattr(old or _defaults(), group), given)
    for kind in ("accounts", "sites", "hosts"):
        if chosen := o[kind]:
            fields["subjects"] = kind
            fields["choice"] = "all" if chosen == "all" else "listed"
            fields["names"] = [] if chosen == "all" else _listed(chosen)
            if kind == "hosts" and not o["contents"]:
                fields["contents"] = ["system"]
    if o["all_except"]:
        fields["choice"], fields["names"] = "all_but", _listed(o["all_except"])
    if o["contents"]:
        fields["contents"] = _listed(o["contents"])
    if o["piece_size"]:
        fields["piece_size"] = parse_size("piece-size", o["piece_size"])
    if o["attach_up_to"]:
        fields["attach_up_to"] = parse_size("attach-up-to", o["attach_up_to"])
    fields["rules"] = _part(
        old.rules if old else models.Rules(),
        {
            "includes": o["include"],
            "excludes": o["exclude"],
            "sets": o["exclude_set"],
            "larger_than": parse_size("larger-than", o["larger_than"])
            if o["larger_than"]
            else None,
            "older_than": o["older_than"],
            "one_file_system": o["one_file_system"],
            "skip_tagged_caches": o["skip_tagged_caches"],
            "ignore_file": o["ignore_file"],
        },
    )
    fields["databases"] = _part(
        old.databases if old else models.Databases(),
        {
            "names": o["database"],
            "without": o["without_database"],
            "tables": o["table"],
            "without_tables": o["without_table"],
            "without_rows": o["without_rows"],
            "structure_only": o["structure_only"],
            "check_tables": o["check_tables"],
        },
    )
    if o["note"] is not None:
        fields["notes"] = [_note(text) for text in o["note"]]
    commands = [{"when": when, "command": command} for when in _WHEN for command in o[when] or ()]
    if commands or any(o[when] is not None for when in _WHEN):
        fields["commands"] = commands
    return {name: value for name, value in fields.items() if value is not None}


def _part(old: BaseModel, options: dict[str, Any]) -> dict[str, Any] | None:
    given = {key: value for key, value in options.items() if value is not None}
    return {**old.model_dump(), **given} if given else None


def _note(text: str) -> dict[str, Any]:
    name, equals, command = text.partition("=")
    if not (equals and name and command):
        raise wrong(f"“{text}” has no name or no command.", "Write NAME=COMMAND.", "--note")
    return {"name": name, "command": command}
