"""Traffic, usage and free space of each store by day."""

from __future__ import annotations

import sqlite3
from datetime import UTC, date, datetime

from ...core.forecast import DayCount
from ..db import now


def _today() -> str:
    return f"{datetime.now(UTC):%Y-%m-%d}"


def seen(db: sqlite3.Connection, store: str, sent: int, received: int, free: int | None) -> None:
    """Note what a task moved, and what is free there where the store tells."""
    values = {"store": store, "day": _today(), "sent": sent, "received": received}
    db.execute(
        "INSERT INTO store_day (store_id, day, sent, received) SELECT id, :day, :sent, :received "
        "FROM store WHERE name=:store ON CONFLICT DO UPDATE SET sent=sent+excluded.sent, "
        "received=received+excluded.received",
        values,
    )
    if free is not None:
        db.execute("UPDATE store SET free=?, free_at=? WHERE name=?", (free, now(), store))


def weigh(db: sqlite3.Connection) -> None:
    """Note what each store holds now; the last count of a day is what it held on that day."""
    db.execute(
        "INSERT INTO store_day (store_id, day, stored) SELECT store.id, ?, "
        "coalesce((SELECT sum(stored) FROM usage WHERE store_id=store.id), 0) FROM store "
        "WHERE true "
        "ON CONFLICT DO UPDATE SET stored=excluded.stored",
        (_today(),),
    )


def days(db: sqlite3.Connection, store: str, most: int = 400) -> list[DayCount]:
    """Return the days of a store, oldest first."""
    found = db.execute(
        "SELECT day, sent, received, stored FROM store_day JOIN store ON store.id=store_id "
        "WHERE store.name=? ORDER BY day DESC LIMIT ?",
        (store, most),
    ).fetchall()
    return [
        DayCount(date.fromisoformat(row["day"]), row["sent"], row["received"], row["stored"])
        for row in reversed(found)
    ]


def by_subject(db: sqlite3.Connection, store: str, most: int) -> list[sqlite3.Row]:
    """(name, copies, bytes) of the subjects that take most of a store."""
    return db.execute(
        "SELECT subject AS name, copies, stored AS bytes FROM usage JOIN store ON "
        "store.id=store_id WHERE store.name=? ORDER BY stored DESC, subject LIMIT ?",
        (store, most),
    ).fetchall()


def by_job(db: sqlite3.Connection, store: str) -> list[sqlite3.Row]:
    """(name, copies, bytes) of the jobs: what the pieces take that their bundles brought."""
    return db.execute(
        "SELECT job AS name, count(*) AS copies, sum(packed) AS bytes FROM bundle JOIN copy ON "
        "bundle_id=bundle.id JOIN store ON store.id=store_id WHERE store.name=? GROUP BY job "
        "ORDER BY 3 DESC",
        (store,),
    ).fetchall()


def every_day(db: sqlite3.Connection, since: str) -> dict[str, list[DayCount]]:
    """By store, its days since one, oldest first."""
    found: dict[str, list[DayCount]] = {}
    for row in db.execute(
        "SELECT store.name, day, sent, received, stored FROM store_day JOIN store ON "
        "store.id=store_id WHERE day >= ? ORDER BY day",
        (since,),
    ):
        day = DayCount(date.fromisoformat(row["day"]), row["sent"], row["received"], row["stored"])
        found.setdefault(row["name"], []).append(day)
    return found
