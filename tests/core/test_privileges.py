"""The rights that a dump needs."""

import pytest

from fasciculus.core.dump import privileges


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
def test_rights_that_lack(grants, lacking):
    assert privileges.missing(grants, "shop") == lacking


def test_grants_on_one_database():
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
