"""The choice of the next bundle to drill, and the settings of drills."""

from __future__ import annotations

import sqlite3

from ..core.errors import MissingError
from ..core.scope import EVERYTHING, Scope
from ..models import Bundle, DrillSettings
from ..records import seal_keys, settings
from ..records.bundles import bundles
from ..records.runs import restores

_KEY = "drills"


def drill_settings(db: sqlite3.Connection) -> DrillSettings:
    """Return the settings, or the defaults."""
    return DrillSettings.model_validate(settings.get(db, _KEY) or {})


def save_drill_settings(db: sqlite3.Connection, new: DrillSettings) -> None:
    """Save the settings."""
    settings.put(db, _KEY, new.model_dump(mode="json"))


def next_drill(db: sqlite3.Connection, wanted: list[str], scope: Scope = EVERYTHING) -> Bundle:
    """Return the bundle to drill: of the subject whose last drill is the longest ago, the newest
    one with the most kinds of contents.

    ``wanted`` are the only subjects, none for all. Sealed bundles take part if the service keeps a
    private key. Raises ``MissingError`` if no bundle qualifies.
    """
    with_sealed = bool(seal_keys.keys(db))
    last = {row.subject: row.id for row in restores.last_drills(db)}
    found = [
        row
        for row in bundles.drillable(db, scope, with_sealed)
        if not wanted or row.subject in wanted
    ]
    if not found:
        raise MissingError(
            "No bundle can be restored for a drill.",
            "Drills need an account or site with a sound copy; sealed ones also a stored key.",
        )
    chosen = min(found, key=lambda row: last.get(row.subject, 0))
    return bundles.bundle(db, chosen.id)
