"""Rewriting texts in the rows of a MariaDB database that nobody uses yet."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass

from ...core.dump.mariadb.dialect import sql_text
from ...core.dump.mariadb.literals import quote_name
from ...core.dump.sql.members import text
from ...core.rewriting.texts import Texts
from ...core.rewriting.values import ValueWriter
from ..rewriting import RewrittenColumn
from .server import MariaDbConnection

_BATCH = 200
_TEXTS = ("char", "varchar", "tinytext", "text", "mediumtext", "longtext", "json")
_BYTES = ("binary", "varbinary", "tinyblob", "blob", "mediumblob", "longblob")


@dataclass(frozen=True, slots=True)
class _Column:
    name: str
    type: str
    is_key: bool
    keeps_time: bool

    @property
    def is_rewritten(self) -> bool:
        return self.type in (*_TEXTS, *_BYTES)

    def literal(self, value: bytes | None) -> str:
        """Return a value of the column as SQL."""
        if value is None:
            return "NULL"
        if self.type in _BYTES:
            return f"X'{value.hex()}'"
        return sql_text(value.decode("utf-8", "surrogateescape"))


def rewrite(
    server: MariaDbConnection, database: str, texts: Texts, olds: Collection[str]
) -> Iterator[RewrittenColumn]:
    """Exchange texts in all columns of text and bytes, and yield the columns that have some.

    ``olds`` are the texts to look for. Triggers must not exist: they would run. Columns that keep
    the time of a change keep their value; generated ones follow.
    """
    server.rows("SET sql_mode='NO_AUTO_VALUE_ON_ZERO,ALLOW_INVALID_DATES', foreign_key_checks=0")
    for table in server.rows(
        "SELECT table_name FROM information_schema.tables WHERE table_schema=%s AND "
        "table_type='BASE TABLE' ORDER BY table_name",
        database,
    ):
        yield from _Table(server, database, text(table[0])).rewrite(texts, olds)


class _Table:
    """A table that is rewritten."""

    def __init__(self, server: MariaDbConnection, database: str, name: str) -> None:
        self._server, self._database, self._name = server, database, name
        self._where = f"{quote_name(database)}.{quote_name(name)}"
        self._columns = [
            _Column(
                text(column), text(kind), text(key) == "PRI", "on update" in text(extra).lower()
            )
            for column, kind, key, extra in server.rows(
                "SELECT column_name, data_type, column_key, extra FROM information_schema.columns "
                "WHERE table_schema=%s AND table_name=%s AND extra NOT LIKE '%%GENERATED%%' "
                "ORDER BY ordinal_position",
                database,
                name,
            )
        ]
        self._key = [column for column in self._columns if column.is_key]

    def rewrite(self, texts: Texts, olds: Collection[str]) -> Iterator[RewrittenColumn]:
        for column in self._columns:
            if not column.is_rewritten:
                continue
            writer, rows = ValueWriter(texts), 0
            for where, value in self._found(column, olds):
                new = writer.value(value)
                if new != value:
                    self._put(column, new, where)
                    rows += 1
            if rows or writer.skipped:
                yield RewrittenColumn(self._database, self._name, column.name, rows, writer.skipped)

    def _found(self, column: _Column, olds: Collection[str]) -> Iterator[tuple[str, bytes]]:
        """Yield the values that have one of the texts, each with the condition for its rows."""
        # A part without slashes: other encodings write these in another way.
        parts = sorted({max(old.split("/"), key=len) for old in olds})
        name = quote_name(column.name)
        wanted = " OR ".join(f"INSTR({name}, {sql_text(part)}) > 0" for part in parts)
        if not self._key:
            for (value,) in self._server.rows(
                f"SELECT DISTINCT BINARY {name} FROM {self._where} WHERE {wanted}"
            ):
                if value is not None:
                    yield f"BINARY {name} = X'{value.hex()}'", value
            return
        keys = ", ".join(quote_name(key.name) for key in self._key)
        after = ""
        while True:
            rows = self._server.rows(
                f"SELECT {keys}, {name} FROM {self._where} WHERE ({wanted}){after} "
                f"ORDER BY {keys} LIMIT {_BATCH}"
            )
            for row in rows:
                if row[-1] is not None:
                    yield self._row(row), row[-1]
            if len(rows) < _BATCH:
                return
            values = ", ".join(k.literal(v) for k, v in zip(self._key, rows[-1][:-1], strict=True))
            after = f" AND ({keys}) > ({values})"

    def _row(self, row: Sequence[bytes | None]) -> str:
        return " AND ".join(
            f"{quote_name(key.name)} = {key.literal(value)}"
            for key, value in zip(self._key, row[:-1], strict=True)
        )

    def _put(self, column: _Column, value: bytes, where: str) -> None:
        kept = "".join(
            f", {quote_name(other.name)}={quote_name(other.name)}"
            for other in self._columns
            if other.keeps_time
        )
        self._server.execute(
            f"UPDATE {self._where} SET {quote_name(column.name)}={column.literal(value)}{kept} "
            f"WHERE {where}".encode("utf-8", "surrogateescape")
        )
