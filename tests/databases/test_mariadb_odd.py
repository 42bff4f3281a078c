"""Corners of MariaDB, dumped and loaded; what the ordinary dump says of the original and of the two
copies is the same.
"""

from __future__ import annotations

import subprocess
from pathlib import Path

from running import mariadb_spec

from fasciculus.core.dump.mariadb.dump import Dump
from fasciculus.core.dump.mariadb.loader import load
from fasciculus.databases.mariadb.server import connect
from fasciculus.demo.mariadb import PrivateMariaDb
from fasciculus.hosts.local import LocalHost

ODD = (Path(__file__).parents[1] / "fixtures/corner_cases.sql").read_text()
DETAILS = [
    "--routines",
    "--events",
    "--triggers",
    "--skip-comments",
    "--dump-history",
    "--skip-extended-insert",
    "--hex-blob",
    "--order-by-primary",
]


def test_corners_come_back_as_they_were(mariadb: PrivateMariaDb) -> None:
    client = ["mariadb", "-S", mariadb.socket, "--default-character-set=utf8mb4"]
    subprocess.run(client, input=ODD, text=True, check=True, stdout=subprocess.DEVNULL)
    spec = mariadb_spec(socket=mariadb.socket, user="fasciculus", password="ledger")
    with connect(spec, LocalHost()) as server:
        dump = Dump(server, "odd")
        members = list(dump)
    assert [note.partition(" is of ")[0] for note in dump.done.notes] == [
        "table odd.aria",
        "table odd.mem",
    ]
    assert dump.done.tables["sysp"] == 3, "with the previous row"
    mariadb.run("CREATE DATABASE odd_client", "CREATE DATABASE odd_ours")
    # Without its own settings, like a person in a hurry.
    subprocess.run(
        ["mariadb", "-S", mariadb.socket, "odd_client"],
        input=b"".join(m.data for m in members),
        check=True,
    )
    with connect(spec, LocalHost()) as server:
        server.rows("USE odd_ours")
        load((m.data for m in members), server.execute)

    def told(database: str) -> str:
        command = ["mariadb-dump", "-S", mariadb.socket, *DETAILS, database]
        return subprocess.run(command, check=True, capture_output=True, text=True).stdout

    original = told("odd")
    assert len(original) > 10_000 and "PACKAGE BODY" in original
    assert told("odd_client") == original
    assert told("odd_ours") == original
