"""The settings of the watch, as the records have them."""

from __future__ import annotations

import sqlite3

from ..models import WatchSettings
from ..records import settings

_KEY = "watch"


def watch_settings(db: sqlite3.Connection) -> WatchSettings:
    """What is set, or the defaults."""
    return WatchSettings.model_validate(settings.get(db, _KEY) or {})


def save_watch_settings(db: sqlite3.Connection, new: WatchSettings) -> None:
    settings.put(db, _KEY, new.model_dump(mode="json"))
