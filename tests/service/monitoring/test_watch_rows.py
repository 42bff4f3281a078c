"""Each row of docs/watch.md opens and closes by what a service really does."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from functools import partial
from pathlib import Path
from types import SimpleNamespace
from typing import Any

from running import folder_stores, run, service, set_up, small_account, until
from watched import change, send_by, texts

from fasciculus.demo.mailbox import MailboxStandIn
from fasciculus.models import (
    AccountInput,
    Command,
    HostFields,
    HostInput,
)
from fasciculus.records import discoveries, settings
from fasciculus.records.db import stamp
from fasciculus.records.messages import alerts, certificates
from fasciculus.service.tasks.backups import BY_TIMETABLE, RunStart


def end_of(client: Any, started: Any) -> None:
    """Wait for the end of maintenance tasks."""
    for number in started.ids:
        until(lambda number=number: client.maintenance_show(number).state == "ended")  # type: ignore[misc]


def write(parts: Any, statement: Any, *values: Any) -> None:
    with parts.records.write() as db:
        db.execute(statement, values)


def ago(**age: Any) -> Any:
    return stamp(datetime.now(UTC) - timedelta(**age))


def test_a_copy_grows_too_old(valley: Any) -> None:
    client, parts = valley
    run(client, "nightly")
    change(client, max_copy_age=24)
    assert "copy age" not in texts(parts)
    write(parts, "UPDATE bundle SET moment=?", ago(hours=30))
    assert "newest copy older than the jobs allow" in texts(parts)["copy age"]
    run(client, "nightly")
    assert "copy age" not in texts(parts)


def test_a_run_is_partly_failed_and_warned(valley: Any, tmp_path: Path) -> None:
    client, parts = valley
    (tmp_path / "cellar").rename(tmp_path / "away")
    run(client, "nightly")
    assert texts(parts)["partly failed run"] == "Job nightly: a copy is missing."
    (tmp_path / "away").rename(tmp_path / "cellar")
    change(client, commands=[Command(when="always", command="false", seconds=20)])
    assert run(client, "nightly").outcome == "warned"
    found = texts(parts)
    assert found["warnings"] == "Job nightly: done, with warnings."
    assert "partly failed run" not in found
    change(client, commands=[])
    run(client, "nightly")
    assert "warnings" not in texts(parts)


def test_a_start_is_missing_until_a_run_comes(valley: Any) -> None:
    client, parts = valley
    change(client, timetable="daily 02:15")
    parts.scheduler.stop()
    write(parts, "UPDATE change SET at=?", ago(days=2))
    assert "should have started at" in texts(parts)["missing run"]
    number = parts.tasks.start_run(RunStart("nightly", BY_TIMETABLE, by_timetable=True))
    until(lambda: client.runs_show(number).state == "ended")
    assert "missing run" not in texts(parts)


def test_a_size_is_unusual_until_it_is_usual(valley: Any, tmp_path: Path) -> None:
    client, parts = valley
    (tmp_path / "millpond/film").write_bytes(b"film" * 1000)
    for _ in range(4):
        run(client, "nightly")
    (tmp_path / "millpond/film").unlink()
    write(parts, "UPDATE bundle SET bytes=bytes+50000000, packed=packed+50000000")
    run(client, "nightly")
    assert "much smaller" in texts(parts)["size"]
    for _ in range(5):
        run(client, "nightly")
    assert "size" not in texts(parts)


def test_a_store_lags_and_catches_up(valley: Any, tmp_path: Path) -> None:
    client, parts = valley
    (tmp_path / "cellar").rename(tmp_path / "away")
    run(client, "nightly")
    later = datetime.now(UTC) + timedelta(hours=25)
    texts(parts)
    assert texts(parts, later)["store lagging"] == "Store cellar lacks 1 bundle of its jobs."
    (tmp_path / "away").rename(tmp_path / "cellar")
    end_of(client, client.stores_transfer("cellar", ""))
    assert "store lagging" not in texts(parts, later)


def test_a_store_fills_until_there_is_space(valley: Any) -> None:
    client, parts = valley
    run(client, "nightly")
    today = datetime.now(UTC).date()
    with parts.records.write() as db:
        for day in range(5, 0, -1):
            db.execute(
                "INSERT INTO store_day (store_id, day, sent, received, stored) "
                "SELECT id, ?, 0, 0, ? FROM store WHERE name='attic'",
                (f"{today - timedelta(days=day)}", (6 - day) << 30),
            )
        db.execute("UPDATE store_day SET stored=? WHERE day=?", (6 << 30, f"{today}"))
        db.execute("UPDATE store SET free=? WHERE name='attic'", (4 << 30,))
    assert "Store attic will be full on" in texts(parts)["store filling"]
    run(client, "nightly")
    assert "store filling" not in texts(parts)


def test_damage_is_open_until_it_is_repaired(valley: Any, tmp_path: Path) -> None:
    client, parts = valley
    run(client, "nightly")
    piece = next((tmp_path / "attic").rglob("pieces/*"))
    piece.write_bytes(piece.read_bytes()[:-9])
    (tmp_path / "cellar").rename(tmp_path / "away")
    end_of(client, client.stores_verify("attic"))
    until(lambda: all(one.state == "ended" for one in client.maintenance_list().items))
    assert "1 file of millpond is missing or altered" in texts(parts)["damage"]
    (tmp_path / "away").rename(tmp_path / "cellar")
    end_of(client, client.stores_repair("attic"))
    assert "damage" not in texts(parts)


def test_copies_are_read_through_in_time(valley: Any) -> None:
    client, parts = valley
    run(client, "nightly")
    assert "verification" not in texts(parts)
    write(parts, "UPDATE copy SET made=?", ago(days=60))
    assert "were last read through on" in texts(parts)["verification"]
    for name in ("attic", "cellar"):
        end_of(client, client.stores_verify(name, deep=True))
    assert "verification" not in texts(parts)


def test_what_no_job_covers_and_what_a_job_names_in_vain(valley: Any) -> None:
    client, parts = valley
    run(client, "nightly")
    change(client, enabled=False)
    assert texts(parts)["coverage"] == "1 account has no job, millpond for one."
    change(client, enabled=True, choice="listed", names=["millpond"])
    assert "coverage" not in texts(parts)
    write(parts, "UPDATE account SET gone_since=?", ago(days=1))
    assert texts(parts)["subjects"] == "Job nightly names millpond, which is gone."
    change(client, choice="all", names=[])
    assert "subjects" not in texts(parts)


def test_a_report_that_cannot_be_sent(valley: Any, tmp_path: Path) -> None:
    client, parts = valley
    run(client, "nightly")
    until(lambda: client.outbox_list().items[0].attempts)
    texts(parts)
    later = datetime.now(UTC) + timedelta(hours=2)
    assert "could not be sent yet" in texts(parts, later)["outbox"]
    mailbox = MailboxStandIn(tmp_path / "mailbox")
    send_by(client, mailbox)
    client.outbox_send()
    until(lambda: client.outbox_send().total == 0)
    assert mailbox.messages()
    assert "outbox" not in texts(parts, later)
    mailbox.close()


def test_copies_of_the_records_are_missed_where_they_are_wanted(tmp_path: Path) -> None:
    with service(tmp_path / "home", FASCICULUS_RECORDS_STORES="attic") as running:
        with running.client() as client:
            set_up(client, [small_account(tmp_path, "millpond")], folder_stores(tmp_path, "attic"))
            parts = running.parts
            assert "Store attic has no copy of the records" in texts(parts)["records"]
            parts.housekeeper.copy_records()
            assert "records" not in texts(parts)


def test_a_certificate_ends_until_it_is_renewed(valley: Any) -> None:
    _, parts = valley
    for days, is_open in ((20, True), (-1, True), (90, False)):
        with parts.records.write() as db:
            certificates.seen(db, "store attic", datetime.now(UTC) + timedelta(days=days))
        assert ("certificate" in texts(parts)) is is_open


def test_a_run_that_reached_none_of_its_stores_says_so_until_a_copy_is_taken(
    valley: Any, tmp_path: Path
) -> None:
    client, parts = valley
    for name in ("attic", "cellar"):
        (tmp_path / name).rename(tmp_path / f"{name}-away")
    assert run(client, "nightly").outcome == "failed"
    rows = alerts.open_by_key(parts.records.reader) if parts.watch.look(datetime.now(UTC)) else {}
    assert {"store attic", "store cellar"} <= set(rows), rows
    for name in ("attic", "cellar"):
        (tmp_path / f"{name}-away").rename(tmp_path / name)
    assert run(client, "nightly").outcome == "done"
    assert "store unreachable" not in texts(parts)


def test_a_copy_that_another_store_brought_ends_it_too(valley: Any, tmp_path: Path) -> None:
    client, parts = valley
    (tmp_path / "cellar").rename(tmp_path / "away")
    assert run(client, "nightly").outcome == "partial"
    assert "store unreachable" in texts(parts)
    (tmp_path / "away").rename(tmp_path / "cellar")
    for number in client.stores_transfer("cellar", "").ids:
        until(lambda number=number: client.maintenance_show(number).state == "ended")  # type: ignore[misc]
    assert "store unreachable" not in texts(parts) and "partly failed run" in texts(parts)


def test_accounts_that_come_and_go_are_said_until_they_are_accepted(
    valley: Any, tmp_path: Path
) -> None:
    client, parts = valley
    host = client.hosts_show("reed-1").model_dump(include=set(HostFields.model_fields))
    host["discovery"] = {"homes": [f"{tmp_path}/homes/{{account}}"]}
    client.hosts_change("reed-1", HostInput(**host))
    (tmp_path / "homes/lanternchoir").mkdir(parents=True)
    parts.housekeeper.find_accounts()
    found = texts(parts)
    assert "1 new account (lanternchoir)" in found["discovery"]
    rows = {row.name: row for row in client.every(client.coverage_list)}
    assert rows["lanternchoir"].kind == "account"
    client.hosts_accept("reed-1")
    assert "discovery" not in texts(parts)
    rows = {row.name: row for row in client.every(client.coverage_list)}
    assert rows["lanternchoir"].state in ("never", "late"), "a job takes all accounts"
    assert run(client, "nightly").outcome in ("done", "warned")
    rows = {row.name: row for row in client.every(client.coverage_list)}
    assert rows["lanternchoir"].state == rows["millpond"].state == "protected"
    (tmp_path / "homes/lanternchoir").rmdir()
    with parts.records.write() as db:
        settings.put(db, "discoveries", {})
    parts.housekeeper.find_accounts()
    assert "1 deleted account (lanternchoir)" in texts(parts)["discovery"]
    client.hosts_accept("reed-1")
    assert "discovery" not in texts(parts)


def test_hosts_are_looked_through_once_a_day_and_before_jobs_of_all_accounts(
    valley: Any, tmp_path: Path
) -> None:
    client, parts = valley
    host = client.hosts_show("reed-1").model_dump(include=set(HostFields.model_fields))
    host["discovery"] = {"homes": [f"{tmp_path}/homes/{{account}}"]}
    client.hosts_change("reed-1", HostInput(**host))

    def seen(hours: float) -> Any:
        at = datetime.now(UTC) - timedelta(hours=hours)
        with parts.records.write() as db:
            settings.put(db, "discoveries", {"reed-1": {"at": at.isoformat()}})
        parts.housekeeper.find_accounts()
        return discoveries.by_host(parts.records.reader)["reed-1"].at - at

    assert seen(2) == timedelta(0), "it was not looked through again"
    assert seen(25) > timedelta(hours=24)
    started = datetime.now(UTC)
    soon = (datetime.now(UTC) + timedelta(minutes=30)).strftime("%H:%M")
    change(client, timetable=f"daily {soon}", zone="UTC")
    assert seen(2) > timedelta(hours=1), "a job of all accounts starts before the next look"
    change(client, timetable="by hand")
    earlier = stamp(datetime.now(UTC) - timedelta(hours=2))
    with parts.records.write() as db:
        settings.put(db, "discoveries", {"reed-1": {"at": earlier}})
    run(client, "nightly")
    until(lambda: discoveries.by_host(parts.records.reader)["reed-1"].at > started)


def test_a_database_user_that_does_not_see_all_is_said(
    valley: Any, running: Any, mariadb: Any, tmp_path: Path
) -> None:
    client, parts = valley
    mariadb.run(
        "CREATE OR REPLACE USER blind@localhost IDENTIFIED BY 'ledger'",
        "CREATE DATABASE IF NOT EXISTS unseen_shop",
    )
    host = client.hosts_show("reed-1").model_dump(include=set(HostFields.model_fields))
    host["discovery"] = {"homes": [f"{tmp_path}/homes/{{account}}"], "by_grants": False}
    host["servers"] = [{"kind": "mariadb", "socket": mariadb.socket, "user": "blind"}]
    client.hosts_change("reed-1", HostInput(**host, secrets={"mariadb_password": "ledger"}))
    grant = "GRANT SELECT, SHOW VIEW, TRIGGER, EVENT ON *.* TO 'blind'@'localhost'"
    said = running.cli("hosts", "change", "reed-1", "--mariadb-user", "blind")
    assert said.returncode == 0 and f"Run: {grant}" in said.stderr, said
    rights = [step for step in client.hosts_try("reed-1").steps if step.name == "rights"]
    assert rights[0].ok and grant in rights[0].hint
    parts.housekeeper.find_accounts()
    assert grant in texts(parts)["database rights"]
    change(client, contents=["files", "databases"])
    ended = run(client, "nightly")
    log = [row.text for row in client.every(partial(client.runs_log, ended.id))]
    assert any("are neither found nor backed up" in line for line in log), log
    summary = client.jobs_summary(client.jobs_show("nightly"))
    assert any("neither found nor backed up" in row.text for row in map(_text, summary.advice))
    mariadb.run("GRANT SELECT, SHOW VIEW, TRIGGER, EVENT ON *.* TO blind@localhost")
    with parts.records.write() as db:
        settings.put(db, "discoveries", {})
    parts.housekeeper.find_accounts()
    assert "database rights" not in texts(parts)


def _text(row: Any) -> Any:
    return SimpleNamespace(text=row if isinstance(row, str) else row.text)


def test_a_wrong_database_password_costs_the_databases_alone(valley: Any, mariadb: Any) -> None:
    client, _ = valley
    mariadb.run(
        "CREATE DATABASE IF NOT EXISTS mill_shop", "CREATE OR REPLACE TABLE mill_shop.t (a INT)"
    )
    host = client.hosts_show("reed-1").model_dump(include=set(HostFields.model_fields))
    host["servers"] = [{"kind": "mariadb", "socket": mariadb.socket, "user": "fasciculus"}]
    client.hosts_change("reed-1", HostInput(**host, secrets={"mariadb_password": "ledger"}))
    account = client.accounts_show("millpond").model_dump(include=set(AccountInput.model_fields))
    account["databases"] = [{"engine": "mariadb", "name": "mill_shop"}]
    client.accounts_change("millpond", AccountInput(**account))
    change(client, contents=["files", "databases"], keep="1 newest")
    assert run(client, "nightly").outcome == "done"
    whole = client.bundles_list().items[0].name
    client.hosts_change("reed-1", HostInput(**host, secrets={"mariadb_password": "wrong"}))
    ended = run(client, "nightly")
    assert ended.outcome == "partial", ended
    assert "refused the sign-in" in ended.tasks[0].error
    newest, *others = client.bundles_list().items
    assert client.bundles_show(newest.id).contents["files"].entries > 0
    assert whole in [row.name for row in others], "the last copy with the databases stays"
    change(client, contents=["databases"])
    assert run(client, "nightly").outcome == "failed", "nothing else is in it"
