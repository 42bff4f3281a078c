"""Search by name, and totals."""

from __future__ import annotations

import sqlite3
from dataclasses import dataclass

from .paging import like

_MOST = 8
#: By kind: name, what it is of, id.
_QUERIES = {
    "account": "SELECT account.name, host.name, account.id FROM account JOIN host ON "
    "host.id=host_id WHERE account.name LIKE :words ESCAPE '\\' ORDER BY account.name LIMIT :most",
    "site": "SELECT site.name, account.name, site.id FROM site JOIN account ON "
    "account.id=account_id WHERE site.name LIKE :words ESCAPE '\\' ORDER BY site.name LIMIT :most",
    "job": "SELECT name, '', id FROM job WHERE name LIKE :words ESCAPE '\\' "
    "ORDER BY name LIMIT :most",
    "store": "SELECT name, kind, id FROM store WHERE name LIKE :words ESCAPE '\\' "
    "ORDER BY name LIMIT :most",
    "bundle": "SELECT name, subject, id FROM bundle WHERE subject || ' ' || name LIKE :words "
    "ESCAPE '\\' ORDER BY moment DESC LIMIT :most",
}


@dataclass(frozen=True, slots=True)
class Match:
    """A thing whose name has the words in it; ``about`` is what it is of or on."""

    kind: str
    name: str
    about: str
    id: int


@dataclass(frozen=True, slots=True)
class Totals:
    """The totals."""

    accounts: int
    sites: int
    jobs: int


def matches(db: sqlite3.Connection, words: str) -> list[Match]:
    """Return the first few of each kind."""
    values = {"words": like(words), "most": _MOST}
    return [
        Match(kind, row[0], row[1], row[2])
        for kind, query in _QUERIES.items()
        for row in db.execute(query, values)
    ]


def totals(db: sqlite3.Connection) -> Totals:
    """Return how many accounts, sites and jobs there are."""
    row = db.execute(
        "SELECT (SELECT count(*) FROM account), (SELECT count(*) FROM site), "
        "(SELECT count(*) FROM job)"
    ).fetchone()
    return Totals(*row)
