"""References to other databases in a table's definition, and tables out of a member."""

from __future__ import annotations

from fasciculus.core.dump.mariadb.dialect import HEAD
from fasciculus.core.dump.mariadb.references import corrections, unqualified
from fasciculus.core.dump.mariadb.script import is_in_script, script_part
from fasciculus.core.dump.mariadb.statements import written

SHOP = (
    b"CREATE TABLE `orders` (\n"
    b"  `id` int(11) NOT NULL DEFAULT nextval(`old`.`numbers`),\n"
    b"  `note` varchar(40) DEFAULT 'nextval(`old`.`x`)' COMMENT 'REFERENCES `old`.`y` (',\n"
    b"  `other` int(11) DEFAULT lastval(`else`.`numbers`),\n"
    b"  PRIMARY KEY (`id`),\n"
    b"  CONSTRAINT `buyer``s` FOREIGN KEY (`id`,`other`) REFERENCES `old`.`customers` (`a`,`b`) "
    b"ON DELETE CASCADE,\n"
    b"  CONSTRAINT `own` FOREIGN KEY (`id`) REFERENCES `customers` (`a`),\n"
    b"  CONSTRAINT `foreign` FOREIGN KEY (`id`) REFERENCES `else`.`customers` (`a`)\n"
    b") ENGINE=InnoDB"
)


def test_only_the_names_of_the_own_database_go_and_never_in_a_text() -> None:
    found = unqualified(SHOP, "old")
    assert b"DEFAULT nextval(`numbers`)" in found and b"lastval(`else`.`numbers`)" in found
    assert b"'nextval(`old`.`x`)'" in found and b"REFERENCES `old`.`customers`" in found
    assert unqualified(SHOP, "ol") == SHOP


def test_keys_and_defaults_are_corrected_for_strangers_only() -> None:
    assert list(corrections(SHOP, "shop", {"old", "shop"})) == [
        (
            b"DROP FOREIGN KEY `buyer``s`",
            b"ADD CONSTRAINT `buyer``s` FOREIGN KEY (`id`,`other`) REFERENCES `shop`.`customers` "
            b"(`a`,`b`) ON DELETE CASCADE",
        ),
        (b"", b"MODIFY COLUMN `id` int(11) NOT NULL DEFAULT nextval(`shop`.`numbers`)"),
    ]
    assert list(corrections(SHOP, "old", {"old"})) == []
    assert list(corrections(SHOP, "shop", {"nobody"})) == []


def test_the_structure_of_some_tables_is_taken_out_of_a_member() -> None:
    tables = [b"CREATE TABLE `a` (id int)", b"CREATE TABLE `it``s` (v text DEFAULT ';')"]
    member = HEAD + b"ALTER DATABASE CHARACTER SET utf8mb4;\n" + b"".join(map(written, tables))
    assert script_part("00000-schema.sql", member, ["a"]) == HEAD + written(tables[0])
    assert script_part("00000-schema.sql", member, ["it`s"]) == HEAD + written(tables[1])
    assert script_part("00000-schema.sql", member, []) == member
    assert script_part("00001-rows-a-000001.sql", b"x", ["a"]) == b"x"
    rows, users = "00001-rows-a-000001.sql", "99000-users.sql"
    assert is_in_script(rows, ["a"], {}) and not is_in_script(rows, ["b"], {})
    assert is_in_script("91000-views.sql", [], {}) and not is_in_script(
        "91000-views.sql", ["a"], {}
    )
    assert not is_in_script(users, [], {}) and not is_in_script(users, ["a"], {})
