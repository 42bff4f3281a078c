"""Views and stored programs as text."""

import pytest

from fasciculus.core.dump.programs import _in_order, _program, _unqualified


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
def test_a_view_does_not_name_its_own_database(view, wanted):
    assert _unqualified(view, "mill") == wanted


def test_views_that_others_build_on_come_first():
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


def test_views_that_name_each_other_end():
    assert sorted(_in_order({"a": "`b`", "b": "`a`"})) == ["a", "b"]


def test_a_program_stands_between_marks_that_are_not_in_it():
    text = _program(b"CREATE FUNCTION f() RETURN '//' || '//1//'", "ANSI", "utf8mb4", "utf8mb4_bin")
    assert text == (
        b"SET sql_mode='ANSI';\nSET character_set_client=utf8mb4;\n"
        b"SET collation_connection=utf8mb4_bin;\nDELIMITER //2//\n"
        b"CREATE FUNCTION f() RETURN '//' || '//1//'\n//2//\nDELIMITER ;\nSET NAMES utf8mb4;\n"
    )


@pytest.mark.parametrize(
    ("text", "charset", "client"),
    [
        (b"plain", "latin1", b"latin1"),
        ("grün".encode("latin-1"), "latin1", b"latin1"),
        ("grün".encode(), "utf8", b"utf8"),
        ("🪶".encode(), "utf8mb4", b"utf8mb4"),
        (b"plain", "", b"utf8mb4"),
    ],
)
def test_a_program_keeps_the_character_set_of_its_client(text, charset, client):
    assert b"SET character_set_client=" + client + b";\n" in _program(text, "", charset, "")
