"""MariaDB databases to text and back, against a real server."""

import subprocess

import pytest

from fasciculus.core.dumping.mariadb import Dump, load
from fasciculus.core.errors import Trouble, Unreachable
from fasciculus.reach.base import MariaDbSpec
from fasciculus.reach.mariadb import connect

SCHEMA = r"""
CREATE DATABASE awkward CHARACTER SET latin1 COLLATE latin1_swedish_ci;
USE awkward;
CREATE TABLE plain (id INT AUTO_INCREMENT PRIMARY KEY, name VARCHAR(80) NOT NULL DEFAULT '', note TEXT, KEY (name)) CHARSET utf8mb4;
INSERT INTO plain (id, name, note) VALUES (0x7fffffff, 'last', NULL), (1, '', ''), (2, 'O''Neil; "q" \\ `x`', 'line\nline\r\n\0\Z'), (3, '🪶 grün', 'DELIMITER //\n//\n');
CREATE TABLE kinds (b BINARY(4), vb VARBINARY(20), bl BLOB, bi BIT(10), f FLOAT, d DOUBLE, de DECIMAL(30,10), u BIGINT UNSIGNED, dt DATETIME(6), t TIME(3), da DATE, y YEAR, e ENUM('a','b''c'), s SET('x','y'), l VARCHAR(20) CHARSET latin1, j JSON, g POINT, uu UUID, ip INET6, ts TIMESTAMP NULL);
SET sql_mode='';
INSERT INTO kinds VALUES (0x00ff2700, '', 0x00, b'1010101010', 0.1, 0.1, 12345678901234567890.0123456789, 18446744073709551615, '0000-00-00 00:00:00', '-838:59:59', '0000-00-00', 1901, 'b''c', 'x,y', 'grün', '{"a": 1}', POINT(1.5, -2), '123e4567-e89b-12d3-a456-426614174000', '::1', '2026-10-25 00:30:00');
INSERT INTO kinds VALUES (NULL, 0xdeadbeef, '', NULL, 3.4028234e38, 1.7976931348623157e308, NULL, 0, '2026-11-24 02:15:00.123456', '12:00:00.5', NULL, NULL, NULL, '', '', NULL, NULL, NULL, NULL, NULL);
INSERT INTO kinds (f, d) VALUES (1.17549435e-38, 2.2250738585072014e-308), (16777217, 0.30000000000000004);
CREATE TABLE parent (id INT PRIMARY KEY, child INT) ENGINE=InnoDB;
CREATE TABLE child (id INT PRIMARY KEY, parent INT, CONSTRAINT to_parent FOREIGN KEY (parent) REFERENCES parent (id), CHECK (id > 0)) ENGINE=InnoDB;
ALTER TABLE parent ADD CONSTRAINT to_child FOREIGN KEY (child) REFERENCES child (id);
INSERT INTO parent VALUES (1, NULL); INSERT INTO child VALUES (1, 1); UPDATE parent SET child = 1;
CREATE TABLE made (a INT, twice INT AS (a * 2) STORED, hidden INT INVISIBLE DEFAULT 7);
INSERT INTO made (a, hidden) VALUES (21, 8);
CREATE TABLE `odd ``name``; select` (`from` INT, `two words` INT);
INSERT INTO `odd ``name``; select` VALUES (1, 2);
CREATE TABLE empty_one (id INT);
CREATE VIEW a_on_z AS SELECT * FROM z_base;
"""
PROGRAMS = [
    "CREATE VIEW z_base AS SELECT id, name FROM plain",
    "CREATE VIEW a_on_z AS SELECT id FROM z_base",
    "CREATE TRIGGER shout BEFORE INSERT ON plain FOR EACH ROW BEGIN SET NEW.note = CONCAT(NEW.note, '//;'); END",
    "CREATE FUNCTION two() RETURNS INT DETERMINISTIC RETURN 2",
    "CREATE PROCEDURE add_one(IN n INT) BEGIN INSERT INTO empty_one VALUES (n); END",
    "CREATE EVENT nothing ON SCHEDULE EVERY 1 DAY DISABLE DO SELECT 1",
]
# Rows are compared by what the server makes of them: every column as its exact bytes.
ROWS = {
    "kinds": "SELECT HEX(b), HEX(vb), HEX(bl), bi+0, CAST(f AS DOUBLE), d, de, u, dt, t, da, y, e, s, HEX(l), j, "
    "HEX(g), uu, ip, ts FROM kinds ORDER BY d, f",
    "plain": "SELECT id, HEX(name), HEX(note), note IS NULL FROM plain ORDER BY id",
    "made": "SELECT a, twice, hidden FROM made",
    "parent": "SELECT * FROM parent",
    "child": "SELECT * FROM child",
    "`odd ``name``; select`": "SELECT * FROM `odd ``name``; select`",
}
SHOWN = (
    "SELECT table_name, engine, table_collation, auto_increment FROM information_schema.tables WHERE table_schema=%s ORDER BY 1",
    "SELECT table_name, column_name, column_type, is_nullable, column_default, extra, collation_name FROM "
    "information_schema.columns WHERE table_schema=%s ORDER BY 1, ordinal_position",
    "SELECT trigger_name, action_statement, sql_mode FROM information_schema.triggers WHERE trigger_schema=%s",
    "SELECT routine_name, routine_definition, sql_mode FROM information_schema.routines WHERE routine_schema=%s ORDER BY 1",
    "SELECT event_name, event_definition, status FROM information_schema.events WHERE event_schema=%s",
    "SELECT table_name, constraint_name, constraint_type FROM information_schema.table_constraints WHERE table_schema=%s ORDER BY 1, 2",
    "SELECT table_name FROM information_schema.views WHERE table_schema=%s ORDER BY 1",
    "SELECT default_character_set_name, default_collation_name FROM information_schema.schemata WHERE schema_name=%s",
)


@pytest.fixture(scope="module")
def awkward(mariadb):
    text = SCHEMA.rpartition("CREATE VIEW")[0]
    subprocess.run(
        ["mariadb", "-S", mariadb.socket, "--default-character-set=utf8mb4"],
        input=text,
        text=True,
        check=True,
    )
    mariadb.run(*PROGRAMS, database="awkward")
    return mariadb


@pytest.fixture
def spec(mariadb):
    return MariaDbSpec(socket=mariadb.socket, user="fasciculus", password="ledger")


def dumped(spec, name):
    with connect(spec) as server:
        dump = Dump(server, name)
        return list(dump), dump.done


def everything(mariadb, name):
    connection = mariadb.connect(name)
    try:
        with connection.cursor() as cursor:
            cursor.execute("SET time_zone='+00:00'")
            found = []
            for query in SHOWN:
                cursor.execute(query, (name,))
                found.append(cursor.fetchall())
            for query in ROWS.values():
                cursor.execute(query)
                found.append(cursor.fetchall())
            return found
    finally:
        connection.close()


def test_the_client_and_our_own_restore_rebuild_an_equal_database(awkward, spec):
    members, done = dumped(spec, "awkward")
    assert [m.name for m in members] == sorted(m.name for m in members), "import order is name order"
    assert done.tables["plain"] == 4 and done.tables["empty_one"] == 0 and done.character_set == "latin1"
    wanted = everything(awkward, "awkward")
    awkward.run("CREATE DATABASE by_client", "CREATE DATABASE by_us")
    subprocess.run(
        ["mariadb", "-S", awkward.socket, "by_client"], input=b"".join(m.data for m in members), check=True
    )
    assert everything(awkward, "by_client") == wanted
    with connect(spec) as server:
        server.rows("USE by_us")
        load(iter(m.data for m in members), server.execute)
    assert everything(awkward, "by_us") == wanted
    connection = awkward.connect("by_us")
    with connection.cursor() as cursor:
        cursor.execute("CALL add_one(two())")
        cursor.execute("SELECT count(*) FROM a_on_z")
        assert cursor.fetchone() == (4,)
    connection.close()


def test_large_tables_come_in_members_of_bounded_size(mariadb, spec):
    mariadb.run(
        "CREATE DATABASE large",
        "USE large",
        "CREATE TABLE t (id INT PRIMARY KEY, body TEXT)",
        "INSERT INTO t SELECT seq, REPEAT(MD5(seq), 40) FROM seq_1_to_20000",
    )
    members, done = dumped(spec, "large")
    rows = [m for m in members if "-rows-" in m.name]
    assert done.tables == {"t": 20000} and len(rows) == 4
    assert all(len(m.data) < 9 * 1024 * 1024 for m in rows)
    # Each member stands alone: any one can be loaded without the others.
    mariadb.run("CREATE DATABASE some_rows")
    subprocess.run(
        ["mariadb", "-S", mariadb.socket, "some_rows"], input=members[0].data + rows[2].data, check=True
    )
    connection = mariadb.connect("some_rows")
    with connection.cursor() as cursor:
        cursor.execute("SELECT count(*), min(id) FROM t")
        count, least = cursor.fetchone()
    connection.close()
    assert 0 < count < 20000 and least > 1


def test_the_dump_is_of_one_moment(mariadb, spec):
    mariadb.run(
        "CREATE DATABASE busy",
        "USE busy",
        "CREATE TABLE a (n INT) ENGINE=InnoDB",
        "CREATE TABLE b (n INT) ENGINE=InnoDB",
        "INSERT INTO a VALUES (1)",
        "INSERT INTO b VALUES (1)",
    )
    with connect(spec) as server:
        dump = Dump(server, "busy")
        taken = iter(dump)
        first = next(taken)
        mariadb.run("INSERT INTO a VALUES (2)", "INSERT INTO b VALUES (2)", database="busy")
        list(taken)
    assert first.name == "00000-schema.sql" and dump.done.tables == {"a": 1, "b": 1}


def test_what_a_server_refuses_is_said(mariadb, spec):
    with pytest.raises(Trouble, match="no database “none”"):
        dumped(spec, "none")
    with pytest.raises(Unreachable, match="refused the sign-in") as caught:
        dumped(MariaDbSpec(socket=mariadb.socket, user="fasciculus", password="not-it"), "awkward")
    assert "not-it" not in str(caught.value)
    with pytest.raises(Unreachable, match="does not answer"):
        dumped(MariaDbSpec(socket="/no/such.sock", user="x"), "awkward")
