"""Stores, and trying them."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, Field

from .inventory import Name


class StoreSecrets(BaseModel):
    """Given when saving, never given back. What is left out stays as it was."""

    password: str | None = Field(default=None, repr=False)
    private_key: str | None = Field(default=None, repr=False)
    passphrase: str | None = Field(default=None, repr=False)


class Store(BaseModel):
    """A place for bundles. ``path`` is a local folder; the rest is for SFTP.

    ``host_key`` is the accepted fingerprint, ``SHA256:…``.
    """

    name: Name
    kind: Literal["folder", "sftp"]
    path: str = ""
    address: str = ""
    port: int = Field(default=22, ge=1, le=65535)
    user: str = ""
    folder: str = ""
    host_key: str = ""
    #: Every copy is read through once in so many days, in the background; 0 for never.
    verify_days: int = Field(default=30, ge=0, le=3650)
    secrets: StoreSecrets | None = Field(default=None, exclude_if=lambda value: value is None)
    secrets_set: list[str] = []
    #: Told by the service.
    jobs: list[str] = []
    copies: int = 0
    bytes: int = 0
    where: str = ""
    damaged: int = 0


class TryStep(BaseModel):
    name: str
    ok: bool
    text: str
    way_out: str = ""


class Tried(BaseModel):
    """How trying went. ``host_key`` is the fingerprint that the server showed."""

    ok: bool
    steps: list[TryStep]
    host_key: str = ""
