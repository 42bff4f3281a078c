"""Filters for databases and tables."""

from __future__ import annotations

from typing import Any

import pytest

from fasciculus.core.dump.filters import DatabaseRules


@pytest.mark.parametrize(
    ("rules", "database", "wanted"),
    [
        ({}, "shop", True),
        ({"names": ("shop*",)}, "shop_2", True),
        ({"names": ("shop*",)}, "blog", False),
        ({"without": ("*_test",)}, "shop_test", False),
        ({"tables": ("shop.orders",)}, "shop", True),
        ({"tables": ("shop.orders",)}, "blog", False),
        ({"tables": ("orders",)}, "blog", True),
        ({"names": ("a",), "without": ("a",)}, "a", False),
    ],
)
def test_which_databases_go_in(rules: dict[Any, Any], database: str, wanted: bool) -> None:
    assert DatabaseRules(**rules).wants(database) is wanted


def test_rules_for_one_database_are_of_its_own_tables() -> None:
    rules = DatabaseRules(
        tables=("shop.*", "blog.posts"),
        without_rows=("*.sessions", "shop.cache_?"),
        without_tables=("old",),
    )
    found = rules.of("shop")
    assert (
        found.tables == ("*",)
        and found.without_rows == ("sessions", "cache_?")
        and found.without_tables == ("old",)
    )
    assert rules.of("blog").tables == ("posts",) and rules.of("blog").without_rows == ("sessions",)


@pytest.mark.parametrize(
    ("rules", "database", "tables"),
    [
        ({}, "shop", ()),
        ({"tables": ("shop.a", "blog.b", "c")}, "shop", ("a", "c")),
        ({"tables": ("*.a",)}, "shop", ("a",)),
        ({"tables": ("sh?p.a",)}, "shop", ("a",)),
        ({"tables": ("SHOP.a",)}, "shop", ()),
        ({"tables": ("a.b.c",)}, "a.b", ("c",)),
    ],
)
def test_the_tables_of_a_database(
    rules: dict[Any, Any], database: str, tables: tuple[Any, ...]
) -> None:
    assert DatabaseRules(**rules).of(database).tables == tables


def test_structure_and_checks_hold_for_every_database() -> None:
    found = DatabaseRules(structure_only=True, check_tables=True).of("shop")
    assert found.structure_only and found.check_tables
    plain = DatabaseRules().of("shop")
    assert not plain.structure_only and not plain.check_tables


def test_without_wins_over_names_and_tables() -> None:
    rules = DatabaseRules(names=("shop", "blog"), without=("b*",), tables=("shop.x", "blog.y"))
    assert [rules.wants(name) for name in ("shop", "blog", "other")] == [True, False, False]
    assert not DatabaseRules(names=("shop",), tables=("blog.x",)).wants("shop")
