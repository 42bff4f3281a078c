"""The rows of PostgreSQL: a dump, and a night on which the newest rows changed."""

from __future__ import annotations

import json
from typing import TYPE_CHECKING

from fasciculus.contracts.orders import HostOrder, ServerOrder
from fasciculus.databases.base import DatabaseRef
from fasciculus.demo.postgresql import PrivatePostgreSql, found

from .changed_rows import changed_rows

if TYPE_CHECKING:
    from .__main__ import Bench

_TABLE = (
    "CREATE TABLE t AS SELECT i AS id, md5(i::text) AS name, i::numeric / 7 AS price, "
    "sqrt(i) AS n, timestamp '2026-01-01' + i * interval '1 second' AS at, "
    "repeat(md5((i + 1)::text) || ' ', 9) AS body, sha512(i::text::bytea) AS raw "
    "FROM generate_series(1, {rows}) i"
)


def postgresql(bench: Bench) -> None:
    """Measure the rows, if the machine has a server."""
    from .__main__ import shell, side_by_side

    programs = found()
    if programs is None:
        print("no PostgreSQL on this machine: its rows are left out")
        return
    server, rows = PrivatePostgreSql(), int(1_000_000 * bench.scale)
    try:
        server.run("CREATE DATABASE bench")
        server.run(_TABLE.format(rows=rows), "ALTER TABLE t ADD PRIMARY KEY (id)", database="bench")
        home = bench.folder / "no-files"
        home.mkdir()
        settings = {"kind": "postgresql", "socket": server.socket, "user": "postgres"}
        order = bench.order(
            contents=["databases"],
            databases=[DatabaseRef("postgresql", "bench")],
            host=HostOrder(servers={"postgresql": ServerOrder(settings=json.dumps(settings))}),
            subject=bench.subject("postgresql", home),
        )
        dump = f"{programs}/pg_dump -h {server.socket} -U postgres bench | zstd -q -3 > pg.zst"
        ours, theirs = side_by_side(lambda: bench.worker(order), shell(dump, bench.folder))
        ratio = f"{ours / theirs:.2f}x"
        bench.say("PostgreSQL dump into the bundle", "pg_dump | zstd -3", ratio, "2x", "1.0x")
        whole = (bench.folder / "pg.zst").stat().st_size
        changed_rows(
            bench,
            order,
            lambda words: server.run(words, database="bench"),
            "abs(hashint4(id))",
            whole,
        )
    finally:
        server.close()
