"""The common base of extensible kinds: stores, hosts, database engines."""

from __future__ import annotations

from typing import Protocol

from pydantic import BaseModel, ConfigDict


class Settings(BaseModel):
    """The connection settings of one thing of a kind; no secrets. A kind subclasses it with its
    fields.

    ``title`` and ``description`` of a field are its label and hint in forms and options,
    ``examples`` what is shown while it is empty."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    kind: str

    def describe(self) -> str:
        """Return its place, in a few words for a list."""
        raise NotImplementedError


class Secrets(BaseModel):
    """The secrets of a kind: given when saving, never given back. An empty text removes one."""

    model_config = ConfigDict(extra="forbid")


class Kind(Protocol):
    """The base of all kinds."""

    @property
    def name(self) -> str:
        """Return its name."""

    @property
    def title(self) -> str:
        """Return the name shown to users."""

    @property
    def settings(self) -> type[Settings] | None:
        """Return the model of its settings, None if it has none."""

    @property
    def secrets(self) -> type[Secrets]:
        """Return the model of its secrets."""
