"""Lists and single rows that a scope allows."""

from __future__ import annotations

import json
import sqlite3

from ..core.scope import Scope
from ..core.subject import Subject
from .paging import Query

_IN_SCOPE = "(SELECT value FROM json_each(?))"
_SITES = (
    "(SELECT site.name FROM site JOIN account ON account.id=site.account_id "
    f"WHERE account.name IN {_IN_SCOPE})"
)


def accounts_within(scope: Scope, column: str) -> tuple[str, list[str]]:
    """Return a condition on a column of account names, with its values."""
    if scope.accounts is None:
        return "1", []
    return f"{column} IN {_IN_SCOPE}", [json.dumps(sorted(scope.accounts))]


def subjects_within(scope: Scope, table: str) -> tuple[str, list[str]]:
    """Return a condition on a table's ``subject_kind`` and ``subject``, with its values."""
    if scope.accounts is None:
        return "1", []
    names = json.dumps(sorted(scope.accounts))
    kind, name = f"{table}.subject_kind", f"{table}.subject"
    condition = (
        f"({kind} = 'account' AND {name} IN {_IN_SCOPE} OR {kind} = 'site' AND {name} IN {_SITES})"
    )
    return condition, [names, names]


def only_accounts(query: Query, scope: Scope, column: str) -> None:
    """Take only rows whose account is in the scope."""
    condition, values = accounts_within(scope, column)
    query.only(condition, *values)


def only_subjects(query: Query, scope: Scope, table: str) -> None:
    """Take only rows whose subject is in the scope."""
    condition, values = subjects_within(scope, table)
    query.only(condition, *values)


def has_subject(db: sqlite3.Connection, scope: Scope, subject: Subject) -> bool:
    """Return whether a subject is in the scope."""
    if scope.accounts is None:
        return True
    condition, values = subjects_within(scope, "asked")
    row = db.execute(
        f"SELECT 1 FROM (SELECT ? AS subject_kind, ? AS subject) AS asked WHERE {condition}",
        [*subject, *values],
    ).fetchone()
    return row is not None
