"""Statements of a dump, taken apart."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fasciculus.core.dump.mariadb.loader import load, statements

LITERALS = st.binary(max_size=30).map(
    lambda b: b"'" + b.replace(b"\\", b"\\\\").replace(b"'", b"\\'") + b"'"
)


@given(st.lists(st.lists(LITERALS, min_size=1, max_size=5), max_size=8))
def test_statements_are_cut_only_where_they_end(rows: list[Any]) -> None:
    wanted = [b"INSERT INTO `a;'b` VALUES (" + b",".join(row) + b")" for row in rows]
    member = b"-- it's a comment;\n" + b"".join(w + b";\n" for w in wanted)
    found = list(statements(member))
    assert [f.removeprefix(b"-- it's a comment;\n") for f in found] == (
        wanted or [b"-- it's a comment;"]
    )


def test_delimiters_and_the_last_statement() -> None:
    member = (
        b"SET sql_mode='';\nDELIMITER //\nCREATE TRIGGER t BEGIN SET @a = ';'; "
        b"END\n//\nDELIMITER ;\n"
        b"SELECT /* ; */ 1"
    )
    found: list[bytes] = []
    assert load(iter([member]), found.append) == 3
    assert found == [
        b"SET sql_mode=''",
        b"CREATE TRIGGER t BEGIN SET @a = ';'; END",
        b"SELECT /* ; */ 1",
    ]


@pytest.mark.parametrize(
    ("member", "wanted"),
    [
        (b"", []),
        (b"  \n", []),
        (b"SELECT 1", [b"SELECT 1"]),
        (b"SELECT 1;", [b"SELECT 1"]),
        (b"A;\nB;\n", [b"A", b"B"]),
        (b"A 'x;y';B", [b"A 'x;y'", b"B"]),
        (b"A 'it''s;';B", [b"A 'it''s;'", b"B"]),
        (b"A 'it\\';s';B", [b"A 'it\\';s'", b"B"]),
        (b'A "x;\\"y;";B', [b'A "x;\\"y;"', b"B"]),
        (b"A `x;y`;B", [b"A `x;y`", b"B"]),
        (b"A -- it's; here\n;B", [b"A -- it's; here", b"B"]),
        (b"A --5;B", [b"A --5", b"B"]),
        (b"A /* it's; */ 1;B", [b"A /* it's; */ 1", b"B"]),
        (b"A '\n;\n';B", [b"A '\n;\n'", b"B"]),
    ],
)
def test_a_statement_ends_where_a_server_says_so(member: bytes, wanted: list[Any]) -> None:
    assert list(statements(member)) == wanted


def test_between_delimiters_everything_is_one_statement() -> None:
    body = b"CREATE PROCEDURE p() BEGIN SELECT ';'; SELECT 'DELIMITER $$'; END"
    member = b"A;\nDELIMITER $$\n" + body + b"\n$$\nDELIMITER ;\nB;\nC"
    assert list(statements(member)) == [b"A", body, b"B", b"C"]
    two = b"DELIMITER //\nX\n//\nDELIMITER ;\nDELIMITER //\nY;\n//\nDELIMITER ;\n"
    assert list(statements(two)) == [b"X", b"Y;"]


def test_members_are_loaded_in_order_and_counted() -> None:
    ran = []
    assert load(iter([b"A;B;", b"", b"C"]), ran.append) == 3
    assert ran == [b"A", b"B", b"C"]
