"""Views and stored programs as text."""

from __future__ import annotations

import pytest

from fasciculus.core.dump.mariadb.dialect import SETTINGS
from fasciculus.core.dump.mariadb.statements import as_client, written
from fasciculus.core.dump.mariadb.stored_objects import Writer, _in_order, _unqualified
from fasciculus.core.dump.sql.members import safe_file


@pytest.mark.parametrize(
    ("view", "wanted"),
    [
        ("select `mill`.`t`.`id` AS `id` from `t`", "select `t`.`id` AS `id` from `t`"),
        ("select `mill`.`id` from `mill`", "select `mill`.`id` from `mill`"),
        ("select '`mill`.`t`.`id`' from `t`", "select '`mill`.`t`.`id`' from `t`"),
        ("select 'it''s `mill`.`t`.`id`'", "select 'it''s `mill`.`t`.`id`'"),
        ("select 'it\\'s', `mill`.`t`.`id`", "select 'it\\'s', `t`.`id`"),
        ("select `other`.`t`.`id` from `other`.`t`", "select `other`.`t`.`id` from `other`.`t`"),
        ("select 1 AS `mill`.`t`.`x`", "select 1 AS `t`.`x`"),
    ],
)
def test_a_view_does_not_name_its_own_database(view: str, wanted: str) -> None:
    assert _unqualified(view, "mill") == wanted


def test_views_that_others_build_on_come_first() -> None:
    made = {
        "a": "CREATE VIEW `a` AS select * from `c`",
        "b": "CREATE VIEW `b` AS select * from `a` join `d`",
        "c": "CREATE VIEW `c` AS select 1",
        "d": "CREATE VIEW `d` AS select * from `c`",
    }
    order = _in_order(made)
    assert sorted(order) == list("abcd")
    for name, on in (("a", "c"), ("b", "a"), ("b", "d"), ("d", "c")):
        assert order.index(on) < order.index(name)


def test_views_that_name_each_other_end() -> None:
    assert sorted(_in_order({"a": "`b`", "b": "`a`"})) == ["a", "b"]


class Silent:
    """A server that is asked nothing."""

    def rows(self, sql: str, *values: str) -> None:
        raise AssertionError(sql)


def test_a_program_stands_between_marks_that_are_not_in_it() -> None:
    """On servers that cannot prepare it."""
    writer = Writer(Silent(), True, (10, 5))
    text = writer.program(
        b"CREATE FUNCTION f() RETURN '//' || '//1//'", "ANSI", "utf8mb4", "utf8mb4_bin"
    )
    assert (
        text
        == (
            b"SET sql_mode='ANSI';\nSET character_set_client=utf8mb4;\n"
            b"SET collation_connection=utf8mb4_bin;\nDELIMITER //2//\n"
            b"CREATE FUNCTION f() RETURN '//' || '//1//'\n//2//\nDELIMITER ;\n"
        )
        + SETTINGS
    )


def test_a_program_is_a_literal_where_the_server_prepares_it() -> None:
    body = "CREATE FUNCTION f() RETURN '日本'".encode("shift-jis") + b" -- \\! touch canary"
    text = Writer(Silent(), True, (10, 11)).program(body, "ANSI", "sjis", "sjis_bin", "SYSTEM")
    assert text.isascii() and b"\\" not in text and body.hex().encode() in text
    assert b"SET character_set_client=sjis;\nSET collation_connection=sjis_bin;\n" in text
    assert b"SET time_zone='SYSTEM';\n" in text and text.endswith(SETTINGS)


@pytest.mark.parametrize("value", ["x;DROP DATABASE mill", "utf8'; --", "", "UTF8 "])
def test_settings_that_are_no_words_are_left_out(value: str) -> None:
    text = as_client(b"", value.lower(), value, value, value + "'")
    assert b"DROP" not in text and b"--" not in text
    assert b"SET character_set_client=utf8mb4;\n" in text


@pytest.mark.parametrize(
    ("statement", "plain"),
    [
        (b"CREATE TABLE `t` (\n  `a` int DEFAULT 'it''s'\n)", True),
        (b"CREATE TABLE `t` (`a` int COMMENT 'a\\'')", False),
        ("CREATE TABLE `größe` (`a` int)".encode(), False),
        (b"SELECT 1 -- x", False),
        (b"SELECT 1 # x", False),
        (b"SELECT /*!50000 1 */", False),
        (b"SELECT `a\n delimiter x` FROM t", False),
        (b"SELECT 'a;b'", False),
        (b'SELECT "a"', False),
        (b"SELECT 'a\0'", False),
        (b"SELECT 1-1, 4/2", True),
    ],
)
def test_only_a_plain_statement_is_written_as_it_is(statement: bytes, plain: bool) -> None:
    text = written(statement)
    assert (text == statement + b";\n") is plain
    assert plain or statement.hex().encode() in text


def test_the_name_of_a_file_is_never_too_long() -> None:
    """64 letters of four bytes each, and two that begin alike."""
    first, second = safe_file("🪶" * 64), safe_file("🪶" * 63 + "x")
    assert len(first) <= 200 and first != second and first[:100] == second[:100]
    assert safe_file("größe") == "gr%C3%B6%C3%9Fe" and safe_file("a" * 64) == "a" * 64
