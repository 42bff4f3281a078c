"""Changes of settings."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from .model import Model


class SettingChange(Model):
    """A change of one thing by one person: what differs, by name of the setting, before and after;
    ``before`` is None for what was added, ``after`` for what was removed."""

    id: int
    at: datetime
    who: str
    kind: str
    name: str
    before: dict[str, Any] | None = None
    after: dict[str, Any] | None = None
