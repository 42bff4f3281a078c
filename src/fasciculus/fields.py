"""Checks of single values that several rooms share; each raises ``ValueError`` with a sentence."""

from __future__ import annotations


def absolute_folder(value: str) -> str:
    """An absolute path without ``..`` that is not the root, without a slash at its end."""
    value = value.strip()
    if not value.startswith("/") or "/../" in value + "/" or value.rstrip("/") == "":
        raise ValueError("Enter an absolute path that starts with “/”, without “..”.")
    return value.rstrip("/")
