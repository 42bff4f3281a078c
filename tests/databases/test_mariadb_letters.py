"""Names, comments and programs of clients of other character sets, and roles, letter by letter."""

from __future__ import annotations

import subprocess
from typing import Any

import pytest
from running import mariadb_spec

from fasciculus.core.dump.mariadb.dump import Dump
from fasciculus.core.dump.mariadb.loader import load
from fasciculus.core.dump.mariadb.users import every_user
from fasciculus.databases.mariadb.server import connect
from fasciculus.demo.mariadb import PrivateMariaDb
from fasciculus.hosts.local import LocalHost

#: By the server's name of a character set: Python's, and a word in it.
CLIENTS = {
    "latin1": ("latin-1", "größeé"),
    "cp850": ("cp850", "größeé"),
    "cp1251": ("cp1251", "яблоко"),
    "koi8r": ("koi8-r", "яблоко"),
    "sjis": ("shift-jis", "日本語"),
    "utf8mb4": ("utf-8", "größeé"),
}
PROGRAMS = """DELIMITER //
CREATE PROCEDURE `p {w}`(IN `x {w}` INT) COMMENT 'c {w} it''s' BEGIN SELECT '{w}' AS `r {w}`; END//
CREATE FUNCTION `f {w}`() RETURNS VARCHAR(50) DETERMINISTIC COMMENT '{w}' RETURN '{w}'//
CREATE TRIGGER `t {w}` BEFORE INSERT ON plain FOR EACH ROW SET NEW.a = '{w}'//
CREATE EVENT `e {w}` ON SCHEDULE EVERY 1 DAY DISABLE COMMENT 'c {w}' DO SELECT '{w}' AS `r {w}`//
CREATE VIEW `v {w}` AS SELECT '{w}' AS `r {w}`, COLLATION('x') AS c//
CREATE TABLE `table {w}` (`column {w}` VARCHAR(9) DEFAULT '{d}' COMMENT '{w}') COMMENT '{w}'//
"""
TOLD = """
SELECT routine_name, routine_comment, character_set_client, collation_connection,
 HEX(routine_definition) FROM information_schema.routines WHERE routine_schema='{d}' ORDER BY 1;
SELECT HEX(name), HEX(comment), HEX(param_list), HEX(body) FROM mysql.proc WHERE db='{d}'
 ORDER BY 1;
SELECT trigger_name, character_set_client, HEX(action_statement) FROM
 information_schema.triggers WHERE trigger_schema='{d}' ORDER BY 1;
SELECT event_name, event_comment, character_set_client, HEX(event_definition) FROM
 information_schema.events WHERE event_schema='{d}' ORDER BY 1;
SELECT table_name, character_set_client, collation_connection, HEX(view_definition) FROM
 information_schema.views WHERE table_schema='{d}' ORDER BY 1;
SELECT table_name, column_name, column_comment, column_default, collation_name FROM
 information_schema.columns WHERE table_schema='{d}' ORDER BY 1, 2;
SELECT table_name, table_comment FROM information_schema.tables WHERE table_schema='{d}' ORDER BY 1;
"""


def client(
    mariadb: PrivateMariaDb, sql: bytes, charset: str = "utf8mb4", database: str = ""
) -> str:
    command = ["mariadb", "-S", mariadb.socket, "-N", f"--default-character-set={charset}"]
    done = subprocess.run([*command, *filter(None, [database])], input=sql, capture_output=True)
    assert done.returncode == 0, done.stderr.decode("utf-8", "replace")
    return done.stdout.decode()


def told(mariadb: PrivateMariaDb, database: str) -> str:
    return client(mariadb, TOLD.replace("{d}", database).encode())


def dumped(mariadb: PrivateMariaDb, database: str) -> Any:
    spec = mariadb_spec(socket=mariadb.socket, user="fasciculus", password="ledger")
    with connect(spec, LocalHost()) as server:
        dump = Dump(server, database)
        return list(dump), dump.done.notes


@pytest.mark.parametrize("charset", CLIENTS)
def test_letters_of_another_client_come_back(mariadb: PrivateMariaDb, charset: str) -> None:
    encoding, word = CLIENTS[charset]
    name, ours, theirs = (f"letters_{charset}{suffix}" for suffix in ("", "_ours", "_client"))
    for database in (name, ours, theirs):
        mariadb.run(f"CREATE DATABASE {database} CHARACTER SET utf8mb4")
    mariadb.run("CREATE TABLE plain (a VARCHAR(50))", database=name)
    sql = PROGRAMS.replace("{w}", word).replace("{d}", word[:3])
    client(mariadb, sql.encode(encoding), charset, name)
    original = told(mariadb, name)
    assert original.count(f"p {word}") == 1 and f"e {word}" in original
    members, notes = dumped(mariadb, name)
    assert notes == []
    spec = mariadb_spec(socket=mariadb.socket, user="fasciculus", password="ledger")
    with connect(spec, LocalHost()) as server:
        server.rows(f"USE {ours}")
        load((member.data for member in members if "user" not in member.name), server.execute)
    assert told(mariadb, ours) == original
    whole = b"".join(member.data for member in members if "user" not in member.name)
    client(mariadb, whole, "utf8mb4", theirs)
    assert told(mariadb, theirs) == original


def test_a_comment_that_its_own_client_could_not_write_comes_back(mariadb: PrivateMariaDb) -> None:
    mariadb.run("CREATE DATABASE mixed CHARACTER SET utf8mb4", "CREATE DATABASE mixed_2")
    client(mariadb, "CREATE PROCEDURE p() SELECT 'ü'".encode("latin-1"), "latin1", "mixed")
    mariadb.run("ALTER PROCEDURE p COMMENT 'яблоко, its own'", database="mixed")
    members, _ = dumped(mariadb, "mixed")
    spec = mariadb_spec(socket=mariadb.socket, user="fasciculus", password="ledger")
    with connect(spec, LocalHost()) as server:
        server.rows("USE mixed_2")
        load((member.data for member in members if "user" not in member.name), server.execute)
    assert told(mariadb, "mixed_2") == told(mariadb, "mixed")
    assert "яблоко, its own" in told(mariadb, "mixed_2")


ROLES = (
    "CREATE DATABASE pots",
    "CREATE DATABASE kilns",
    "CREATE TABLE pots.t (a INT)",
    "CREATE ROLE pot_reader",
    "CREATE ROLE `head reader`",
    "CREATE ROLE kiln_writer",
    "GRANT SELECT ON pots.* TO pot_reader",
    "GRANT pot_reader TO `head reader`",
    "GRANT INSERT ON kilns.* TO kiln_writer",
    "CREATE USER potter@localhost IDENTIFIED BY 'clay'",
    "CREATE USER stoker@localhost IDENTIFIED BY 'coal'",
    "GRANT `head reader` TO potter@localhost WITH ADMIN OPTION",
    "GRANT kiln_writer TO potter@localhost",
    "GRANT kiln_writer TO stoker@localhost",
    "SET DEFAULT ROLE `head reader` FOR potter@localhost",
)
FORGET = (
    "DROP USER potter@localhost",
    "DROP USER stoker@localhost",
    "DROP ROLE pot_reader",
    "DROP ROLE `head reader`",
    "DROP ROLE kiln_writer",
)


def grants(mariadb: PrivateMariaDb, who: str) -> list[str]:
    found = client(mariadb, f"SHOW GRANTS FOR {who}".encode()).splitlines()
    return sorted(line.partition(" IDENTIFIED")[0] for line in found)


def test_roles_memberships_and_default_roles_come_back(mariadb: PrivateMariaDb) -> None:
    mariadb.run(*ROLES)
    whoever = ("potter@localhost", "stoker@localhost", "pot_reader", "`head reader`")
    before = {who: grants(mariadb, who) for who in whoever}
    assert "SET DEFAULT ROLE `head reader` FOR `potter`@`localhost`" in before["potter@localhost"]
    members, notes = dumped(mariadb, "pots")
    (users,) = [member.data for member in members if "user" in member.name]
    assert notes == [] and b"kiln" not in users and b"stoker" not in users, "no rights on pots"
    assert b"root" not in users and b"`fasciculus`" not in users, "who may do all needs no role"
    spec = mariadb_spec(socket=mariadb.socket, user="fasciculus", password="ledger")
    with connect(spec, LocalHost()) as server:
        everybody = every_user(server)
    mariadb.run(*FORGET)
    client(mariadb, users)
    kept = [line for line in before["potter@localhost"] if "kiln" not in line]
    assert grants(mariadb, "potter@localhost") == kept
    assert grants(mariadb, "`head reader`") == before["`head reader`"]
    mariadb.run("DROP USER potter@localhost", "DROP ROLE pot_reader", "DROP ROLE `head reader`")
    client(mariadb, everybody)
    assert {who: grants(mariadb, who) for who in whoever} == before
    mariadb.run(*FORGET, "DROP DATABASE pots", "DROP DATABASE kilns")
