"""Records that age out."""

from __future__ import annotations

import sqlite3
from datetime import datetime

from .db import stamp

#: What is forgotten, and by which moment of it. What goes on stays, and of each job its last run.
_RULES = (
    "DELETE FROM run WHERE state='ended' AND ended < ? AND id NOT IN "
    "(SELECT max(id) FROM run WHERE state='ended' GROUP BY job) AND id NOT IN "
    "(SELECT run_id FROM bundle WHERE run_id IS NOT NULL)",
    "DELETE FROM report WHERE state != 'waiting' AND at < ?",
    "DELETE FROM alert WHERE closed < ?",
    "DELETE FROM change WHERE at < ? AND id NOT IN "
    "(SELECT max(id) FROM change GROUP BY kind, name)",
    "DELETE FROM audit WHERE at < ?",
    "DELETE FROM restore WHERE state='ended' AND ended < ?",
    "DELETE FROM pause WHERE until < ?",
)


def forget(db: sqlite3.Connection, before: datetime) -> int:
    """Remove rows that ended before a time, and return their number.

    The runs of bundles that are still there stay with them.
    """
    moment = stamp(before)
    return sum(db.execute(rule, (moment,)).rowcount for rule in _RULES)
