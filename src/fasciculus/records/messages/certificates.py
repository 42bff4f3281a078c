"""Expiry of the certificates of stores and the mail server."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterable
from datetime import datetime

from ..db import now, stamp


def ends(db: sqlite3.Connection) -> dict[str, datetime]:
    """By place, such as “store attic”, the end of its certificate."""
    return {
        row["place"]: datetime.fromisoformat(row["ends"])
        for row in db.execute("SELECT place, ends FROM certificate ORDER BY place")
    }


def seen(db: sqlite3.Connection, place: str, end: datetime) -> None:
    """Note the end of a certificate that was shown."""
    db.execute(
        "INSERT INTO certificate VALUES (?, ?, ?) ON CONFLICT (place) DO UPDATE SET "
        "ends=excluded.ends, looked=excluded.looked",
        (place, stamp(end), now()),
    )


def forget_others(db: sqlite3.Connection, places: Iterable[str]) -> None:
    """Forget places that are no more."""
    for place in set(ends(db)) - set(places):
        db.execute("DELETE FROM certificate WHERE place=?", (place,))
