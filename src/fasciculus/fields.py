"""Checks of single values that several rooms share; each raises ``ValueError`` with a sentence."""

from __future__ import annotations

from typing import Any

from pydantic import Field


def absolute_folder(value: str) -> str:
    """An absolute path without ``..`` that is not the root, without a slash at its end."""
    value = value.strip()
    if not value.startswith("/") or "/../" in value + "/" or value.rstrip("/") == "":
        raise ValueError("Enter an absolute path that starts with “/”, without “..”.")
    return value.rstrip("/")


def certificate_field() -> Any:
    """The setting for a server's certificate that no known authority has signed."""
    return Field(
        default="",
        title="Accepted certificate",
        description="In PEM form, where no known authority signed it. Leave it empty otherwise.",
        json_schema_extra={"multiline": True},
    )
