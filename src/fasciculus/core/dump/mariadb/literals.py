"""Values as SQL literals, exact to the last bit.

They are written from plain values by a compiled function (``packet_rows``), or else by the server
(``QUOTE``, ``HEX``), several times faster than escaping here. Rows too large for that are escaped
here, so that they stay within the largest packet when they are loaded.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence
from enum import IntEnum

from msgspec import Struct

#: A row whose literals have more bytes than this is escaped here.
LARGE_ROW = 4 * 1024 * 1024

_BINARY = frozenset(
    {
        "binary",
        "varbinary",
        "tinyblob",
        "blob",
        "mediumblob",
        "longblob",
        "bit",
        "geometry",
        "point",
        "linestring",
        "polygon",
        "multipoint",
        "multilinestring",
        "multipolygon",
        "geometrycollection",
        "geomcollection",
        "vector",
    }
)
_NUMBERS = frozenset(["tinyint", "smallint", "mediumint", "int", "bigint", "decimal", "year"])
_UNBOUNDED = frozenset(
    [
        "mediumblob",
        "longblob",
        "mediumtext",
        "longtext",
        "json",
        "geometry",
        "polygon",
        "linestring",
        "multipoint",
        "multilinestring",
        "multipolygon",
        "geometrycollection",
        "geomcollection",
    ]
)
#: Character sets whose text comes back the same from UTF-8; others go as their own bytes.
_THROUGH_UTF8 = frozenset(["utf8mb4", "utf8mb3", "utf8", "ascii", "latin1", ""])


class Way(IntEnum):
    """The conversion of a plain value to a literal; mariadb_rows.c has the same numbers."""

    AS_IT_IS = 0
    QUOTED = 1
    HEXADECIMAL = 2
    FLOATING = 3


class Column(Struct, frozen=True):
    """A column of a table, as information_schema describes it."""

    name: str
    data_type: str
    character_set: str = ""

    @property
    def binary(self) -> bool:
        """Return whether its values are bytes."""
        return self.data_type in _BINARY

    @property
    def number(self) -> bool:
        """Return whether its values are numbers."""
        return self.data_type in _NUMBERS or self.floating

    @property
    def floating(self) -> bool:
        """Return whether its values are floating-point numbers."""
        return self.data_type in ("float", "double")

    @property
    def through_utf8(self) -> bool:
        """Return whether its values are text that comes back the same from UTF-8."""
        return not self.binary and self.character_set in _THROUGH_UTF8

    @property
    def unbounded(self) -> bool:
        """Return whether one value may have many megabytes."""
        return self.data_type in _UNBOUNDED


def quote_name(name: str) -> str:
    """Return an identifier in backquotes."""
    return "`" + name.replace("`", "``") + "`"


def _hex(name: str, introducer: str = "") -> str:
    return (
        f"IF({name} IS NULL,'NULL',IF(LENGTH({name})=0,'\\'\\'',"
        f"CONCAT('{introducer}0x',HEX({name}))))"
    )


def _as_double(column: Column) -> str:
    """As DOUBLE a FLOAT prints with all its digits."""
    name = quote_name(column.name)
    return f"CAST({name} AS DOUBLE)" if column.data_type == "float" else name


def literal(column: Column) -> str:
    """Return the SQL that makes the server write one value as a literal."""
    name = quote_name(column.name)
    if column.binary:
        return _hex(name)
    if column.data_type in _NUMBERS:
        return f"IFNULL({name},'NULL')"
    if column.floating:
        # A negative zero needs an exponent to stay one.
        number = _as_double(column)
        return f"IF({name} IS NULL,'NULL',IF({name}=0,IF(LEFT({name},1)='-','-0e0','0'),{number}))"
    if not column.through_utf8:
        return _hex(name, f"_{column.character_set} ")
    # The command-line client makes a bare CR LF in its input an LF: CR is written escaped.
    return f"REPLACE(QUOTE(CONVERT({name} USING utf8mb4)),CHAR(13 USING utf8mb4),'\\\\r')"


def plain(column: Column) -> tuple[str, Way]:
    """Return the SQL for a plain value, and how :func:`from_plain` makes :func:`literal`'s text
    of it. The connection's character set is UTF-8.
    """
    name = quote_name(column.name)
    if column.binary and column.data_type != "bit":
        return name, Way.HEXADECIMAL
    if column.data_type in _NUMBERS:
        return name, Way.AS_IT_IS
    if column.floating:
        return _as_double(column), Way.FLOATING
    return (name, Way.QUOTED) if column.through_utf8 else (literal(column), Way.AS_IT_IS)


def from_plain(
    columns: Sequence[Column], ways: Iterable[Way], values: Sequence[bytes | None]
) -> Iterable[bytes]:
    """Return the literals of a row's plain values, in the form for large rows if it is one."""
    size = sum(
        len(value) * (2 if column.binary else 1)
        for column, value in zip(columns, values, strict=True)
        if column.unbounded and value is not None
    )
    if size <= LARGE_ROW:
        return map(_written, ways, values)
    return (
        escaped(column, value) if way in (Way.QUOTED, Way.HEXADECIMAL) else _written(way, value)
        for column, way, value in zip(columns, ways, values, strict=True)
    )


_DIGIT = re.compile(rb"[1-9]")


def _written(way: Way, value: bytes | None) -> bytes:
    if value is None:
        return b"NULL"
    if way == Way.AS_IT_IS:
        return value
    if way == Way.FLOATING:
        return value if _DIGIT.search(value) else b"-0e0" if value.startswith(b"-") else b"0"
    if way == Way.HEXADECIMAL:
        return b"0x" + value.hex().upper().encode() if value else b"''"
    return b"'" + _replaced(value, _QUOTES) + b"'"


def row_size(columns: list[Column]) -> str:
    """Return the SQL for the approximate bytes of a row's literals of unbounded length."""
    return "+".join(
        f"IFNULL(LENGTH({quote_name(c.name)}),0)" + ("" if c.through_utf8 else "*2")
        for c in columns
        if c.unbounded
    )


def raw(column: Column) -> str:
    """Return the SQL for a value's own bytes, to be escaped here."""
    name = quote_name(column.name)
    if column.binary:
        return name if column.data_type != "bit" else f"CAST({name} AS BINARY)"
    if column.number:
        return literal(column)
    if not column.through_utf8:
        return f"CAST({name} AS BINARY)"
    return f"CONVERT({name} USING utf8mb4)"


_ESCAPES = {
    b"\\": b"\\\\",
    b"'": b"\\'",
    b"\0": b"\\0",
    b"\n": b"\\n",
    b"\r": b"\\r",
    b"\x1a": b"\\Z",
}
#: The same as the server's ``QUOTE`` and the replacement of CR in :func:`literal`: no LF.
_QUOTES = {letter: code for letter, code in _ESCAPES.items() if letter != b"\n"}


def _replaced(value: bytes, codes: Mapping[bytes, bytes]) -> bytes:
    # The backslash comes first: it is in the codes of all others.
    for letter, code in codes.items():
        value = value.replace(letter, code)
    return value


def escaped(column: Column, value: bytes | None) -> bytes:
    """Return a value's own bytes as a literal."""
    if value is None:
        return b"NULL"
    if column.number:
        return value
    value = _replaced(value, _ESCAPES)
    if column.binary:
        return b"_binary '" + value + b"'"
    if not column.through_utf8:
        return b"_" + column.character_set.encode() + b" '" + value + b"'"
    return b"'" + value + b"'"
