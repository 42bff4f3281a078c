"""An account with a PostgreSQL database, from discovery to the undo of a restore in place."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from postgresql_sample import fresh, rows
from running import folder_stores, run

from fasciculus.models import DiscoveryRules, HostInput, JobInput

pytestmark = pytest.mark.xdist_group("postgresql")


def is_done(made: Any) -> bool:
    return bool(made.outcome == "done")


@pytest.fixture
def ferryline(running: Any, postgresql: Any, tmp_path: Path) -> Iterator[Path]:
    """An account found on a host, with a bundle; its home."""
    fresh(postgresql, "ferryline_times", "ferryline_times_try", "ferryline_old")
    for role in ("ferryline", "ferryline_try", "fasciculus"):
        postgresql.run(f"DROP ROLE IF EXISTS {role}")
    postgresql.run(
        "CREATE ROLE ferryline LOGIN PASSWORD 'boat'",
        "CREATE ROLE fasciculus LOGIN SUPERUSER PASSWORD 'ledger'",
        "CREATE DATABASE ferryline_times OWNER ferryline",
    )
    postgresql.run(
        "SET ROLE ferryline",
        "CREATE TYPE boat AS ENUM ('launch', 'barge')",
        "CREATE TABLE trip (id int PRIMARY KEY, vessel boat, note text)",
        "INSERT INTO trip SELECT i, 'barge', 'https://ferryline.example/' || i "
        "FROM generate_series(1, 300) i",
        "CREATE VIEW barges AS SELECT * FROM trip WHERE vessel = 'barge'",
        database="ferryline_times",
    )
    home = tmp_path / "home/ferryline"
    (home / "sites/ferryline.example").mkdir(parents=True)
    (home / "sites/ferryline.example/index.php").write_text("boats")
    (home / "sites/ferryline.example/config.php").write_text(
        "<?php $user = 'ferryline'; $database = 'ferryline_times';"
    )
    place = {"kind": "postgresql", "socket": postgresql.socket, "user": "fasciculus"}
    rules = DiscoveryRules(
        homes=[f"{tmp_path}/home/{{account}}"],
        sites=[f"{tmp_path}/home/{{account}}/sites/{{site}}"],
        database_prefix="{account}_",
    )
    host = HostInput(
        name="reed-1", servers=[place], secrets={"postgresql_password": "ledger"}, discovery=rules
    )
    with running.client() as client:
        client.hosts_add(host)
        client.hosts_accept("reed-1")
        for store in folder_stores(tmp_path, "attic"):
            client.stores_add(store)
        client.jobs_add(JobInput(name="nightly", stores=["attic"], timetable="by hand"))
        # A server that is busy may refuse a connection once.
        made = next((r for r in (run(client, "nightly") for _ in range(3)) if is_done(r)), None)
        assert made is not None, [row.text for row in client.runs_log(1).items]
    yield home
    with postgresql.connect() as connection:
        found = rows(connection, "SELECT datname FROM pg_database WHERE datname ~ '^(ferry|fasc)'")
    fresh(postgresql, *(row[0] for row in found))


def test_it_is_found_kept_restored_in_place_and_undone(
    running: Any, postgresql: Any, ferryline: Path
) -> None:
    with running.client() as client:
        account = client.accounts_show("ferryline")
        assert [(d.engine, d.name) for d in account.databases] == [
            ("postgresql", "ferryline_times")
        ]
        bundle = client.bundles_list(subject="ferryline").items[0].id
    count, barges = "SELECT count(*) FROM trip", "SELECT count(*) FROM barges"
    postgresql.run("DROP VIEW barges", "DELETE FROM trip WHERE id > 9", database="ferryline_times")
    words = ("restore", "ferryline", "--in-place", "--database", "ferryline_times")
    planned = running.cli(*words, "--plan")
    assert "300 rows in the bundle, 9 now" in planned.stdout, planned
    done = running.cli(*words, "--yes")
    assert done.returncode == 0 and "restores undo" in done.stdout, done
    with postgresql.connect("ferryline_times") as connection:
        assert rows(connection, count) == rows(connection, barges) == [(300,)]
    number = done.stdout.partition("restores undo ")[2].split()[0]
    undone = running.cli("restores", "undo", number, "--yes")
    assert undone.returncode == 0, undone
    with postgresql.connect("ferryline_times") as connection:
        assert rows(connection, count) == [(9,)]
    drilled = running.cli("drills", "start", "ferryline")
    assert "1 database loaded with 1 table and 300 rows" in drilled.stdout, drilled
    target = ferryline.parent / "trip.sql"
    words = ("bundles", "download", str(bundle), "--database", "ferryline_times")
    loaded = running.cli(*words, "--to", str(target))
    assert loaded.returncode == 0 and b"COPY public.trip" in target.read_bytes()
    old = running.cli(
        "restore", "ferryline", "--database", "ferryline_times=ferryline_old", "--yes"
    )
    assert old.returncode == 0, old
    with postgresql.connect("ferryline_old") as connection:
        assert rows(connection, barges) == [(300,)]


def test_a_copy_beside_has_a_database_and_a_role_of_its_own(
    running: Any, postgresql: Any, ferryline: Path
) -> None:
    done = running.cli("restore", "ferryline", "--beside", "try.ferryline.example", "--yes")
    assert done.returncode == 0, done
    config = (ferryline / "sites/ferryline.example-try/config.php").read_text()
    assert "'ferryline_try'" in config and "'ferryline_times_try'" in config
    with postgresql.connect("ferryline_times_try") as connection:
        note = rows(connection, "SELECT note FROM trip WHERE id = 7")
        assert note == [("https://try.ferryline.example/7",)]
    number = done.stdout.partition("restores remove ")[2].split()[0].rstrip(".")
    gone = running.cli("restores", "remove", number, "--yes")
    assert gone.returncode == 0, gone
    with postgresql.connect() as connection:
        assert rows(connection, "SELECT rolname FROM pg_roles WHERE rolname ~ '_try$'") == []
        assert not rows(connection, "SELECT FROM pg_database WHERE datname ~ '(_try|^fasc)'")
