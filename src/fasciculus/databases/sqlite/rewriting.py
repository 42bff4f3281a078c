"""Rewriting texts in the rows of an SQLite database file that nobody uses yet."""

from __future__ import annotations

import sqlite3
from collections.abc import Collection, Iterator
from contextlib import closing
from pathlib import Path

from ...core.rewriting.texts import Texts
from ...core.rewriting.values import ValueWriter
from ..rewriting import RewrittenColumn

#: Instructions of SQLite's machine before it is asked whether to go on, and how often it may.
_STEP, _STEPS = 1_000_000, 20_000


def rewrite(path: Path, name: str, texts: Texts, olds: Collection[str]) -> list[RewrittenColumn]:
    """Exchange texts in all columns, in one transaction, and return the columns that have some.

    ``olds`` are the texts to look for. Triggers do not run, and nothing in the file is trusted.
    Indexes for full text, and tables that belong to them, are not changed. Raises
    ``sqlite3.Error`` for a file that cannot be rewritten, which is then unchanged.
    """
    with closing(sqlite3.connect(path, isolation_level=None)) as db:
        db.text_factory = bytes
        db.execute("PRAGMA trusted_schema=OFF")
        db.execute("PRAGMA journal_mode=MEMORY")
        steps = iter(range(_STEPS))
        db.set_progress_handler(lambda: int(next(steps, None) is None), _STEP)
        db.execute("BEGIN IMMEDIATE")
        triggers = [
            (row[0].decode(), row[1].decode())
            for row in db.execute("SELECT name, sql FROM sqlite_master WHERE type='trigger'")
        ]
        for trigger, _ in triggers:
            db.execute(f"DROP TRIGGER {_quoted(trigger)}")
        parts = sorted({max(old.split("/"), key=len) for old in olds})
        found = [row for table in _tables(db) for row in _table(db, name, table, texts, parts)]
        for _, statement in triggers:
            db.execute(statement)
        db.execute("COMMIT")
    return found


def _quoted(name: str) -> str:
    return '"' + name.replace('"', '""') + '"'


def _tables(db: sqlite3.Connection) -> list[str]:
    rows = [
        (row[0].decode(), (row[1] or b"").decode("utf-8", "replace").upper())
        for row in db.execute(
            "SELECT name, sql FROM sqlite_master WHERE type='table' AND name NOT LIKE 'sqlite_%'"
        )
    ]
    virtual = tuple(f"{name}_" for name, sql in rows if sql.startswith("CREATE VIRTUAL"))
    return [
        name
        for name, sql in rows
        if not sql.startswith("CREATE VIRTUAL") and not (virtual and name.startswith(virtual))
    ]


def _table(
    db: sqlite3.Connection, database: str, table: str, texts: Texts, parts: list[str]
) -> Iterator[RewrittenColumn]:
    where = _quoted(table)
    # 0 is a column of its own; others are generated or hidden.
    columns = [row[1].decode() for row in db.execute(f"PRAGMA table_xinfo({where})") if row[6] == 0]
    for column in columns:
        writer, rows, name = ValueWriter(texts), 0, _quoted(column)
        wanted = " OR ".join([f"instr(CAST({name} AS TEXT), ?)"] * len(parts))
        values = db.execute(
            f"SELECT DISTINCT {name}, typeof({name}) FROM {where} WHERE typeof({name}) IN "
            f"('text', 'blob') AND ({wanted})",
            parts,
        ).fetchall()
        for value, kind in values:
            new = writer.value(value)
            if new != value:
                cast = "CAST(? AS TEXT)" if kind == b"text" else "?"
                done = db.execute(
                    f"UPDATE {where} SET {name}={cast} WHERE {name} = {cast} AND typeof({name})=?",
                    (new, value, kind.decode()),
                )
                rows += done.rowcount
        if rows or writer.skipped:
            yield RewrittenColumn(database, table, column, rows, writer.skipped)
