"""Drills: everything is compared and counted, scratch data is removed, failures are alerts."""

from __future__ import annotations

import sqlite3
from contextlib import closing
from datetime import UTC, datetime, timedelta
from typing import Any

import pytest
from running import run, until
from trees import picture

from fasciculus.client import ClientError
from fasciculus.core.restore.restore_kind import RestoreKind
from fasciculus.models import AccountInput, Database, DrillSettings, DrillStart, HostInput
from fasciculus.records.bundles import bundles
from fasciculus.records.runs import restores
from fasciculus.service.background import digests

pytestmark = pytest.mark.xdist_group("mariadb")


def drilled(client: Any, **order: Any) -> Any:
    number = client.drills_start(DrillStart(**order)).id
    return until(lambda: (r := client.restores_show(number)).state == "ended" and r)


def scratch(mariadb: Any) -> Any:
    with mariadb.connect() as connection, connection.cursor() as cursor:
        cursor.execute("SHOW DATABASES LIKE 'fasciculus%'")
        return cursor.fetchall()


def left(running: Any) -> Any:
    spool = running.parts.config.spool
    return [path for path in spool.rglob("*") if path.is_file()] if spool.exists() else []


def test_a_drill_compares_everything_and_leaves_nothing(
    running: Any, mariadb: Any, millpond: Any
) -> None:
    before = picture(millpond)
    with running.client() as client:
        found = drilled(client)
        assert (found.kind, found.subject, found.outcome) == ("drill", "millpond", "done")
        figures = found.drill
        assert figures.files >= 2 and figures.bytes > 0
        assert (figures.databases, figures.tables, figures.rows) == (1, 1, 500)
        assert client.drills_list().items[0].id == found.id
        assert client.drills_list(subject="lanternchoir").items == []
    assert picture(millpond) == before and scratch(mariadb) == () and left(running) == []
    said = running.cli("drills", "start", "millpond")
    assert said.returncode == 0 and "1 database loaded with 1 table and 500 rows" in said.stdout
    listed = running.cli("drills", "list")
    assert listed.stdout.count("● done") == 2 and "compared" in listed.stdout
    with pytest.raises(ClientError, match="No bundle can be restored"), running.client() as client:
        drilled(client, subject="lanternchoir")


def test_a_database_that_is_a_file_is_compared_where_it_comes_back(
    running: Any, mariadb: Any, millpond: Any
) -> None:
    with closing(sqlite3.connect(millpond / "sites/notes.sqlite")) as db:
        db.execute("CREATE TABLE note (text)")
    with running.client() as client:
        known = client.accounts_show("millpond").model_dump()
        new = AccountInput(**{key: known[key] for key in AccountInput.model_fields if key in known})
        new.databases.append(Database(engine="sqlite", name="notes", path="sites/notes.sqlite"))
        client.accounts_change("millpond", new)
        run(client, "nightly")
        found = drilled(client, bundle=5)
    assert found.outcome == "done" and found.drill.files >= 3, found.error


def test_a_damaged_copy_fails_the_drill_and_opens_an_alert(
    running: Any, mariadb: Any, millpond: Any
) -> None:
    for piece in (millpond.parent / "attic").rglob("*.tar.*"):
        data = bytearray(piece.read_bytes())
        data[len(data) // 2] ^= 1
        piece.write_bytes(data)
    with running.client() as client:
        found = drilled(client)
        assert found.outcome == "failed" and found.error
    assert scratch(mariadb) == () and left(running) == []
    rows = running.parts.watch.found(datetime.now(UTC))
    assert [row.about for row in rows if row.check == "drill"] == ["millpond"]
    assert running.cli("drills", "start", "millpond").returncode == 1


def test_rows_that_do_not_come_back_fail_the_drill(
    running: Any, mariadb: Any, millpond: Any
) -> None:
    mariadb.run("DROP USER IF EXISTS 'clerk'@'localhost'", "CREATE USER 'clerk'@'localhost'")
    with running.client() as client:
        found = client.hosts_show("reed-1").model_dump()
        new = HostInput(**{key: found[key] for key in HostInput.model_fields if key in found})
        new.servers = [new.servers[0].model_copy(update={"user": "clerk"})]
        client.hosts_change("reed-1", new)
        found = drilled(client)
    assert found.outcome == "failed" and "shop" in found.error
    assert found.drill.files >= 2 and found.drill.databases == 0


def test_the_timetable_takes_whom_nobody_has_drilled_for_longest(
    running: Any, mariadb: Any, millpond: Any
) -> None:
    words = ("drills", "settings", "--when", "daily 04:00", "--subject", "millpond")
    shown = running.cli(*words)
    assert shown.returncode == 0 and "daily 04:00" in shown.stdout
    said = running.cli("drills", "settings", "--subject", "nobody")
    assert said.returncode == 2 and "no account or site “nobody”" in said.stderr
    said = running.cli("drills", "settings", "--when", "sometimes")
    assert said.returncode == 2 and "--when" in said.stderr
    scheduler = running.parts.scheduler
    now = datetime.now(UTC)
    scheduler.renew(now)
    scheduler.tick(now + timedelta(days=1))
    with running.client() as client:
        found = until(
            lambda: (rows := client.drills_list().items) and rows[0].state == "ended" and rows[0]
        )
        assert found.started_by == "timetable" and found.outcome == "done"
        client.drills_settings_change(DrillSettings())
    reader = running.parts.records.reader
    told = restores.drills_between(reader, now - timedelta(hours=1), now + timedelta(hours=1))
    line = digests._drill_line(told[0])  # the line of a digest, which is sent once a day
    assert line.startswith("millpond came back in ") and "500 rows" in line


def test_what_a_killed_drill_left_is_removed(
    running: Any, mariadb: Any, millpond: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    with running.parts.records.write() as db:
        number = restores.add_drill(db, bundles.bundle(db, 4), "attic", "tests")
    prefix = restores.side(running.parts.records.reader, number).replace("-", "_")
    mariadb.run(f"CREATE DATABASE fasciculus_restore_{prefix}_1_new")
    handler = running.parts.tasks._restores  # what the runner calls when a worker was killed
    shown = restores.restore(running.parts.records.reader, number)
    assert shown.kind == RestoreKind.DRILL
    runner = running.parts.tasks._runner
    worker = runner._workers
    handler.after_failure(
        handler.queued(shown), lambda order: [*(w := worker.start(order)).events()] and w.result
    )
    assert scratch(mariadb) == ()
