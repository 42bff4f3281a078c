"""Small settings, as JSON by key."""

from __future__ import annotations

import json
import sqlite3
from typing import Any

#: The settings of the watch.
WATCH = "watch"


def get(db: sqlite3.Connection, key: str, default: Any = None) -> Any:
    """Return a setting, or the default before it was saved."""
    row = db.execute("SELECT value FROM setting WHERE key=?", (key,)).fetchone()
    return json.loads(row["value"]) if row else default


def put(db: sqlite3.Connection, key: str, value: Any) -> None:
    """Save a setting, which JSON can hold."""
    db.execute(
        "INSERT INTO setting VALUES (?, ?) ON CONFLICT (key) DO UPDATE SET value=excluded.value",
        (key, json.dumps(value)),
    )
