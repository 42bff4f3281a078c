"""PostgreSQL databases to SQL and back, against a real server."""

from __future__ import annotations

import subprocess
from contextlib import closing
from pathlib import Path
from typing import Any

import psycopg
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from postgresql_sample import access, dumped, everything, fresh, loaded, picture, rows
from running import until

from fasciculus.core.dump.filters import DatabaseRules
from fasciculus.core.errors import FasciculusError, SettingError, StatementError, UnreachableError
from fasciculus.databases.base import DatabaseRef
from fasciculus.databases.postgresql.engine import ENGINE
from fasciculus.databases.postgresql.server import PostgreSqlConnection
from fasciculus.demo.postgresql import found
from fasciculus.hosts.ssh.host import SshHost

pytestmark = pytest.mark.xdist_group("postgresql")


@pytest.fixture
def pots(postgresql: Any, tmp_path: Path) -> Any:
    """The access to a server with the database of everything."""
    everything(postgresql)
    fresh(postgresql, "back", "plain")
    return access(postgresql, tmp_path)


def names(bundled: Any) -> list[str]:
    return [member.path.decode().rpartition("/")[2] for member in bundled.members]


def test_everything_comes_back_as_pg_dump_shows_it(pots: Any, postgresql: Any) -> None:
    bundled = dumped(pots, "pots")
    assert bundled.warnings == [] and bundled.record.tables["shop.pots"] == 500
    assert bundled.record.options["lc_collate"] == "C.UTF-8"
    assert loaded(pots, bundled, "back") == []
    assert picture(postgresql.socket, "back") == picture(postgresql.socket, "pots")
    assert [m.data for m in dumped(pots, "back").members] == [m.data for m in bundled.members]
    with pytest.raises(SettingError, match="not empty"):
        loaded(pots, bundled, "back")
    listed = {
        row.name: row for row in ENGINE.tables(bundled.record, [(n, 9) for n in names(bundled)])
    }
    assert listed["shop.pots"].rows == 500 and listed["shop.pots"].bytes % 9 == 0


def test_psql_loads_the_members(pots: Any, postgresql: Any) -> None:
    postgresql.run("CREATE DATABASE plain TEMPLATE template0")
    programs = found()
    assert programs is not None
    whole = b"".join(member.data for member in dumped(pots, "pots").members)
    done = subprocess.run(
        [
            *(programs / "psql", "-X", "-q", "-h", postgresql.socket, "-U", "postgres"),
            *("-v", "ON_ERROR_STOP=1", "-o", "/dev/null", "plain"),
        ],
        input=whole,
        capture_output=True,
    )
    assert done.returncode == 0, done.stderr.decode()
    assert picture(postgresql.socket, "plain") == picture(postgresql.socket, "pots")


def test_some_tables_and_structure_only(pots: Any, postgresql: Any) -> None:
    rules = DatabaseRules(
        without_tables=("pots.shop.secrets", "pots.cache"), without_rows=("pots.shop.sales*",)
    )
    some = dumped(pots, "pots", rules)
    assert "shop.secrets" not in some.record.tables and "shop.cache" not in some.record.tables
    assert "shop.pots" in some.record.tables and "shop.sales_old" not in some.record.tables
    assert loaded(pots, some, "back") == []
    with postgresql.connect("back") as connection:
        assert rows(connection, "SELECT count(*) FROM shop.sales") == [(0,)]
        assert rows(connection, "SELECT to_regclass('shop.secrets')") == [(None,)]
    bare = dumped(pots, "pots", DatabaseRules(structure_only=True))
    assert bare.record.tables == {} and not [n for n in names(bare) if "-rows-" in n]
    single = dumped(pots, "pots", DatabaseRules(tables=("pots.shop.base",)))
    assert list(single.record.tables) == ["shop.base"]
    assert names(single)[0] == "00000-schema.sql" and "99000-owners.sql" not in names(single)


def test_one_table_comes_back_with_its_keys(pots: Any, postgresql: Any) -> None:
    bundled = dumped(pots, "pots")
    read: list[str] = []

    def reading(member: Any) -> bytes:
        read.append(member.path.decode().rpartition("/")[2])
        return bytes(member.data)

    assert loaded(pots, bundled, "back", tables=["shop.pots"], change=reading) == []
    assert not [name for name in read if "-rows-" in name and "pots" not in name]
    with postgresql.connect("back") as connection:
        assert rows(connection, "SELECT count(*), max(name) FROM shop.pots") == [(500, "pot 99")]
        indexes = "SELECT count(*) FROM pg_indexes WHERE tablename = 'pots'"
        assert rows(connection, indexes) == [(6,)]
        assert rows(connection, "SELECT to_regclass('shop.base')") == [(None,)]


def test_a_table_as_one_file_of_sql(pots: Any, postgresql: Any) -> None:
    bundled = dumped(pots, "pots")
    engine = ENGINE.exchanging
    assert engine is not None
    wanted = ["shop.child", "shop.base"]
    parts = [
        engine.script_part(name, member.data, wanted)
        for name, member in zip(names(bundled), bundled.members, strict=True)
        if engine.is_in_script(bundled.record, name, wanted)
    ]
    postgresql.run("CREATE DATABASE plain TEMPLATE template0")
    with postgresql.connect("plain") as connection:
        for part in parts:
            if b"COPY" not in part:
                connection.execute(part)
        assert rows(connection, "SELECT to_regclass('shop.child')::text") == [("shop.child",)]
        assert rows(connection, "SELECT to_regclass('shop.pots')") == [(None,)]
    assert any(b"COPY shop.child" in part for part in parts)


TEXT = st.text(st.characters(exclude_characters="\x00", codec="utf-8"))
VALUES = st.tuples(
    st.one_of(st.none(), TEXT),
    st.one_of(st.none(), st.binary()),
    st.one_of(st.none(), st.floats()),
    st.lists(
        st.one_of(st.none(), st.text(st.characters(exclude_characters="\x00", codec="utf-8")))
    ),
    st.integers(-(2**63), 2**63 - 1),
    st.dates(),
)


@settings(max_examples=25, deadline=None, suppress_health_check=list(HealthCheck))
@given(st.lists(VALUES, max_size=8))
def test_values_come_back_exactly(postgresql: Any, tmp_path: Path, given_rows: Any) -> None:
    fresh(postgresql, "values_of", "back")
    postgresql.run("CREATE DATABASE values_of")
    with postgresql.connect("values_of") as connection:
        connection.execute(
            'CREATE TABLE "select" (t text, b bytea, f double precision, a text[], i bigint, '
            "d date)"
        )
        for row in given_rows:
            connection.execute('INSERT INTO "select" VALUES (%s, %s, %s, %s, %s, %s)', row)
        expected = rows(connection, 'SELECT * , f::text FROM "select"')
    where = access(postgresql, tmp_path)
    assert loaded(where, dumped(where, "values_of"), "back") == []
    with postgresql.connect("back") as connection:
        assert str(rows(connection, 'SELECT *, f::text FROM "select"')) == str(expected)


def test_unchanged_rows_give_the_same_members(postgresql: Any, tmp_path: Path) -> None:
    fresh(postgresql, "growing")
    postgresql.run("CREATE DATABASE growing")
    with postgresql.connect("growing") as connection:
        connection.execute(
            "CREATE TABLE log AS SELECT i, md5(i::text) || repeat('x', 80) AS note "
            "FROM generate_series(1, 40000) i"
        )
        where = access(postgresql, tmp_path)
        before = {member.data for member in dumped(where, "growing").members}
        connection.execute("UPDATE log SET note = 'changed' WHERE i > 39600")
        connection.execute("DELETE FROM log WHERE i BETWEEN 20000 AND 20010")
    after = dumped(where, "growing").members
    new = sum(len(member.data) for member in after if member.data not in before)
    assert len(after) > 40 and new < 0.1 * sum(len(member.data) for member in after)


def test_rights_are_named_with_their_grant(pots: Any, postgresql: Any, tmp_path: Path) -> None:
    with postgresql.connect() as connection:
        connection.execute("DROP ROLE IF EXISTS reader")
        connection.execute("CREATE ROLE reader LOGIN PASSWORD 'clay'")
        connection.execute("GRANT CONNECT ON DATABASE pots TO reader")
    where = access(postgresql, tmp_path, user="reader")
    reading, restoring = ENGINE.rights(where)
    roles = ENGINE.shared(where)[0].data
    assert b"-- passwords of roles are not in the bundle" in roles and b"SCRAM" not in roles
    assert reading.grant == 'GRANT pg_read_all_data TO "reader";' and "SUPERUSER" in restoring.grant
    with pytest.raises(FasciculusError, match="may not read") as failed:
        dumped(where, "pots")
    assert failed.value.hint == 'Give it: GRANT pg_read_all_data TO "reader";'
    postgresql.run("GRANT pg_read_all_data TO reader")
    said = dumped(where, "pots").warnings
    assert [line for line in said if "shop.secrets" in line and "row-level security" in line]
    assert [line for line in said if line.startswith("large object 424242 could not be read")]
    postgresql.run("ALTER ROLE reader BYPASSRLS")
    found_ = dumped(where, "pots")
    assert found_.record.tables["shop.secrets"] == 2
    whole = ENGINE.shared(access(postgresql, tmp_path))[0].data
    assert b"SCRAM-SHA-256" in whole and b'CREATE ROLE "potter"' in whole
    assert ENGINE.grants(where)["potter"] >= {"pots"}
    assert DatabaseRef("postgresql", "pots") in ENGINE.discover(where, [])
    assert ENGINE.version(where).startswith("PostgreSQL 1")


HOSTILE = [
    b"ALTER ROLE postgres PASSWORD 'taken'",
    b"CREATE ROLE intruder SUPERUSER",
    b"COPY shop.base TO PROGRAM 'touch /tmp/fasciculus-intruder'",
    b"CREATE EXTENSION dblink",
    b"SET SESSION AUTHORIZATION postgres",
    b"SET ROLE potter",
    b"DROP DATABASE postgres",
    b"ALTER SYSTEM SET archive_command = 'true'",
    b"CREATE FUNCTION x() RETURNS int LANGUAGE c AS 'libc', 'system'",
]
PLANTED = b"""
CREATE FUNCTION shop.planted(x integer) RETURNS integer LANGUAGE plpgsql IMMUTABLE AS $$
BEGIN ALTER ROLE potter SUPERUSER; RETURN x; END $$;
CREATE INDEX planted ON shop.base (shop.planted(id));
CREATE TABLE shop.trap (id integer, CHECK (shop.planted(id) > 0));
COPY shop.trap FROM stdin;
1
\\.
"""


@pytest.mark.parametrize("trusted", [True, False])
def test_a_hostile_dump_reaches_only_its_database(
    pots: Any, postgresql: Any, trusted: bool
) -> None:
    roles = "SELECT rolname, rolsuper, rolpassword FROM pg_authid ORDER BY 1"
    with postgresql.connect() as connection:
        before = rows(connection, roles)
    Path("/tmp/fasciculus-intruder").unlink(missing_ok=True)
    bundled = dumped(pots, "pots")

    def change(member: Any) -> bytes:
        data = bytes(member.data)
        if member.path.endswith(b"90000-constraints.sql"):
            data += b";\n".join([*HOSTILE, PLANTED])
        return data

    refused = loaded(pots, bundled, "back", trusted=trusted, change=change)
    assert sum("did not come back" in line for line in refused) >= len(HOSTILE)
    assert not Path("/tmp/fasciculus-intruder").exists()
    with postgresql.connect() as connection:
        assert rows(connection, roles) == before, "no role is left either"
        owner = rows(
            connection,
            "SELECT pg_get_userbyid(datdba) FROM pg_database WHERE datname = 'back'",
        )
        assert owner == [("potter" if trusted else "postgres",)]
    assert any("roles and rights did not come back" in line for line in refused) != trusted


def test_one_odd_table_or_row_costs_itself(
    pots: Any, postgresql: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    whole: Any = PostgreSqlConnection.copy_out

    def broken(self: Any, sql: Any) -> Any:
        with closing(whole(self, sql)) as lines:
            for some in lines:
                if "shop.base" in sql:
                    break
                yield some
            else:
                return
        raise StatementError("invalid page in block 7", "Look at the disk.")

    with monkeypatch.context() as patch:
        patch.setattr(PostgreSqlConnection, "copy_out", broken)
        bundled = dumped(pots, "pots")
    assert "pots.shop.base could not be read to its end" in bundled.warnings[0]
    assert bundled.record.tables["shop.base"] == 0 and bundled.record.tables["shop.pots"] == 500

    def change(member: Any) -> bytes:
        return bytes(member.data).replace(b"2026-05-01\t", b"2026-99-01\t")

    refused = loaded(pots, bundled, "back", change=change)
    assert len(refused) == 1 and "COPY shop.sales_" in refused[0]
    with postgresql.connect("back") as connection:
        assert rows(connection, "SELECT count(*) FROM shop.sales") == [(399,)]


@pytest.fixture
def large(postgresql: Any) -> Any:
    """A server with a database that several connections read."""
    fresh(postgresql, "large")
    postgresql.run("CREATE DATABASE large", "DROP ROLE IF EXISTS guest")
    postgresql.run(
        "CREATE TABLE t (id int, body text)",
        "INSERT INTO t SELECT i, repeat(md5(i::text), 25) FROM generate_series(1, 90000) i",
        "CREATE TABLE small AS SELECT * FROM t LIMIT 3",
        "CREATE ROLE guest LOGIN PASSWORD 'clay' CONNECTION LIMIT 1 IN ROLE pg_read_all_data",
        database="large",
    )
    return postgresql


def sessions(server: Any) -> int:
    with server.connect() as connection:
        ((count,),) = rows(
            connection, "SELECT count(*) FROM pg_stat_activity WHERE datname = 'large'"
        )
    return int(count)


def test_several_connections_read_one_snapshot(large: Any, tmp_path: Path) -> None:
    one = dumped(access(large, tmp_path, connections=1), "large")
    reading = ENGINE.dump(
        access(large, tmp_path, connections=3), DatabaseRef("postgresql", "large"), DatabaseRules()
    )
    members = []
    for member in reading:
        if not members:
            assert sessions(large) == 3
            large.run("DELETE FROM t WHERE id % 2 = 0", database="large")
        members.append(member)
    assert [m.data for m in members] == [m.data for m in one.members]
    assert reading.record().tables == {"public.small": 3, "public.t": 90000}
    assert reading.warnings == []
    until(lambda: not sessions(large))

    # If the server refuses more connections, one reads everything.
    few = dumped(access(large, tmp_path, user="guest", connections=3), "large")
    assert few.record.tables["public.t"] == 45000


def test_a_dump_by_several_connections_is_ended_anywhere(large: Any, tmp_path: Path) -> None:
    where = access(large, tmp_path, connections=3)
    some: Any = iter(ENGINE.dump(where, DatabaseRef("postgresql", "large"), DatabaseRules()))
    next(member for member in some if b"%2Et-000003" in member.path)
    some.close()
    # The server ends a session a little after its connection was closed.
    until(lambda: not sessions(large))
    members = iter(ENGINE.dump(where, DatabaseRef("postgresql", "large"), DatabaseRules()))
    next(member for member in members if b"%2Et-" in member.path)
    with large.connect() as connection:
        connection.execute(
            "SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = 'large' "
            "ORDER BY backend_start DESC LIMIT 1"
        )
    with pytest.raises(UnreachableError):
        list(members)


def test_a_dump_over_ssh_is_ended_anywhere(large: Any, tmp_path: Path, openssh: Any) -> None:
    with closing(SshHost(openssh.host(), tmp_path)) as host:
        host.connect()
        where = access(large, tmp_path, host, connections=2)
        some: Any = iter(ENGINE.dump(where, DatabaseRef("postgresql", "large"), DatabaseRules()))
        next(member for member in some if b"%2Et-000003" in member.path)
        some.close()
    until(lambda: not sessions(large))


def test_a_part_that_cannot_be_read_costs_its_table(
    large: Any, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    whole: Any = PostgreSqlConnection.copy_out

    def broken(self: Any, sql: str) -> Any:
        return whole(self, sql.replace('(SELECT "id",', "(SELECT id / (id - 60000)::bool::int,"))

    monkeypatch.setattr(PostgreSqlConnection, "copy_out", broken)
    bundled = dumped(access(large, tmp_path, connections=3), "large")
    assert "large.public.t could not be read to its end" in bundled.warnings[0]
    assert 1000 < bundled.record.tables["public.t"] < 60000
    assert bundled.record.tables["public.small"] == 3


def test_what_does_not_answer_is_said(postgresql: Any, tmp_path: Path) -> None:
    with pytest.raises(UnreachableError, match="does not answer"):
        ENGINE.check(access(postgresql, tmp_path, socket=str(tmp_path)), [])
    with pytest.raises(UnreachableError, match="refused the sign-in"):
        ENGINE.check(access(postgresql, tmp_path, user="nobody"), [])
    with pytest.raises(FasciculusError, match="There is no database “nothing”"):
        ENGINE.check(access(postgresql, tmp_path), [DatabaseRef("postgresql", "nothing")])
    with pytest.raises(FasciculusError, match="no PostgreSQL server"):
        where = access(postgresql, tmp_path)
        ENGINE.version(where.__class__(where.host, None, "/", tmp_path))


def test_over_ssh_as_here(postgresql: Any, tmp_path: Path, host_either_way: Any) -> None:
    everything(postgresql)
    fresh(postgresql, "back")
    host_either_way.connect()
    where = access(postgresql, tmp_path, host_either_way)
    bundled = dumped(where, "pots")
    assert loaded(where, bundled, "back") == []
    assert picture(postgresql.socket, "back") == picture(postgresql.socket, "pots")


def test_a_connection_that_is_lost_is_no_whole_dump(postgresql: Any, tmp_path: Path) -> None:
    fresh(postgresql, "large")
    postgresql.run("CREATE DATABASE large")
    with postgresql.connect("large") as connection:
        connection.execute(
            "CREATE TABLE t AS SELECT repeat('x', 1000) FROM generate_series(1, 30000)"
        )
    dump = ENGINE.dump(
        access(postgresql, tmp_path), DatabaseRef("postgresql", "large"), DatabaseRules()
    )
    members = iter(dump)
    next(member for member in members if b"-rows-" in member.path)
    with postgresql.connect() as connection:
        connection.execute(
            "SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = 'large'"
        )
    with pytest.raises(UnreachableError):
        list(members)


def test_statements_that_are_refused_are_errors(postgresql: Any, tmp_path: Path) -> None:
    from fasciculus.databases.postgresql.server import opened

    with opened(access(postgresql, tmp_path)) as server:
        with pytest.raises(StatementError, match="syntax error"):
            server.rows("SELEC 1")
        assert server.rows("SELECT NULL, 1, 'x'") == [[None, "1", "x"]]
    with pytest.raises(psycopg.OperationalError), postgresql.connect("nothing"):
        pass
