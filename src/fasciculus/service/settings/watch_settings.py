"""The settings of the watch, as the records have them."""

from __future__ import annotations

import sqlite3

from ...models import WatchSettings
from ...records import settings
from ...records.messages import channels


def watch_settings(db: sqlite3.Connection) -> WatchSettings:
    """Return the settings, or the defaults."""
    return WatchSettings.model_validate(settings.get(db, settings.WATCH) or {})


def save_watch_settings(db: sqlite3.Connection, new: WatchSettings) -> None:
    """Set it. Raises ``SettingError`` for a channel that is not known."""
    channels.check_known(db, new.channels, "channels")
    settings.put(db, settings.WATCH, new.model_dump(mode="json"))
