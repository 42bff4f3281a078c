"""Databases that are not as they should be, and servers that bound what they give."""

from __future__ import annotations

import json
import os
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest
from running import mariadb_spec, private_mariadb

from fasciculus.core.bundle.entry import Entry
from fasciculus.core.bundle.manifest import DatabaseRecord, parse_manifest
from fasciculus.core.dump.mariadb.dump import Dump
from fasciculus.core.dump.mariadb.packet_rows import PacketRows
from fasciculus.core.dump.sql.members import Member
from fasciculus.core.errors import DamagedError, FasciculusError, SettingError, UnreachableError
from fasciculus.databases.base import DatabaseAccess, ServerSpec
from fasciculus.databases.mariadb.engine import ENGINE
from fasciculus.databases.mariadb.server import MariaDbConnection, connect
from fasciculus.demo.mariadb import PrivateMariaDb
from fasciculus.hosts.local import LocalHost


@pytest.fixture(scope="module")
def server(tmp_path_factory: Any) -> Iterator[PrivateMariaDb]:
    """A separate server: its settings are changed here."""
    with private_mariadb(tmp_path_factory.mktemp("troubled")) as found:
        yield found


@pytest.fixture
def spec(server: PrivateMariaDb) -> ServerSpec:
    return mariadb_spec(socket=server.socket, user="fasciculus", password="ledger")


@pytest.fixture
def made(server: PrivateMariaDb) -> Callable[..., Any]:
    """Create a database again, and return its name."""

    def make(name: str, *statements: Any) -> str:
        server.run(f"DROP DATABASE IF EXISTS {name}", f"CREATE DATABASE {name}")
        server.run(*statements, database=name)
        return name

    return make


@pytest.fixture
def setting(server: PrivateMariaDb) -> Iterator[Callable[..., Any]]:
    """Settings of the server for one test, made by a session that they do not bound."""
    connection = server.connect("")
    cursor = connection.cursor()
    kept = []

    def change(name: str, value: str) -> None:
        cursor.execute(f"SELECT @@GLOBAL.{name}")
        kept.append((name, cursor.fetchone()[0]))
        cursor.execute(f"SET GLOBAL {name}={value}")

    yield change
    for name, value in reversed(kept):
        shown = f"'{value}'" if isinstance(value, str) else value
        cursor.execute(f"SET GLOBAL {name}={'DEFAULT' if value is None else shown}")
    connection.close()


def dumped(spec: ServerSpec, name: str) -> Any:
    with connect(spec, LocalHost()) as opened:
        dump = Dump(opened, name)
        return list(dump), dump.done


def loaded(
    spec: ServerSpec,
    members: list[Any],
    name: str = "copy",
    original: str = "",
    trusted: bool = True,
) -> list[str]:
    """Load members like a restore, and return the refused ones."""
    warned = []
    record = DatabaseRecord("mariadb", original or name, character_set="utf8mb4", folder="f")
    rows = (
        (Entry("databases", b"f/" + member.name.encode()), lambda member=member: member.data)
        for member in members
    )
    access = DatabaseAccess(LocalHost(), spec, "", Path("/tmp"))
    list(ENGINE.restore(access, record, name, rows, warned.append, trusted, ()))
    return warned


def query(server: PrivateMariaDb, sql: str, database: str) -> tuple[Any, ...]:
    connection = server.connect(database)
    try:
        with connection.cursor() as cursor:
            cursor.execute("SET sql_big_selects=1, max_statement_time=0")
            cursor.execute(sql)
            return cursor.fetchall()
    finally:
        connection.close()


MANY = [
    "CREATE TABLE many (id INT PRIMARY KEY) ENGINE=InnoDB",
    "INSERT INTO many SELECT seq FROM seq_1_to_3000",
]


@pytest.mark.parametrize(
    ("name", "value"),
    [
        ("sql_select_limit", "100"),
        ("max_join_size", "10"),
        ("max_statement_time", "0.001"),
        ("sql_safe_updates", "1"),
        ("lock_wait_timeout", "1"),
        ("sql_mode", "'ANSI,ORACLE,NO_BACKSLASH_ESCAPES,ONLY_FULL_GROUP_BY'"),
        ("sql_quote_show_create", "0"),
        ("time_zone", "'+09:00'"),
        ("tx_isolation", "'READ-UNCOMMITTED'"),
        ("character_set_server", "'latin1'"),
        ("group_concat_max_len", "4"),
    ],
)
def test_settings_of_the_server_bound_no_dump_and_no_restore(
    server: PrivateMariaDb,
    spec: ServerSpec,
    made: Callable[..., Any],
    setting: Callable[..., Any],
    name: str,
    value: str,
) -> None:
    server.run("DROP DATABASE IF EXISTS copy")
    made("bounded", *MANY)
    members, _ = dumped(spec, "bounded")
    setting(name, value)
    again, done = dumped(spec, "bounded")
    assert [m.data for m in again] == [m.data for m in members]
    assert done.tables == {"many": 3000} and done.notes == []
    assert loaded(spec, again) == []
    assert query(server, "SELECT COUNT(*), MAX(id) FROM many", "copy") == ((3000, 3000),)


def test_finding_databases_is_not_bounded_either(
    server: PrivateMariaDb, spec: ServerSpec, made: Callable[..., Any], setting: Callable[..., Any]
) -> None:
    for number in range(4):
        made(f"one_of_{number}", "CREATE TABLE t (id INT)")
    setting("sql_select_limit", "1")
    access = DatabaseAccess(LocalHost(), spec, "", Path("/tmp"))
    found = {database.name for database in ENGINE.discover(access, [])}
    assert {f"one_of_{number}" for number in range(4)} <= found


def test_rows_that_were_held_back_fail_the_dump(
    spec: ServerSpec, made: Callable[..., Any], monkeypatch: pytest.MonkeyPatch
) -> None:
    """A guard against settings that nobody thought of."""
    made("short", *MANY)
    # A server holds no rows back by a setting that is known: they are taken out here.
    members = MariaDbConnection.members

    def cut(self: MariaDbConnection, sql: str, packets: PacketRows) -> Iterator[bytes]:
        return members(self, f"{sql} LIMIT 1000", packets)

    monkeypatch.setattr(MariaDbConnection, "members", cut)
    with pytest.raises(FasciculusError) as caught:
        dumped(spec, "short")
    assert caught.value.message == ("Of the 3,000 rows of short.many the server gave 1,000.")
    assert "init_connect" in caught.value.hint


def test_rows_of_before_or_of_history_are_not_taken_for_those_of_now(
    server: PrivateMariaDb, spec: ServerSpec, made: Callable[..., Any]
) -> None:
    made(
        "dated",
        "CREATE TABLE dated (id INT PRIMARY KEY, v INT) WITH SYSTEM VERSIONING",
        "INSERT INTO dated VALUES (1, 1), (2, 2)",
        "UPDATE dated SET v = 10 WHERE id = 1",
        "DELETE FROM dated WHERE id = 2",
    )
    server.run("SET GLOBAL system_versioning_asof='2020-01-01 00:00:00'")
    try:
        members, done = dumped(spec, "dated")
    finally:
        server.run("SET GLOBAL system_versioning_asof=DEFAULT")
    assert done.tables == {"dated": 4 - 1}
    server.run("DROP DATABASE IF EXISTS copy")
    assert loaded(spec, members) == []
    assert query(server, "SELECT id, v FROM dated", "copy") == ((1, 10),)


def test_rows_of_a_merged_table_come_back_once(
    server: PrivateMariaDb, spec: ServerSpec, made: Callable[..., Any]
) -> None:
    made(
        "merged",
        "CREATE TABLE b_one (id INT) ENGINE=MyISAM",
        "CREATE TABLE c_two (id INT) ENGINE=MyISAM",
        "INSERT INTO b_one VALUES (1), (2)",
        "INSERT INTO c_two VALUES (3)",
        "CREATE TABLE a_all (id INT) ENGINE=MERGE UNION=(b_one, c_two) INSERT_METHOD=LAST",
    )
    members, done = dumped(spec, "merged")
    assert done.tables == {"b_one": 2, "c_two": 1}
    assert any(
        "a_all is of engine MRG_MyISAM, which shows the rows of other" in n for n in done.notes
    )
    server.run("DROP DATABASE IF EXISTS copy")
    assert loaded(spec, members) == []
    assert query(server, "SELECT id FROM a_all ORDER BY id", "copy") == ((1,), (2,), (3,))


def broken(server: PrivateMariaDb, database: str, table: str) -> None:
    """Damage the file of a MyISAM table beyond reading."""
    server.run("FLUSH TABLES")
    (server.data / database / f"{table}.MYI").write_bytes(os.urandom(64))
    server.run("FLUSH TABLES")


def test_a_table_that_cannot_be_read_costs_itself(
    server: PrivateMariaDb, spec: ServerSpec, made: Callable[..., Any]
) -> None:
    made(
        "partly",
        "CREATE TABLE a_good (id INT) ENGINE=InnoDB",
        "INSERT INTO a_good VALUES (1)",
        "CREATE TABLE b_bad (id INT) ENGINE=MyISAM",
        "INSERT INTO b_bad VALUES (1)",
        "CREATE TABLE c_good (id INT) ENGINE=InnoDB",
        "INSERT INTO c_good VALUES (2), (3)",
        "CREATE VIEW seen AS SELECT id FROM c_good",
    )
    broken(server, "partly", "b_bad")
    members, done = dumped(spec, "partly")
    assert done.tables == {"a_good": 1, "c_good": 2}
    (note,) = [note for note in done.notes if "b_bad" in note and "snapshot" not in note]
    assert "table partly.b_bad" in note
    server.run("DROP DATABASE IF EXISTS copy")
    loaded(spec, members)
    assert query(server, "SELECT id FROM seen ORDER BY id", "copy") == ((2,), (3,))


def test_a_lost_connection_is_not_one_odd_table(
    spec: ServerSpec, made: Callable[..., Any], monkeypatch: pytest.MonkeyPatch
) -> None:
    made("lost", *MANY)

    def gone(self: MariaDbConnection, sql: str, packets: PacketRows) -> Iterator[bytes]:
        raise UnreachableError("The database server closed the connection.")
        yield b""

    monkeypatch.setattr(MariaDbConnection, "members", gone)
    with pytest.raises(UnreachableError, match="closed the connection"):
        dumped(spec, "lost")


def test_views_that_work_come_back_and_those_that_cannot_are_a_comment(
    server: PrivateMariaDb, spec: ServerSpec, made: Callable[..., Any]
) -> None:
    made(
        "seen",
        "CREATE TABLE t (id INT)",
        "INSERT INTO t VALUES (1)",
        "CREATE TABLE gone (id INT)",
        "CREATE VIEW a_good AS SELECT id FROM t",
        "CREATE DEFINER=nobody@nowhere VIEW b_without_definer AS SELECT id FROM t",
        "CREATE VIEW c_orphan AS SELECT id FROM gone",
        "CREATE FUNCTION fails() RETURNS INT DETERMINISTIC "
        "BEGIN SIGNAL SQLSTATE '45000'; RETURN 1; END",
        "CREATE VIEW d_fails AS SELECT fails() AS f FROM t",
        "DROP TABLE gone",
    )
    members, done = dumped(spec, "seen")
    assert [note for note in done.notes if "view" in note] == [
        "view seen.c_orphan does not work on the server (it refers to a missing object); it is "
        "kept as a "
        "comment"
    ]
    server.run("DROP DATABASE IF EXISTS copy")
    assert loaded(spec, members) == []
    rows = query(
        server,
        "SELECT table_name FROM information_schema.views WHERE table_schema='copy' ORDER BY 1",
        "copy",
    )
    assert [row[0] for row in rows] == ["a_good", "b_without_definer", "d_fails"]


def test_what_cannot_be_made_is_named_and_all_else_comes_back(
    server: PrivateMariaDb, spec: ServerSpec, made: Callable[..., Any]
) -> None:
    made(
        "whole",
        "CREATE TABLE t (id INT, v INT)",
        "INSERT INTO t VALUES (1, 2)",
        "CREATE TRIGGER a_shout BEFORE INSERT ON t FOR EACH ROW SET NEW.v = 1",
        "CREATE FUNCTION two() RETURNS INT DETERMINISTIC RETURN 2",
        "CREATE VIEW seen AS SELECT id FROM t",
    )
    members, _ = dumped(spec, "whole")
    bad = {
        "90000-routines.sql": b"DELIMITER //\nCREATE FUNCTION bad( RETURNS\n//\nDELIMITER ;\n",
        "92000-triggers.sql": b"CREATE TRIGGER z BEFORE INSERT ON t FOR EACH ROW SET NEW.gone=1;\n",
    }
    altered = [type(m)(m.name, m.data + bad.get(m.name, b"")) for m in members]
    server.run("DROP DATABASE IF EXISTS copy")
    warned = loaded(spec, altered)
    assert len(warned) == 2 and all("did not come back" in text for text in warned)
    assert "“CREATE FUNCTION bad(" in warned[0] and "“CREATE TRIGGER z" in warned[1]
    assert query(server, "SELECT id, v, two() FROM t", "copy") == ((1, 2, 2),)
    assert query(server, "SELECT id FROM seen", "copy") == ((1,),)


def test_many_that_cannot_be_made_are_counted(
    server: PrivateMariaDb, spec: ServerSpec, made: Callable[..., Any]
) -> None:
    made("whole", "CREATE TABLE t (id INT)")
    members, _ = dumped(spec, "whole")
    member = type(members[0])("00001-x.sql", b"INSERT INTO none VALUES (1);\n" * 50)
    server.run("DROP DATABASE IF EXISTS copy")
    warned = loaded(spec, [*members, member])
    assert len(warned) == 21
    assert warned[-1] == "30 more of f/00001-x.sql did not come back"


def test_tables_of_names_too_long_for_a_file_come_back_and_the_record_has_them(
    server: PrivateMariaDb, spec: ServerSpec, made: Callable[..., Any]
) -> None:
    long = ["é" * 63 + last for last in "äö"]
    made("source", *(f"CREATE TABLE `{name}` (id INT)" for name in long))
    server.run(*(f"INSERT INTO source.`{name}` VALUES ({len(long)})" for name in long))
    members, done = dumped(spec, "source")
    assert all(len(os.fsencode(member.name)) < 250 for member in members)
    assert sorted(done.shortened.values()) == sorted(long)
    for shown, name in done.shortened.items():
        (member,) = (member for member in members if shown in member.name)
        assert name.encode().hex().encode() in member.data or name.encode() in member.data
    server.run("DROP DATABASE IF EXISTS copy")
    assert loaded(spec, members) == []
    assert all(query(server, f"SELECT id FROM `{name}`", "copy") == ((2,),) for name in long)


def test_a_database_that_is_not_empty_is_refused(
    server: PrivateMariaDb, spec: ServerSpec, made: Callable[..., Any]
) -> None:
    """Nothing is overwritten, not even a view."""
    made("source", "CREATE TABLE t (id INT)")
    members, _ = dumped(spec, "source")
    made("target", "CREATE VIEW v AS SELECT 1 AS one")
    with pytest.raises(SettingError, match="“target” is not empty") as caught:
        loaded(spec, members, "target")
    assert caught.value.field == "databases"
    assert len(query(server, "SHOW TABLES", "target")) == 1
    made("target")
    assert loaded(spec, members, "target") == []


def test_users_are_not_given_rights_on_a_database_of_another_name(
    server: PrivateMariaDb, spec: ServerSpec, made: Callable[..., Any]
) -> None:
    made("source", "CREATE TABLE t (id INT)")
    server.run(
        "CREATE OR REPLACE USER miller@localhost", "GRANT SELECT ON source.* TO miller@localhost"
    )
    members, _ = dumped(spec, "source")
    assert any(b"GRANT SELECT ON `source`.*" in member.data for member in members)
    server.run("DROP DATABASE IF EXISTS copy", "DROP USER miller@localhost")
    assert loaded(spec, members, "copy", original="source") == []
    assert query(server, "SELECT COUNT(*) FROM mysql.user WHERE user='miller'", "mysql") == ((0,),)


# What a store, or a database user, would like the server to do ------------------------------

REACHING = (
    b"DROP DATABASE bystander",
    b"CREATE TABLE bystander.mine (a INT)",
    b"INSERT INTO bystander.t VALUES (2)",
    b"INSERT INTO t SELECT a FROM bystander.t",
    b"GRANT ALL ON *.* TO miller@localhost",
    b"CREATE USER thief@localhost IDENTIFIED BY 'x'",
    b"SET GLOBAL max_connections=10",
    b"SELECT 1 INTO OUTFILE '%s/canary'",
    b"LOAD DATA INFILE '/etc/passwd' INTO TABLE t",
    b"CREATE DATABASE another",
    b"INSTALL SONAME 'server_audit'",
    b"SET PASSWORD FOR miller@localhost=PASSWORD('x')",
    b"USE bystander",
    b"KILL 1",
)


@pytest.mark.parametrize("trusted", [True, False])
def test_no_statement_reaches_beyond_its_database(
    server: PrivateMariaDb,
    spec: ServerSpec,
    made: Callable[..., Any],
    tmp_path: Path,
    trusted: bool,
) -> None:
    made("bystander", "CREATE TABLE t (a INT)", "INSERT INTO t VALUES (1)")
    server.run("CREATE OR REPLACE USER miller@localhost", "DROP DATABASE IF EXISTS copy")
    os.chmod(tmp_path, 0o777)
    folder = os.fsencode(tmp_path)
    hostile = [line.replace(b"%s", folder) for line in REACHING]
    text = b"CREATE TABLE t (a INT);\n" + b"".join(line + b";\n" for line in hostile)
    # As a program meant for a user with more rights.
    text += (
        b"DELIMITER //\nCREATE DEFINER=root@localhost PROCEDURE up() DROP DATABASE bystander\n//\n"
    )
    text += b"DELIMITER ;\nCALL up();\n" if not trusted else b"DELIMITER ;\n"
    refused = loaded(spec, [Member("00000-schema.sql", text)], trusted=trusted)
    for line in hostile:
        begun = " ".join(line[:60].decode().split())
        assert any(begun in text for text in refused), begun
    assert len(refused) == len(REACHING) + (0 if trusted else 2), refused
    assert query(server, "SELECT a FROM t", "bystander") == ((1,),)
    names = [row[0] for row in query(server, "SHOW DATABASES", "copy")]
    assert "bystander" in names and "another" not in names
    users = [row[0] for row in query(server, "SELECT user FROM mysql.user", "copy")]
    assert "thief" not in users and not [
        name for name in users if name.startswith("fasciculus-load")
    ]
    assert list(tmp_path.iterdir()) == []


@pytest.mark.parametrize("engine", ["InnoDB", "MyISAM", "Aria"])
def test_no_table_of_an_unvouched_copy_lies_elsewhere(
    server: PrivateMariaDb, spec: ServerSpec, tmp_path: Path, engine: str
) -> None:
    server.run("DROP DATABASE IF EXISTS copy")
    os.chmod(tmp_path, 0o777)
    where = f"DATA DIRECTORY='{tmp_path}'"
    text = f"""CREATE TABLE honest (a INT DEFAULT 1 COMMENT "\\' {where}");
        CREATE TABLE `a``b` (a INT COMMENT '\\'') ENGINE={engine} {where};
        CREATE TABLE parts (a INT) ENGINE={engine} PARTITION BY HASH (a) (PARTITION p {where});
        """
    refused = loaded(spec, [Member("00000-schema.sql", text.encode())], trusted=False)
    assert len(refused) == 2 and all("another folder" in line for line in refused), refused
    assert query(server, "SHOW TABLES", "copy") == (("honest",),)
    assert [path for path in tmp_path.rglob("*") if path.is_file()] == []


def test_users_of_a_copy_that_nobody_vouches_for_stay_away(
    server: PrivateMariaDb, spec: ServerSpec, made: Callable[..., Any]
) -> None:
    made("source", "CREATE TABLE t (a INT)")
    server.run("DROP DATABASE source")
    member = Member("99000-users.sql", b"GRANT ALL ON *.* TO thief@localhost IDENTIFIED BY 'x';\n")
    members = [Member("00000-schema.sql", b"CREATE TABLE t (a INT);\n"), member]
    refused = loaded(spec, members, "source", trusted=False)
    assert len(refused) == 1 and "do not vouch" in refused[0]
    rows = query(server, "SELECT user FROM mysql.user WHERE user='thief'", "source")
    assert rows == ()


def test_a_character_set_of_a_manifest_is_no_statement(
    server: PrivateMariaDb, spec: ServerSpec, made: Callable[..., Any]
) -> None:
    with pytest.raises(DamagedError):
        parse = MANIFEST.replace("utf8mb4", "utf8mb4; DROP DATABASE mysql")
        parse_manifest(parse.encode())
    parse_manifest(MANIFEST.encode())


MANIFEST = json.dumps(
    {
        "format": "fasciculus-bundle", "version": 1, "name": "n", "job": "j", "run": "1",
        "subject": {"kind": "account", "name": "millpond"}, "host": "reed-1",
        "started": "2026-11-24T02:15:00+00:00", "ended": "", "writer": "w", "brings": "full",
        "compression": "zstd", "contents": {}, "pieces": [], "warnings": [],
        "databases": [{"engine": "mariadb", "name": "shop", "character_set": "utf8mb4"}],
        "listing": {"name": "listing.jsonl.zst", "bytes": 1, "sha256": "0" * 64},
    }
)  # fmt: skip
