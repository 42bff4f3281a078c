"""Bundles, what is in them, and bringing them back."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from pydantic import BaseModel, Field

from .inventory import OptionalPath


class Copy(BaseModel):
    """A bundle on one store."""

    store: str
    made: datetime


class Bundle(BaseModel):
    """A subject's complete state at one moment."""

    id: int
    name: str
    subject_kind: str
    subject: str
    job: str
    host: str
    run: int | None
    moment: datetime
    entries: int
    bytes: int
    packed: int
    outcome: str = "done"
    copies: list[Copy] = []


class BundleDetail(Bundle):
    """With the summary of its ``bundle.json``. ``brings`` is full or incremental; ``base`` the moment of the full
    bundle that it builds on, ``dead_share`` how much of what its pieces hold it does not need, from 0 to 1."""

    brings: str = "full"
    base: str = ""
    dead_share: float = 0.0
    contents: dict[str, Any]
    databases: list[dict[str, Any]]
    pieces: list[dict[str, Any]]
    compression: str


class BundleEntry(BaseModel):
    """An entry of a folder; for folders, ``files`` and ``bytes`` cover all that is below."""

    name: str
    path: str
    type: str
    bytes: int
    files: int
    mode: str
    user: str
    group: str
    mtime: datetime
    target: str | None = None


class BundleFiles(BaseModel):
    kind: str
    folder: str
    items: list[BundleEntry]
    more: bool


class BundleFound(BaseModel):
    """Entries whose path holds the words that were looked for."""

    items: list[BundleEntry]
    more: bool


class RestoreStart(BaseModel):
    """``databases`` gives the new name by the name of a MariaDB database in the bundle;
    ``store`` the copy to read, the first one when left out. ``mail_domains`` are merged into the
    host's own files. Without a ``target`` nothing but these comes back."""

    bundle: int
    target: OptionalPath = ""
    store: str = ""
    contents: list[str] = []
    paths: list[str] = []
    databases: dict[str, str] = Field(default={})
    mail_domains: list[str] = []


class Restore(BaseModel):
    id: int
    bundle_id: int | None
    bundle: str
    subject_kind: str
    subject: str
    store: str
    target: str
    contents: list[str]
    paths: list[str]
    databases: dict[str, str]
    mail_domains: list[str] = []
    state: str
    outcome: str | None
    error: str
    entries: int
    bytes: int
    total: int = 0
    stage: str = ""
    started_by: str
    created: datetime
    started: datetime | None
    ended: datetime | None
