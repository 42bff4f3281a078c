"""Names that are not there."""

from __future__ import annotations

import difflib
import sqlite3

from ...core.errors import MissingError
from ...core.scope import EVERYTHING, Scope


def nearest(
    db: sqlite3.Connection, table: str, name: str, what: str, scope: Scope = EVERYTHING
) -> MissingError:
    """Return the error for a wrong name: it says the nearest, or all when they are few, of those
    in the scope.
    """
    rows = db.execute(f"SELECT name FROM {table} ORDER BY name LIMIT 5000")
    known = [row[0] for row in rows if scope.has_account(row[0])]
    close = difflib.get_close_matches(name, known, 1)
    if close:
        hint = f"Did you mean “{close[0]}”?"
    else:
        hint = f"Known: {', '.join(known[:12])}." if known else "There is none yet."
    return MissingError(f"There is no {what} “{name}”.", hint)
