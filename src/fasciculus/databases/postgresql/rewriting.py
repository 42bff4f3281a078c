"""Rewriting texts in the rows of a PostgreSQL database that nobody uses yet."""

from __future__ import annotations

from collections.abc import Collection, Iterator

from ...core.dump.postgresql.dialect import sql_text
from ...core.errors import StatementError
from ...core.rewriting.texts import Texts
from ...core.rewriting.values import ValueWriter
from ..rewriting import RewrittenColumn
from .server import PostgreSqlConnection

_BATCH = 200
#: Types whose values are texts, or are written as such.
_TYPES = "('text', 'varchar', 'bpchar', 'json', 'jsonb', 'xml', 'citext')"


def rewrite(
    server: PostgreSqlConnection,
    database: str,
    tables: Collection[str],
    texts: Texts,
    olds: Collection[str],
) -> Iterator[RewrittenColumn]:
    """Exchange texts in all columns of text, and yield the columns that have some.

    ``olds`` are the texts to look for. Triggers do not run; generated columns follow.
    """
    for table in tables:
        server.rows(f"ALTER TABLE {table} DISABLE TRIGGER USER")
        try:
            for column, type_ in server.rows(
                "SELECT pg_catalog.quote_ident(a.attname), a.atttypid::pg_catalog.regtype FROM "
                "pg_catalog.pg_attribute a JOIN pg_catalog.pg_type t ON t.oid = a.atttypid WHERE "
                "a.attrelid = %s::pg_catalog.regclass AND a.attnum > 0 AND NOT a.attisdropped AND "
                f"a.attgenerated = '' AND t.typname IN {_TYPES} ORDER BY a.attnum",
                table,
            ):
                rows, skipped = _column(server, table, str(column), str(type_), texts, olds)
                if rows or skipped:
                    yield RewrittenColumn(database, table, str(column), rows, skipped)
        finally:
            server.rows(f"ALTER TABLE {table} ENABLE TRIGGER USER")


def _column(
    server: PostgreSqlConnection,
    table: str,
    column: str,
    type_: str,
    texts: Texts,
    olds: Collection[str],
) -> tuple[int, int]:
    """Return how many rows changed, and how many were left as they are."""
    writer, rows, refused = ValueWriter(texts), 0, 0
    # A part without slashes: other encodings write these in another way.
    parts = sorted({max(old.split("/"), key=len) for old in olds})
    wanted = " OR ".join(
        f"pg_catalog.strpos({column}::pg_catalog.text, {sql_text(part)}) > 0" for part in parts
    )
    places = [str(row[0]) for row in server.rows(f"SELECT ctid FROM ONLY {table} WHERE {wanted}")]
    for at in range(0, len(places), _BATCH):
        some = ", ".join(f"'{place}'" for place in places[at : at + _BATCH])
        for place, value in server.rows(
            f"SELECT ctid, {column}::pg_catalog.text FROM ONLY {table} WHERE ctid = ANY "
            f"(ARRAY[{some}]::pg_catalog.tid[])"
        ):
            old = str(value).encode("utf-8", "surrogateescape")
            new = writer.value(old)
            if new == old:
                continue
            literal = sql_text(new.decode("utf-8", "surrogateescape"))
            try:
                server.rows(
                    f"UPDATE ONLY {table} SET {column} = {literal}::{type_} WHERE ctid = '{place}'"
                )
                rows += 1
            except StatementError:
                refused += 1
    return rows, writer.skipped + refused
