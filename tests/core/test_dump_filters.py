"""Which databases and tables go in."""

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
def test_which_databases_go_in(rules, database, wanted):
    assert DatabaseRules(**rules).wants(database) is wanted


def test_rules_for_one_database_are_of_its_own_tables():
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
