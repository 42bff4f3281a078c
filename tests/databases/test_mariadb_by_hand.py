"""Text of database users never becomes a command: neither in our restore, nor in the ``mariadb``
client of an administrator who loads a bundle by hand.
"""

from __future__ import annotations

import os
import subprocess
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pymysql
import pytest
from hypothesis import HealthCheck, example, given, settings
from hypothesis import strategies as st
from running import mariadb_spec, private_mariadb

from fasciculus.core.bundle.entry import Entry
from fasciculus.core.bundle.manifest import DatabaseRecord
from fasciculus.core.dump.mariadb.dump import Dump
from fasciculus.core.dump.mariadb.users import every_user
from fasciculus.databases.base import DatabaseAccess
from fasciculus.databases.mariadb.engine import ENGINE
from fasciculus.databases.mariadb.server import connect
from fasciculus.demo.mariadb import PrivateMariaDb
from fasciculus.hosts.local import LocalHost

CLIENTS = {"utf8mb4": "utf-8", "sjis": "cp932", "cp932": "cp932", "gbk": "gbk", "big5": "big5",
           "latin1": "latin-1", "cp850": "cp850"}  # fmt: skip
MODES = ("", "ANSI_QUOTES", "NO_BACKSLASH_ESCAPES", "ANSI", "ORACLE", "PIPES_AS_CONCAT",
         "ANSI_QUOTES,NO_BACKSLASH_ESCAPES")  # fmt: skip
#: Letters whose second byte is a backslash in some character set, and ways out of a literal.
FRAGMENTS = (
    "表", "ソ", "能", "é", "\\", "\\\\", "'", "''", '"', "`", ";", "\n", " ", "x", "/*", "*/",
    "--", "-- ", "#", "//", "\\! touch canary", "\n\\! touch canary\n", "\\. /etc/passwd",
    "\nsystem touch canary\n", "'; CREATE DATABASE canary; -- ", "/*!50000 ",
    "\\'; CREATE DATABASE canary; -- ", "*/; CREATE DATABASE canary;/*",
    "\n//\nCREATE DATABASE canary//\n", "\nDELIMITER x\nCREATE DATABASE canary x\n",
    "; GRANT ALL ON *.* TO canary@localhost IDENTIFIED BY 'x'; ",
    "\n;\nCREATE DATABASE canary;\n",
)  # fmt: skip
texts = st.lists(st.sampled_from(FRAGMENTS), max_size=5).map("".join)


@pytest.fixture(scope="module")
def server(tmp_path_factory: Any) -> Iterator[PrivateMariaDb]:
    with private_mariadb(tmp_path_factory.mktemp("by-hand")) as found:
        yield found


def quoted(text: str, mode: str) -> str:
    """A text as a client writes it under a mode."""
    if "NO_BACKSLASH_ESCAPES" not in mode:
        text = text.replace("\\", "\\\\")
    return "'" + text.replace("'", "''") + "'"


def named(text: str) -> str:
    return "`" + (text.replace("`", "``").replace("\n", "")[:20].strip() or "plain") + "`"


def made(server: PrivateMariaDb, charset: str, mode: str, statements: list[Any]) -> int:
    """Run what the server takes of the statements, as a client of a character set and a mode."""
    link = pymysql.connect(
        unix_socket=server.socket, user="root", database="source", charset="utf8mb4"
    )
    done = 0
    with link, link.cursor() as cursor:
        cursor.execute("SET sql_mode=%s", mode)
        cursor.execute(f"SET character_set_client={charset}")
        for statement in statements:
            try:
                raw = statement.encode(CLIENTS[charset])
            except UnicodeEncodeError:
                continue
            try:
                cursor.execute(raw)
                done += 1
            except pymysql.err.MySQLError:
                continue
    return done


def program(kind: str, name: str, comment: str, literal: str, remark: str) -> str:
    remark = "/* " + remark.replace("*/", "* /").replace("/*", "/ *") + " */"
    body = f"BEGIN {remark} SELECT {literal}; SELECT 1; END"
    return {
        "procedure": f"CREATE PROCEDURE {name}() COMMENT {comment} {body}",
        "event": f"CREATE EVENT {name} ON SCHEDULE EVERY 1 DAY DISABLE COMMENT {comment} DO {body}",
        "trigger": f"CREATE TRIGGER {name} BEFORE INSERT ON base FOR EACH ROW "
        f"BEGIN {remark} SET NEW.a = {literal}; END",
        "view": f"CREATE VIEW {name} AS SELECT {literal} AS {name} {remark}",
        "table": f"CREATE TABLE {name} (a VARCHAR(200) DEFAULT {literal} COMMENT {comment}, "
        f"b VARCHAR(200) AS (CONCAT(a, {literal})), CHECK (a <> {literal})) COMMENT {comment}",
        "user": f"CREATE USER {comment}@localhost IDENTIFIED BY {literal}",
    }[kind]


KINDS = ("procedure", "event", "trigger", "view", "table", "user")


def check_canaries(server: PrivateMariaDb, folder: Path) -> None:
    link = pymysql.connect(unix_socket=server.socket, user="root")
    with link, link.cursor() as cursor:
        cursor.execute("SHOW DATABASES")
        assert "canary" not in [row[0] for row in cursor.fetchall()]
        cursor.execute("SELECT user FROM mysql.user")
        assert "canary" not in [row[0] for row in cursor.fetchall()]
    assert os.listdir(folder) == []


@settings(
    max_examples=8,
    deadline=None,
    suppress_health_check=[HealthCheck.function_scoped_fixture, HealthCheck.too_slow],
)
@given(
    charset=st.sampled_from(list(CLIENTS)),
    mode=st.sampled_from(MODES),
    words=st.lists(st.tuples(st.sampled_from(KINDS), texts, texts, texts, texts), max_size=6),
    rows=st.lists(texts, max_size=4),
    later=st.sampled_from(MODES),
)
# Comments with a letter whose last byte is a backslash.
@example("sjis", "NO_BACKSLASH_ESCAPES", [(k, "p", "表", "x", "") for k in KINDS], [], "")
@example("sjis", "", [(k, "p", "\\! x\n表", "x", "") for k in KINDS], [], "")
# A quote, which the server shows with a backslash, after such a letter.
@example("sjis", "", [("view", "p", "", "表'x\\x", "")], [], "")
@example("big5", "ANSI", [(k, "p", "功'\\", "x", "") for k in KINDS], [], "")
def test_nothing_that_was_written_becomes_a_command(
    server: PrivateMariaDb,
    tmp_path_factory: Any,
    charset: str,
    mode: str,
    words: list[Any],
    rows: list[Any],
    later: str,
) -> None:
    folder = tmp_path_factory.mktemp("cwd")
    server.run(
        *(f"DROP DATABASE IF EXISTS {name}" for name in ("source", "ours", "theirs")),
        "CREATE DATABASE source CHARACTER SET utf8mb4",
        "CREATE DATABASE theirs",
        "CREATE TABLE source.base (a VARCHAR(500))",
    )
    statements = [
        program(kind, named(name), quoted(comment, mode), quoted(literal, mode), remark)
        for kind, name, comment, literal, remark in words
    ]
    made(server, charset, mode, statements)
    made(
        server,
        "utf8mb4",
        later,
        [f"INSERT INTO base VALUES ({quoted(row, later)})" for row in rows],
    )
    made(
        server,
        "utf8mb4",
        "",
        ["CREATE TRIGGER last BEFORE INSERT ON base FOR EACH ROW SET NEW.a='x'"],
    )
    check_canaries(server, folder)
    spec = mariadb_spec(socket=server.socket, user="fasciculus", password="ledger")
    with connect(spec, LocalHost()) as link:
        dump = Dump(link, "source")
        members = list(dump)
        users = every_user(link)
    record = DatabaseRecord("mariadb", "source", character_set="utf8mb4", folder="f")
    entries = ((Entry("databases", b"f/" + m.name.encode()), lambda m=m: m.data) for m in members)
    refused = []
    access = DatabaseAccess(LocalHost(), spec, "", Path("/tmp"))
    list(ENGINE.restore(access, record, "ours", entries, refused.append, True, ()))
    check_canaries(server, folder)
    # As docs/by-hand.md says.
    whole = b"".join(m.data for m in members if "users" not in m.name)
    for text, database in ((whole, "theirs"), (users, "mysql")):
        loaded = subprocess.run(
            ["mariadb", "-S", server.socket, "--binary-mode", "--sandbox",
             "--default-character-set=utf8mb4", "--force", database],
            input=text, capture_output=True, cwd=folder, timeout=120,
        )  # fmt: skip
        check_canaries(server, folder)
        assert not loaded.stderr or refused or database == "mysql", loaded.stderr
    # And like a person who forgot the options.
    server.run("DROP DATABASE theirs", "CREATE DATABASE theirs")
    schema = b"".join(m.data for m in members if "users" not in m.name and "rows" not in m.name)
    for letters in ("utf8mb4", "sjis"):
        subprocess.run(
            ["mariadb", "-S", server.socket, f"--default-character-set={letters}",
             "--force", "theirs"],
            input=schema, capture_output=True, cwd=folder, timeout=120,
        )  # fmt: skip
        check_canaries(server, folder)
    assert refused == [], refused
    shown = []
    for database in ("source", "ours"):
        link = pymysql.connect(unix_socket=server.socket, user="root", charset="utf8mb4")  # type: ignore[assignment]
        with link, link.cursor() as cursor:  # type: ignore[attr-defined]
            cursor.execute(
                "SELECT routine_name, HEX(routine_definition), routine_comment, sql_mode, "
                "character_set_client FROM information_schema.routines WHERE routine_schema=%s "
                "ORDER BY 1", database,
            )  # fmt: skip
            shown.append(cursor.fetchall())
    assert shown[0] == shown[1]
