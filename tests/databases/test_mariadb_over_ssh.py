"""An awkward database over SSH: the same members as here, full and on the night after."""

from __future__ import annotations

import subprocess
from contextlib import closing
from pathlib import Path
from typing import Any

from running import mariadb_spec
from servers import certificate

from fasciculus.core.dump.mariadb.dump import Dump
from fasciculus.core.dump.mariadb.loader import load
from fasciculus.databases.mariadb.server import connect
from fasciculus.demo.mariadb import PrivateMariaDb
from fasciculus.hosts.local import LocalHost
from fasciculus.hosts.ssh.host import SshHost

FIXTURES = Path(__file__).parents[1] / "fixtures"
SCHEMA = (FIXTURES / "awkward.sql").read_text().replace("awkward", "far_away")


def client(mariadb: PrivateMariaDb, text: bytes, database: str = "") -> None:
    command = ["mariadb", "-S", mariadb.socket, "--default-character-set=utf8mb4"]
    command += [database] if database else []
    subprocess.run(command, input=text, check=True, stdout=subprocess.DEVNULL)


def members_of(mariadb: PrivateMariaDb, host: LocalHost, database: str) -> Any:
    spec = mariadb_spec(socket=mariadb.socket, user="fasciculus", password="ledger")
    with connect(spec, host) as server:
        dump = Dump(server, database)
        found = {member.name: member.data for member in dump}
    return found, dump.done.notes, dump.done.tables


def test_an_awkward_database_is_the_same_over_ssh(
    mariadb: PrivateMariaDb, openssh: Any, tmp_path: Path
) -> None:
    client(mariadb, SCHEMA.encode())
    with closing(SshHost(openssh.host(), tmp_path)) as far:
        first = members_of(mariadb, LocalHost(), "far_away")
        assert members_of(mariadb, far, "far_away") == first and len(first[0]) > 12
        client(mariadb, b"INSERT INTO plain (id, name) VALUES (9, 'another')", "far_away")
        second = members_of(mariadb, far, "far_away")
        assert second == members_of(mariadb, LocalHost(), "far_away")
    changed = [name for name in second[0] if second[0][name] != first[0].get(name)]
    assert len(changed) == 1 and "plain" in changed[0], "what did not change is not stored again"
    # By its own client, and by ours over the connection: the same again.
    mariadb.run(
        "CREATE DATABASE by_hand CHARACTER SET latin1",
        "CREATE DATABASE by_ssh CHARACTER SET latin1",
    )
    whole = [data for name, data in second[0].items() if "user" not in name]
    client(mariadb, b"".join(whole), "by_hand")
    spec = mariadb_spec(socket=mariadb.socket, user="fasciculus", password="ledger")
    with closing(SshHost(openssh.host(), tmp_path)) as far, connect(spec, far) as server:
        server.rows("USE by_ssh")
        load(iter(whole), server.execute)
    for database in ("by_hand", "by_ssh"):
        again, _, tables = members_of(mariadb, LocalHost(), database)
        assert tables == second[2]
        assert {n: d for n, d in again.items() if "user" not in n} == {
            n: d for n, d in second[0].items() if "user" not in n
        }
    for database in ("far_away", "by_hand", "by_ssh"):
        mariadb.run(f"DROP DATABASE {database}")


def test_a_server_that_offers_tls_is_read_over_ssh_as_by_its_socket(
    openssh: Any, tmp_path: Path
) -> None:
    """The channel is encrypted already, and could carry no second encryption."""
    pem = certificate(tmp_path)
    server = PrivateMariaDb(tmp_path / "tls", f"--ssl-cert={pem}", f"--ssl-key={pem}")
    try:
        server.run(
            "CREATE DATABASE sealed", "USE sealed", "CREATE TABLE t AS SELECT seq FROM seq_1_to_99"
        )
        spec = mariadb_spec(socket=server.socket, user="root")
        with closing(SshHost(openssh.host(), tmp_path)) as far:
            for host in (LocalHost(), far):
                with connect(spec, host) as connection:
                    assert connection.rows("SELECT @@have_ssl") == ((b"YES",),)
                    assert connection.rows("SHOW STATUS LIKE 'Ssl_version'")[0][1] == b""
                    dump = Dump(connection, "sealed")
                    assert b"(99)" in b"".join(member.data for member in dump)
    finally:
        server.close()
