"""MariaDB databases to text and back, against a real server."""

from __future__ import annotations

import subprocess
from pathlib import Path
from typing import Any

import pytest
from running import mariadb_spec

from fasciculus.core.dump.filters import DumpRules
from fasciculus.core.dump.mariadb import packet_rows
from fasciculus.core.dump.mariadb.dump import Dump
from fasciculus.core.dump.mariadb.loader import load
from fasciculus.core.errors import FasciculusError, UnreachableError
from fasciculus.databases.base import ServerSpec
from fasciculus.databases.mariadb.server import connect
from fasciculus.demo.mariadb import PrivateMariaDb
from fasciculus.hosts.local import LocalHost

SCHEMA = (Path(__file__).parents[1] / "fixtures/awkward.sql").read_text()
PROGRAMS = [
    "CREATE VIEW z_base AS SELECT id, name FROM plain",
    "CREATE VIEW a_on_z AS SELECT id FROM z_base",
    "CREATE TRIGGER shout BEFORE INSERT ON plain FOR EACH ROW BEGIN SET NEW.note = "
    "CONCAT(NEW.note, '//;'); END",
    "CREATE FUNCTION two() RETURNS INT DETERMINISTIC RETURN 2",
    "CREATE PROCEDURE add_one(IN n INT) BEGIN INSERT INTO empty_one VALUES (n); END",
    "CREATE FUNCTION three() RETURNS INT DETERMINISTIC RETURN 3",
    "CREATE VIEW by_function AS SELECT id, three() AS three FROM plain WHERE id < 3 WITH "
    "CASCADED CHECK OPTION",
    "CREATE TABLE gone (id INT)",
    "CREATE VIEW orphan AS SELECT id FROM gone",
    "DROP TABLE gone",
    "CREATE TRIGGER twice BEFORE INSERT ON plain FOR EACH ROW FOLLOWS shout SET NEW.note = "
    "CONCAT(NEW.note, '2')",
    "SET NAMES latin1",
    "CREATE PROCEDURE old_client() COMMENT 'of latin1' SELECT 'x' = _latin1'X' COLLATE "
    "latin1_swedish_ci",
    "SET NAMES utf8mb4, time_zone='+05:00'",
    "CREATE EVENT later ON SCHEDULE EVERY 1 DAY STARTS '2030-01-01 03:00:00' DISABLE COMMENT 'in "
    "its zone' DO SELECT 2",
    "CREATE EVENT nothing ON SCHEDULE EVERY 1 DAY DISABLE DO SELECT 1",
]
# Rows are compared by what the server makes of them: every column as its exact bytes.
ROWS = {
    "kinds": "SELECT HEX(b), HEX(vb), HEX(bl), bi+0, CAST(f AS DOUBLE), d, d = 0 AND LEFT(d, 1) "
    "= '-', de, u, dt, t, da, y, e, s, HEX(l), j, "
    "HEX(g), uu, ip, ts FROM kinds ORDER BY d, f, dt, da",
    "plain": "SELECT id, HEX(name), HEX(note), note IS NULL FROM plain ORDER BY id",
    "drawn": "SELECT n, note FROM drawn ORDER BY n",
    "tickets": "SELECT next_not_cached_value, minimum_value, increment, cache_size FROM tickets",
    "old_letters": "SELECT HEX(g), HEX(s), HEX(u), HEX(k), HEX(w), w IS NULL FROM old_letters "
    "ORDER BY g",
    "dated": "SELECT id, v, row_start, row_end FROM dated FOR SYSTEM_TIME ALL ORDER BY id, "
    "row_start",
    "named_period": "SELECT id, a, z FROM named_period FOR SYSTEM_TIME ALL",
    "parted": "SELECT * FROM parted PARTITION (old)",
    "aged": "SELECT * FROM aged",
    "unruly": "SELECT * FROM unruly",
    "figures": "SELECT id, HEX(g), ST_SRID(g), HEX(p) FROM figures ORDER BY id",
    "heavy": "SELECT id, MD5(b), LENGTH(b), MD5(t), bits+0, n, HEX(l) FROM heavy ORDER BY id",
    "made": "SELECT a, twice, hidden FROM made",
    "parent": "SELECT * FROM parent",
    "child": "SELECT * FROM child",
    "`odd ``name``; select`": "SELECT * FROM `odd ``name``; select`",
}
SHOWN = (
    "SELECT table_name, engine, table_collation, auto_increment FROM information_schema.tables "
    "WHERE table_schema=%s "
    "AND table_name <> 'orphan' ORDER BY 1",
    "SELECT table_name, column_name, column_type, is_nullable, column_default, extra, "
    "collation_name FROM "
    "information_schema.columns WHERE table_schema=%s AND table_name <> 'orphan' ORDER BY 1, "
    "ordinal_position",
    "SELECT trigger_name, action_order, action_statement, sql_mode, collation_connection FROM "
    "information_schema.triggers "
    "WHERE trigger_schema=%s ORDER BY 1",
    "SELECT routine_name, routine_definition, sql_mode, routine_comment, character_set_client, "
    "collation_connection FROM information_schema.routines WHERE routine_schema=%s ORDER BY 1",
    "SELECT event_name, event_definition, status, starts, time_zone, event_comment FROM "
    "information_schema.events WHERE event_schema=%s",
    "SELECT table_name, constraint_name, constraint_type FROM "
    "information_schema.table_constraints WHERE table_schema=%s ORDER BY 1, 2",
    "SELECT table_name, check_option, definer, security_type FROM information_schema.views WHERE "
    "table_schema=%s "
    "AND table_name <> 'orphan' ORDER BY 1",
    "SELECT check_clause, constraint_name FROM information_schema.check_constraints WHERE "
    "constraint_schema=%s ORDER BY 2",
    "SELECT table_name, partition_name, partition_expression FROM information_schema.partitions "
    "WHERE table_schema=%s "
    "AND partition_name IS NOT NULL ORDER BY 1, 2",
    "SELECT table_name, table_type, table_comment FROM information_schema.tables WHERE "
    "table_schema=%s AND table_name <> 'orphan' ORDER BY 1",
    "SELECT default_character_set_name, default_collation_name FROM information_schema.schemata "
    "WHERE schema_name=%s",
)


@pytest.fixture(scope="module")
def awkward(mariadb: PrivateMariaDb) -> PrivateMariaDb:
    subprocess.run(
        ["mariadb", "-S", mariadb.socket, "--default-character-set=utf8mb4"],
        input=SCHEMA,
        text=True,
        check=True,
    )
    mariadb.run(*PROGRAMS, database="awkward")
    return mariadb


@pytest.fixture
def spec(mariadb: PrivateMariaDb) -> ServerSpec:
    return mariadb_spec(socket=mariadb.socket, user="fasciculus", password="ledger")


def dumped(spec: ServerSpec, name: str, rules: DumpRules = DumpRules()) -> Any:
    with connect(spec, LocalHost()) as server:
        dump = Dump(server, name, rules)
        return list(dump), dump.done


def everything(mariadb: Any, name: Any) -> Any:
    connection = mariadb.connect(name)
    try:
        with connection.cursor() as cursor:
            cursor.execute("SET time_zone='+00:00'")
            found = []
            for query in SHOWN:
                cursor.execute(query, (name,))
                # The server writes the sequence of a default with the name of its database.
                found.append(
                    [
                        [v.replace(f"`{name}`.", "") if isinstance(v, str) else v for v in row]
                        for row in cursor.fetchall()
                    ]
                )
            for query in ROWS.values():
                cursor.execute(query)
                found.append(cursor.fetchall())
            return found
    finally:
        connection.close()


def test_the_client_and_our_own_restore_rebuild_an_equal_database(
    awkward: PrivateMariaDb, spec: ServerSpec
) -> None:
    members, done = dumped(spec, "awkward")
    assert [m.name for m in members] == sorted(m.name for m in members), (
        "import order is name order"
    )
    assert (
        done.tables["plain"] == 4
        and done.tables["empty_one"] == 0
        and done.character_set == "latin1"
    )
    assert [n.partition(" is ")[0].partition(" does ")[0] for n in done.notes] == [
        "table awkward.aged",
        "view awkward.orphan",
    ]
    wanted = everything(awkward, "awkward")
    awkward.run("CREATE DATABASE by_client", "CREATE DATABASE by_us")
    subprocess.run(
        ["mariadb", "-S", awkward.socket, "by_client"],
        input=b"".join(m.data for m in members),
        check=True,
    )
    assert everything(awkward, "by_client") == wanted
    with connect(spec, LocalHost()) as server:
        server.rows("USE by_us")
        load(iter(m.data for m in members), server.execute)
    assert everything(awkward, "by_us") == wanted
    connection = awkward.connect("by_us")
    with connection.cursor() as cursor:
        cursor.execute("CALL add_one(two())")
        cursor.execute("SELECT count(*) FROM a_on_z")
        assert cursor.fetchone() == (4,)
    connection.close()


TYPES = (
    "CREATE TABLE numbers (a TINYINT, b INT(5) ZEROFILL, c BIGINT UNSIGNED, d DECIMAL(20,4), "
    "e DECIMAL(9,3) ZEROFILL, f FLOAT, g DOUBLE, h DOUBLE(12,2), i BIT(5), j BIT(40), k YEAR)",
    "INSERT INTO numbers VALUES (-1, 7, 18446744073709551615, -1.5, 2.25, 1.1, PI(), -0.001, 5, "
    "b'1010', 0), (NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL), (0, 0, 0, 0, "
    "0, -0e0, -0e0, -0e0, 0, 0, 2026), (1, 1, 1, 1, 1, 3.4e38, -1.7e308, 1e9, 1, 1, 1901)",
    "CREATE TABLE moments (a DATE, b DATETIME(6), c TIME(3), d TIMESTAMP(2) NULL, e UUID, f INET6)",
    "INSERT INTO moments VALUES ('2026-11-30', '2026-11-30 01:02:03.000004', '-100:00:00.5', "
    "'2026-11-30 01:02:03.45', '123e4567-e89b-12d3-a456-426655440000', '::1'), "
    "('0000-00-00', '0000-00-00', '0', NULL, NULL, NULL)",
    "CREATE TABLE words (a CHAR(9), b VARCHAR(9) CHARACTER SET latin1, c TEXT CHARACTER SET "
    "utf8mb4, d MEDIUMTEXT CHARACTER SET utf8mb3, e VARCHAR(9) CHARACTER SET sjis, "
    "f TEXT CHARACTER SET utf16, g ENUM('é', '') CHARACTER SET latin1, "
    "h SET('a', 'b') CHARACTER SET utf8mb4, i JSON, j LONGTEXT CHARACTER SET latin1)",
    "INSERT INTO words VALUES ('a  ', 'é€\\'', 'a\\r\\n\\0\\Z\\\\', '日本', 'ソ', '🚢', 'é', "
    "'a,b', '{\"é\": 1}', REPEAT('é', 300)), ('', '', '', '', '', '', '', '', '{}', ''), "
    "(NULL, UNHEX('81'), NULL, REPEAT('x', 300000), NULL, NULL, NULL, NULL, NULL, NULL)",
    "CREATE TABLE bytes (a BINARY(3), b VARBINARY(300), c LONGBLOB, d GEOMETRY, e POINT)",
    "INSERT INTO bytes VALUES ('a', REPEAT('\\'', 299), REPEAT(UNHEX('00FF'), 150000), "
    "ST_GeomFromText('LINESTRING(0 0, 1 1)'), POINT(1, 2)), ('', '', '', NULL, NULL), "
    "(NULL, NULL, REPEAT('y', 3000000), NULL, NULL)",
    "CREATE TABLE odd_one (`a,\\`` b` INT, `c` INT GENERATED ALWAYS AS (`a,\\`` b` + 1) VIRTUAL)",
    "INSERT INTO odd_one (`a,\\`` b`) VALUES (1), (2)",
    "CREATE TABLE dated (id INT PRIMARY KEY, v INT) WITH SYSTEM VERSIONING",
    "INSERT INTO dated VALUES (1, 1), (2, 2)",
    "UPDATE dated SET v = 3 WHERE id = 1",
)


def test_literals_of_the_server_and_of_the_compiled_function_are_the_same(
    mariadb: PrivateMariaDb, spec: ServerSpec, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Where one was used last night and the other tonight, nothing is stored again."""
    mariadb.run("CREATE DATABASE every_type", "USE every_type", "SET sql_mode=''", *TYPES)
    members, done = dumped(spec, "every_type")
    assert not done.notes and sum(done.tables.values()) == 17
    monkeypatch.setattr(packet_rows, "library", lambda: None)
    assert dumped(spec, "every_type") == (members, done)


def test_large_tables_come_in_members_of_bounded_size(
    mariadb: PrivateMariaDb, spec: ServerSpec
) -> None:
    mariadb.run(
        "CREATE DATABASE large",
        "USE large",
        "CREATE TABLE t (id INT PRIMARY KEY, body TEXT)",
        "INSERT INTO t SELECT seq, REPEAT(MD5(seq), 40) FROM seq_1_to_20000",
    )
    members, done = dumped(spec, "large")
    rows = [m for m in members if "-rows-" in m.name]
    assert done.tables == {"t": 20000} and 200 < len(rows) < 600
    assert all(len(m.data) < 1024 * 1024 + 2000 for m in rows)
    # A few edits all over the table bring a few members, not the table.
    mariadb.run("USE large", "UPDATE t SET body = CONCAT(body, 'x') WHERE id % 2000 = 7")
    before = {m.data for m in rows}
    new = [m for m in dumped(spec, "large")[0] if m.data not in before and "-rows-" in m.name]
    assert 10 <= len(new) <= 20 and sum(len(m.data) for m in new) < sum(map(len, before)) // 10
    # Each member stands alone: any one can be loaded without the others.
    mariadb.run("CREATE DATABASE some_rows")
    subprocess.run(
        ["mariadb", "-S", mariadb.socket, "some_rows"],
        input=members[0].data + rows[2].data,
        check=True,
    )
    connection = mariadb.connect("some_rows")
    with connection.cursor() as cursor:
        cursor.execute("SELECT count(*), min(id) FROM t")
        count, least = cursor.fetchone()
    connection.close()
    assert 0 < count < 20000 and least > 1


def test_the_dump_is_of_one_moment(mariadb: PrivateMariaDb, spec: ServerSpec) -> None:
    mariadb.run(
        "CREATE DATABASE busy",
        "USE busy",
        "CREATE TABLE a (n INT) ENGINE=InnoDB",
        "CREATE TABLE b (n INT) ENGINE=InnoDB",
        "INSERT INTO a VALUES (1)",
        "INSERT INTO b VALUES (1)",
    )
    with connect(spec, LocalHost()) as server:
        dump = Dump(server, "busy")
        taken = iter(dump)
        first = next(taken)
        mariadb.run("INSERT INTO a VALUES (2)", "INSERT INTO b VALUES (2)", database="busy")
        list(taken)
    assert first.name == "00000-schema.sql" and dump.done.tables == {"a": 1, "b": 1}


def test_what_a_server_refuses_is_said(mariadb: PrivateMariaDb, spec: ServerSpec) -> None:
    with pytest.raises(FasciculusError, match="no database “none”"):
        dumped(spec, "none")
    with pytest.raises(UnreachableError, match="refused the sign-in") as caught:
        dumped(mariadb_spec(socket=mariadb.socket, user="fasciculus", password="not-it"), "awkward")
    assert "not-it" not in str(caught.value)
    with pytest.raises(UnreachableError, match="does not answer"):
        dumped(mariadb_spec(socket="/no/such.sock", user="x"), "awkward")


def test_some_tables_and_tables_without_their_rows(
    mariadb: PrivateMariaDb, spec: ServerSpec
) -> None:
    mariadb.run(
        "CREATE DATABASE parts",
        "USE parts",
        *(f"CREATE TABLE {t} (n INT)" for t in ("orders", "sessions", "cache_a", "cache_b")),
        *(f"INSERT INTO {t} VALUES (1)" for t in ("orders", "sessions", "cache_a", "cache_b")),
        "CREATE TRIGGER on_order BEFORE INSERT ON orders FOR EACH ROW SET NEW.n = 1",
        "CREATE TRIGGER on_session BEFORE INSERT ON sessions FOR EACH ROW SET NEW.n = 1",
        "CREATE VIEW all_orders AS SELECT * FROM orders",
    )

    def found(**rules: Any) -> Any:
        members, done = dumped(spec, "parts", DumpRules(check_tables=True, **rules))
        text = b"".join(m.data for m in members).decode()
        made = [
            t for t in ("orders", "sessions", "cache_a", "cache_b") if f"CREATE TABLE `{t}`" in text
        ]
        return made, sorted(done.tables), b"on_session".hex() in text, "all_orders" in text

    everything_ = ["orders", "sessions", "cache_a", "cache_b"]
    assert found(without_rows=("sess*", "cache_?")) == (everything_, ["orders"], True, True)
    assert found(structure_only=True) == (everything_, [], True, True)
    assert found(tables=("orders", "cache_*"), without_tables=("cache_b",)) == (
        ["orders", "cache_a"],
        ["cache_a", "orders"],
        False,
        False,
    )


def test_users_come_back_with_their_rights_on_the_database(
    mariadb: PrivateMariaDb, spec: ServerSpec
) -> None:
    mariadb.run(
        "CREATE DATABASE `club_house`",
        "CREATE TABLE club_house.book (id INT, secret INT)",
        "CREATE USER 'o''hara'@'%' IDENTIFIED BY 'pass'",
        "GRANT SELECT, INSERT ON `club\\_house`.* TO 'o''hara'@'%'",
        "GRANT SELECT (id) ON club_house.book TO 'o''hara'@'%'",
        "CREATE USER other@localhost",
        "GRANT SELECT ON large_else.* TO other@localhost",
    )
    members, _ = dumped(spec, "club_house")
    text = members[-1].data.decode()
    assert members[-1].name == "99000-users.sql" and "other" not in text
    assert "IF NOT EXISTS `o'hara`" in text and "pass'" not in text
    wanted = mariadb_rows(mariadb, "SHOW GRANTS FOR 'o''hara'@'%'")
    mariadb.run("DROP USER 'o''hara'@'%'")
    subprocess.run(["mariadb", "-S", mariadb.socket], input=members[-1].data, check=True)
    assert mariadb_rows(mariadb, "SHOW GRANTS FOR 'o''hara'@'%'") == wanted


def mariadb_rows(mariadb: Any, query: Any) -> Any:
    connection = mariadb.connect()
    try:
        with connection.cursor() as cursor:
            cursor.execute(query)
            return sorted(cursor.fetchall())
    finally:
        connection.close()


def test_a_right_that_lacks_is_named_with_its_grant(mariadb: PrivateMariaDb) -> None:
    mariadb.run(
        "CREATE DATABASE guarded",
        "CREATE USER reader@localhost IDENTIFIED BY 'r'",
        "GRANT SELECT, EVENT ON guarded.* TO reader@localhost",
    )
    reader = mariadb_spec(socket=mariadb.socket, user="reader", password="r")
    with pytest.raises(
        FasciculusError, match="reader@localhost lacks SHOW VIEW, TRIGGER on guarded"
    ) as caught:
        dumped(reader, "guarded")
    statement = caught.value.hint.partition(": ")[2]
    assert statement == "GRANT SHOW VIEW, TRIGGER ON `guarded`.* TO 'reader'@'localhost';"
    mariadb.run(statement)
    _, done = dumped(reader, "guarded")
    assert (
        "its users and their rights are not kept" in done.notes[0]
        and "GRANT SELECT ON `mysql`." in done.notes[0]
    )


@pytest.mark.parametrize(
    "key", ["id INT PRIMARY KEY", "id INT", "id INT, KEY (id)", "id VARCHAR(12) PRIMARY KEY"]
)
def test_a_change_in_the_middle_moves_the_neighbouring_members_alone(
    mariadb: PrivateMariaDb, spec: ServerSpec, key: str
) -> None:
    mariadb.run(
        "CREATE OR REPLACE DATABASE stretches",
        "USE stretches",
        f"CREATE TABLE t ({key}, body TEXT)",
        "INSERT INTO t SELECT LPAD(seq, 6, '0'), REPEAT(MD5(seq), 40) FROM seq_1_to_20000",
    )

    def found() -> Any:
        return {m.data for m in dumped(spec, "stretches")[0] if "-rows-" in m.name}

    before = found()
    mariadb.run("UPDATE t SET body='edited' WHERE id=LPAD(10000, 6, '0')", database="stretches")
    edited = found()
    assert 1 <= len(edited - before) <= 2
    mariadb.run(
        "DELETE FROM t WHERE id BETWEEN LPAD(5000, 6, '0') AND LPAD(5003, 6, '0')",
        database="stretches",
    )
    assert 1 <= len(found() - edited) <= 2 and len(before) > 10


def test_rows_of_every_packet_size_and_a_connection_that_is_cut(
    mariadb: PrivateMariaDb, spec: ServerSpec
) -> None:
    mariadb.run(
        "CREATE DATABASE sizes",
        "USE sizes",
        "CREATE TABLE t (id INT PRIMARY KEY, body TEXT CHARACTER SET latin1, more TEXT CHARACTER "
        "SET latin1)",
        "INSERT INTO t SELECT seq, REPEAT(CHAR(39), seq * 9), REPEAT('x', seq) FROM "
        "seq_1_to_7000_step_500",
    )
    members, done = dumped(spec, "sizes")
    assert done.tables == {"t": 14}
    mariadb.run("CREATE DATABASE sizes_back")
    subprocess.run(
        ["mariadb", "-S", mariadb.socket, "sizes_back"],
        input=b"".join(m.data for m in members),
        check=True,
    )
    sums = {row[1] for row in mariadb_rows(mariadb, "CHECKSUM TABLE sizes.t, sizes_back.t")}
    assert len(sums) == 1 and None not in sums
    with connect(spec, LocalHost()) as server:
        (number,) = server.rows("SELECT CONNECTION_ID()")[0]
        rows = server.stream(
            "SELECT REPEAT('x', 900) FROM sizes.t a, sizes.t b, sizes.t c, sizes.t d, sizes.t e"
        )
        next(rows)
        mariadb.run(f"KILL {number.decode()}")
        with pytest.raises(UnreachableError, match="closed the connection"):
            list(rows)
