"""The rights that a dump needs."""

from __future__ import annotations

from typing import Any

import pytest

from fasciculus.core.dump.mariadb import privileges


@pytest.mark.parametrize(
    ("grants", "lacking"),
    [
        (["GRANT ALL PRIVILEGES ON *.* TO `a`@`%` WITH GRANT OPTION"], []),
        (["GRANT USAGE ON *.* TO `a`@`%`"], list(privileges.NEEDED)),
        (["GRANT SELECT, SHOW VIEW, TRIGGER, EVENT ON `shop`.* TO `a`@`%`"], []),
        (
            ["GRANT SELECT ON *.* TO `a`@`%`", "GRANT EVENT, TRIGGER ON `sh%`.* TO `a`@`%`"],
            ["SHOW VIEW"],
        ),
        (["GRANT ALL PRIVILEGES ON `sho_`.* TO `a`@`%`"], []),
        (["GRANT ALL PRIVILEGES ON `sho\\_`.* TO `a`@`%`"], list(privileges.NEEDED)),
        (["GRANT ALL PRIVILEGES ON `other`.* TO `a`@`%`"], list(privileges.NEEDED)),
        (["GRANT `backup` TO `a`@`%`", "GRANT USAGE ON *.* TO `a`@`%`"], []),
        (["GRANT SELECT (id) ON `shop`.`t` TO `a`@`%`"], list(privileges.NEEDED)),
    ],
)
def test_rights_that_lack(grants: list[str], lacking: list[Any]) -> None:
    assert privileges.missing(grants, "shop") == lacking


def test_grants_on_one_database() -> None:
    lines = [
        "GRANT USAGE ON *.* TO `a`@`%` IDENTIFIED BY PASSWORD '*X'",
        "GRANT SELECT ON `shop`.* TO `a`@`%`",
        "GRANT SELECT (id) ON `shop`.`t` TO `a`@`%`",
        "GRANT EXECUTE ON PROCEDURE `shop`.`p` TO `a`@`%`",
        "GRANT SELECT ON `shop_2`.* TO `a`@`%`",
        "GRANT SELECT ON `s``q`.* TO `a`@`%`",
    ]
    assert privileges.grants_on(lines, "shop") == lines[1:4]
    assert privileges.grants_on(lines, "s`q") == lines[5:]


@pytest.mark.parametrize(
    ("where", "covered"),
    [
        ("*.*", True),
        ("`shop`.*", True),
        ("shop.*", True),
        ("`sh%`.*", True),
        ("`%`.*", True),
        ("`s__p`.*", True),
        ("`s\\_op`.*", False),
        ("`shop`.`orders`", False),
        ("`shop_`.*", False),
        ("`SHOP`.*", False),
    ],
)
def test_where_a_grant_holds(where: str, covered: bool) -> None:
    line = f"GRANT ALL PRIVILEGES ON {where} TO `a`@`%`"
    assert (privileges.missing([line], "shop") == []) is covered


def test_rights_of_several_grants_add_up() -> None:
    lines = ["GRANT select, Show View ON *.* TO `a`@`%`", "GRANT TRIGGER ON `shop`.* TO `a`@`%`"]
    assert privileges.missing(lines, "shop") == ["EVENT"]
    assert privileges.missing([*lines, "GRANT EVENT ON `blog`.* TO `a`@`%`"], "shop") == ["EVENT"]
    assert privileges.missing([*lines, "GRANT EVENT ON `shop`.* TO `a`@`%`"], "shop") == []
    assert privileges.missing([], "shop") == ["SELECT", "SHOW VIEW", "TRIGGER", "EVENT"]
    assert privileges.missing(["GRANT ALL ON *.* TO `a`@`%`"], "shop") == []


@pytest.mark.parametrize("line", ["GRANT `dumps` TO `a`@`%`", "GRANT dumps TO `a`@`%`"])
def test_a_role_gives_what_cannot_be_seen(line: str) -> None:
    assert privileges.missing([line], "shop") == []
    assert privileges.missing(["SET DEFAULT ROLE `dumps` FOR `a`@`%`"], "shop") != []
