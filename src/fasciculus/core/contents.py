"""Kinds of contents of a bundle (the bundle format, version 1)."""

from __future__ import annotations

from enum import StrEnum


class Contents(StrEnum):
    """A kind of contents, as listings, manifests, jobs and the API write it; in the order in which
    a bundle has them.
    """

    FILES = "files"
    DATABASES = "databases"
    MAIL = "mail"
    SYSTEM = "system"
    #: The output of commands.
    NOTES = "notes"
