"""Uploads of bundles."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from .model import Model
from .texts import Name, checked, stored_path

#: The most bytes of one part.
PART = 4 * 1024 * 1024


class UploadStart(Model):
    """An upload of bundles into a new store on the service's machine, which gets this name."""

    name: Name


class Upload(Model):
    """An upload under way: the bytes that have arrived of each file, and whether it is complete,
    by the paths on the store.
    """

    name: str
    received: dict[str, int] = {}
    complete: list[str] = []


class UploadPart(Model):
    """The place of a part: the file, by its path on the store, the first byte, and the size of the
    whole file.
    """

    file: Annotated[str, checked(stored_path)] = ""
    offset: int = Field(default=0, ge=0, le=2**50)
    size: int = Field(default=0, ge=0, le=2**50)


class UploadReceived(Model):
    """The bytes that have arrived of a file."""

    file: str
    received: int
