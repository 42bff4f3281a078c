"""Validation errors in plain words instead of pydantic's own."""

from __future__ import annotations

import difflib
from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

from msgspec import Struct

if TYPE_CHECKING:
    from pydantic import ValidationError


class FieldError(Struct, frozen=True):
    """One field that cannot be used: its place, dots between the parts, and what is wrong."""

    field: str
    message: str


def field_errors(error: ValidationError) -> list[FieldError]:
    """Return the errors of a model, never with the values themselves: one may be a password."""
    found = []
    for row in error.errors(include_url=False):
        message = _message(row)
        place = ".".join(str(part) for part in row["loc"] if not str(part).startswith("function-"))
        # A check of a whole model names its field at the beginning.
        if not place and ": " in message:
            place, _, message = message.partition(": ")
        found.append(FieldError(place, message))
    return found


def _message(row: Mapping[str, Any]) -> str:
    limits: dict[str, Any] = row.get("ctx") or {}
    match row["type"]:
        case "missing":
            return "This is needed."
        case "literal_error" | "enum":
            choices = [c.strip("'") for c in _split(str(limits["expected"])) if c.strip("'")]
            close = difflib.get_close_matches(str(row.get("input", "")), choices, 1)
            nearest = f" Did you mean {close[0]}?" if close else ""
            return f"Choose one of {', '.join(choices)}.{nearest}"
        case "int_parsing" | "int_type" | "int_from_float":
            return "Give a whole number."
        case "bool_parsing" | "bool_type":
            return "Give true or false."
        case "string_type":
            return "Give a text."
        case "list_type":
            return "Give a list."
        case "extra_forbidden":
            return "There is no such setting."
        case "greater_than_equal":
            return f"Give a number that is at least {limits['ge']:,}."
        case "less_than_equal":
            return f"Give a number that is at most {limits['le']:,}."
        case "string_too_short":
            least = limits["min_length"]
            return "This must not be empty." if least == 1 else f"Use at least {least} characters."
        case "string_too_long":
            return f"Use at most {limits['max_length']:,} characters."
        case "string_pattern_mismatch":
            return "This is not of the form that is wanted."
        case "json_invalid":
            return f"This is not JSON: {limits['error']}."
    return str(row["msg"]).removeprefix("Value error, ")


def _split(expected: str) -> list[str]:
    """Return the choices out of ``'a', 'b' or 'c'``."""
    return [part.strip() for part in expected.replace(" or ", ", ").split(",")]
