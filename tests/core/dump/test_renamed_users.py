"""Users of a dump under other names: with their rights on their own database, and no others."""

from __future__ import annotations

from fasciculus.core.dump.mariadb.dialect import SETTINGS
from fasciculus.core.dump.mariadb.renamed_users import RenamedUsers

MEMBER = SETTINGS + (
    b"CREATE USER IF NOT EXISTS 'shop'@'localhost' IDENTIFIED BY PASSWORD '*AB';\n"
    b"CREATE USER IF NOT EXISTS `o'neil`@'%' REQUIRE SSL;\n"
    b"GRANT USAGE ON *.* TO 'shop'@'localhost';\n"
    b"GRANT ALL PRIVILEGES ON `mill\\_shop`.* TO 'shop'@'localhost' WITH GRANT OPTION;\n"
    b"GRANT SELECT (`a`) ON `mill_shop`.`jugs` TO `o'neil`@'%';\n"
    b"GRANT EXECUTE ON PROCEDURE `mill_shop`.`price` TO 'shop'@'localhost';\n"
    b"GRANT SELECT ON `ferry\\_shop`.* TO 'shop'@'localhost';\n"
    b"GRANT SELECT ON `mill_shop`.* TO 'stranger'@'localhost';\n"
    b"GRANT SUPER ON *.* TO 'shop'@'localhost';\n"
    b"GRANT `admin` TO 'shop'@'localhost';\n"
    b"SET PASSWORD FOR 'root'@'localhost' = '*AB';\n"
)


def test_users_get_their_names_and_rights_on_the_new_database_only() -> None:
    found = RenamedUsers(MEMBER, "mill_shop", "mill_shop_try", lambda old: f"{old}_try")
    assert found.names == {"shop": "shop_try", "o'neil": "o'neil_try"}
    assert found.users == ["'shop_try'@'localhost'", "'o\\'neil_try'@'%'"]
    assert found.member.startswith(SETTINGS)
    assert found.member[len(SETTINGS) :].decode().splitlines() == [
        "CREATE USER IF NOT EXISTS 'shop_try'@'localhost' IDENTIFIED BY PASSWORD '*AB';",
        "CREATE USER IF NOT EXISTS 'o\\'neil_try'@'%' REQUIRE SSL;",
        r"GRANT ALL PRIVILEGES ON `mill\_shop\_try`.* TO 'shop_try'@'localhost' "
        "WITH GRANT OPTION;",
        "GRANT SELECT (`a`) ON `mill_shop_try`.`jugs` TO 'o\\'neil_try'@'%';",
        "GRANT EXECUTE ON PROCEDURE `mill_shop_try`.`price` TO 'shop_try'@'localhost';",
    ]


def test_names_with_escapes_are_read_as_the_server_reads_them() -> None:
    member = rb"CREATE USER IF NOT EXISTS 'a\'b\\'@'localhost';" + b"\n"
    found = RenamedUsers(member, "x", "y", lambda old: old)
    assert list(found.names) == ["a'b\\"]
    odd = b"CREATE USER IF NOT EXISTS `a``b`@`localhost`;\n"
    assert list(RenamedUsers(odd, "x", "y", lambda old: old).names) == ["a`b"]
