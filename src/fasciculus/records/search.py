"""Search by name, and totals."""

from __future__ import annotations

import sqlite3
from dataclasses import dataclass

from ..core.scope import Scope
from .paging import like
from .scope import accounts_within, subjects_within

_MOST = 8
#: By kind: name, what it is of, id; what comes first; the condition of a scope.
_QUERIES = {
    "account": (
        "SELECT account.name, host.name, account.id FROM account JOIN host ON host.id=host_id "
        "WHERE account.name LIKE ? ESCAPE '\\'",
        "account.name",
        "account.name",
    ),
    "site": (
        "SELECT site.name, account.name, site.id FROM site JOIN account ON account.id=account_id "
        "WHERE site.name LIKE ? ESCAPE '\\'",
        "site.name",
        "account.name",
    ),
    "job": ("SELECT name, '', id FROM job WHERE name LIKE ? ESCAPE '\\'", "name", None),
    "store": ("SELECT name, kind, id FROM store WHERE name LIKE ? ESCAPE '\\'", "name", None),
    "bundle": (
        "SELECT name, subject, id FROM bundle WHERE subject || ' ' || name LIKE ? ESCAPE '\\'",
        "moment DESC",
        "bundle",
    ),
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


def matches(db: sqlite3.Connection, scope: Scope, words: str) -> list[Match]:
    """Return the first few of each kind that are in the scope."""
    found = []
    values: list[str]
    for kind, (query, order, column) in _QUERIES.items():
        if column is None:
            condition, values = ("1" if scope.is_everything else "0"), []
        elif column == "bundle":
            condition, values = subjects_within(scope, column)
        else:
            condition, values = accounts_within(scope, column)
        rows = db.execute(
            f"{query} AND {condition} ORDER BY {order} LIMIT {_MOST}", [like(words), *values]
        )
        found += [Match(kind, row[0], row[1], row[2]) for row in rows]
    return found


def totals(db: sqlite3.Connection, scope: Scope) -> Totals:
    """Return how many accounts, sites and jobs are in the scope."""
    condition, values = accounts_within(scope, "account.name")
    row = db.execute(
        f"SELECT (SELECT count(*) FROM account WHERE {condition}), "
        f"(SELECT count(*) FROM site JOIN account ON account.id=account_id WHERE {condition}), "
        "(SELECT count(*) FROM job WHERE ?)",
        [*values, *values, scope.is_everything],
    ).fetchone()
    return Totals(*row)
