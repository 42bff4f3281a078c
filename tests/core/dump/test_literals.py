"""Names and values in SQL."""

from __future__ import annotations

import pytest

from fasciculus.core.dump.mariadb.literals import (
    Column,
    escaped,
    literal,
    quote_name,
    raw,
    row_size,
)
from fasciculus.core.dump.sql.members import Member, safe_file


@pytest.mark.parametrize(
    ("column", "value", "literal"),
    [
        (Column("a", "longtext", "utf8mb4"), None, b"NULL"),
        (Column("a", "double"), b"1.5", b"1.5"),
        (Column("a", "longblob"), b"\0'\\\n\r\x1a\xff", b"_binary '\\0\\'\\\\\\n\\r\\Z\xff'"),
        (Column("a", "longtext", "utf8mb4"), "grün'".encode(), "'grün\\''".encode()),
        (Column("a", "text", "koi8r"), b"\xc6", b"_koi8r '\xc6'"),
    ],
)
def test_values_escaped_here(column: Column, value: bytes | None, literal: bytes) -> None:
    assert escaped(column, value) == literal


def test_names_in_sql_and_in_files() -> None:
    assert quote_name("odd`name") == "`odd``name`"
    assert safe_file("shop/../ü") == "shop%2F%2E%2E%2F%C3%BC"
    assert Member("a", b"").name == "a"


@pytest.mark.parametrize(
    ("data_type", "binary", "number", "unbounded"),
    [
        ("int", False, True, False),
        ("double", False, True, False),
        ("float", False, True, False),
        ("varchar", False, False, False),
        ("longtext", False, False, True),
        ("json", False, False, True),
        ("blob", True, False, False),
        ("longblob", True, False, True),
        ("geometry", True, False, True),
        ("bit", True, False, False),
        ("date", False, False, False),
    ],
)
def test_what_a_column_is(data_type: str, binary: bool, number: bool, unbounded: bool) -> None:
    found = Column("a", data_type)
    assert (found.binary, found.number, found.unbounded) == (binary, number, unbounded)


@pytest.mark.parametrize(
    ("column", "sql"),
    [
        (Column("a", "int"), "IFNULL(`a`,'NULL')"),
        (
            Column("a`b", "blob"),
            "IF(`a``b` IS NULL,'NULL',IF(LENGTH(`a``b`)=0,'\\'\\'',CONCAT('0x',HEX(`a``b`))))",
        ),
        (
            Column("a", "text", "koi8r"),
            "IF(`a` IS NULL,'NULL',IF(LENGTH(`a`)=0,'\\'\\'',CONCAT('_koi8r 0x',HEX(`a`))))",
        ),
        (
            Column("a", "text", "utf8mb4"),
            "REPLACE(QUOTE(CONVERT(`a` USING utf8mb4)),CHAR(13 USING utf8mb4),'\\\\r')",
        ),
        (
            Column("a", "double"),
            "IF(`a` IS NULL,'NULL',IF(`a`=0,IF(LEFT(`a`,1)='-','-0e0','0'),`a`))",
        ),
    ],
)
def test_the_server_writes_a_literal(column: Column, sql: str) -> None:
    assert literal(column) == sql


def test_a_float_is_written_with_all_its_digits() -> None:
    assert "CAST(`a` AS DOUBLE)" in literal(Column("a", "float"))
    assert "CAST" not in literal(Column("a", "double"))


def test_how_large_a_row_is_by_what_has_no_bound() -> None:
    columns = [
        Column("n", "int"),
        Column("t", "longtext", "utf8mb4"),
        Column("k", "longtext", "koi8r"),
        Column("b", "longblob"),
    ]
    assert row_size(columns) == (
        "IFNULL(LENGTH(`t`),0)+IFNULL(LENGTH(`k`),0)*2+IFNULL(LENGTH(`b`),0)*2"
    )
    assert row_size(columns[:1]) == ""


@pytest.mark.parametrize(
    ("column", "sql"),
    [
        (Column("a", "blob"), "`a`"),
        (Column("a", "bit"), "CAST(`a` AS BINARY)"),
        (Column("a", "int"), "IFNULL(`a`,'NULL')"),
        (Column("a", "text", "koi8r"), "CAST(`a` AS BINARY)"),
        (Column("a", "text", "latin1"), "CONVERT(`a` USING utf8mb4)"),
        (Column("a", "date"), "CONVERT(`a` USING utf8mb4)"),
    ],
)
def test_the_bytes_that_are_escaped_here(column: Column, sql: str) -> None:
    assert raw(column) == sql
