"""Stores, and trying them."""

from __future__ import annotations

from pydantic import BaseModel, Field

from .inventory import Name
from .kinds import KindSettings


class StoreFields(BaseModel):
    """What is sent and shown of a store."""

    name: Name
    settings: KindSettings
    #: Every copy is read through once in so many days, in the background; 0 for never.
    verify_days: int = Field(default=30, ge=0, le=3650)


class StoreInput(StoreFields):
    """A store to be saved. ``secrets`` that are left out stay as they were; an empty text removes
    one."""

    secrets: dict[str, str | None] = Field(default={}, repr=False)


class Store(StoreFields):
    """A store, with what the records know to be on it: copies, their bytes, damaged files."""

    where: str
    secrets_set: list[str] = []
    jobs: list[str] = []
    copies: int = 0
    bytes: int = 0
    damaged: int = 0


class TryStep(BaseModel):
    """One step of trying something. ``text`` says how it went, ``way_out`` what to do."""

    name: str
    ok: bool
    text: str
    way_out: str = ""


class TryResult(BaseModel):
    """How trying went. ``host_key`` is the fingerprint that the server showed."""

    ok: bool
    steps: list[TryStep]
    host_key: str = ""
