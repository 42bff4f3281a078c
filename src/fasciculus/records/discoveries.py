"""Results of the last discovery of each host."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime

from . import settings
from .db import now

_KEY = "discoveries"


@dataclass(frozen=True, slots=True)
class Discovery:
    """The last discovery of a host: its time, the new, changed and deleted accounts, and the error,
    if it failed.
    """

    at: datetime
    new: tuple[str, ...] = ()
    changed: tuple[str, ...] = ()
    gone: tuple[str, ...] = ()
    error: str = ""


def save(
    db: sqlite3.Connection, host: str, found: Iterable[tuple[str, str]], error: str = ""
) -> None:
    """Store the findings on a host: (new, changed or deleted, account) of each difference.

    If it failed, the previous findings stay.
    """
    known = settings.get(db, _KEY) or {}
    row = dict(known.get(host, {})) if error else {}
    for kind, account in found:
        row.setdefault(kind, []).append(account)
    settings.put(db, _KEY, {**known, host: {**row, "at": now(), "error": error}})


def accepted(db: sqlite3.Connection, host: str, accounts: Iterable[str]) -> None:
    """Note that some of the differences were accepted."""
    known, gone = settings.get(db, _KEY) or {}, set(accounts)
    if row := known.get(host):
        for kind in ("new", "changed", "gone"):
            row[kind] = [name for name in row.get(kind, []) if name not in gone]
        settings.put(db, _KEY, known)


def by_host(db: sqlite3.Connection) -> dict[str, Discovery]:
    """Return what was found last, by host."""
    hosts = {row[0] for row in db.execute("SELECT name FROM host")}
    return {
        host: Discovery(
            datetime.fromisoformat(row["at"]),
            tuple(row.get("new", ())),
            tuple(row.get("changed", ())),
            tuple(row.get("gone", ())),
            row.get("error", ""),
        )
        for host, row in (settings.get(db, _KEY) or {}).items()
        if host in hosts
    }
