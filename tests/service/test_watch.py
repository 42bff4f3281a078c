"""The standing checks over a real service: each opens an alert, and closes it when it is over."""

import os
from datetime import UTC, datetime, timedelta
from functools import partial
from types import SimpleNamespace

import httpx
import pytest
import servers
from cryptography import x509
from running import folder_stores, run, set_up, small_account, until

from fasciculus.demo.mailbox import MailboxStandIn
from fasciculus.models import (
    AccountInput,
    HostFields,
    HostInput,
    JobInput,
    MailServer,
    WatchSettings,
)
from fasciculus.records import alerts, certificates, discoveries, runs, settings
from fasciculus.records.db import stamp
from fasciculus.service.background import scheduler as scheduler_module
from fasciculus.service.watch.certificates import end_of
from fasciculus.stores.base import TlsAddress, https_address


@pytest.fixture
def valley(running, tmp_path):
    with running.client() as client:
        set_up(
            client,
            [small_account(tmp_path, "millpond")],
            folder_stores(tmp_path, "attic", "cellar"),
            report_to=["duty@sedge-quill.example"],
        )
        yield client, running.parts


def texts(parts, now=None):
    """The open alerts after a look."""
    parts.watch.look(now or datetime.now(UTC))
    return {row.check: row.text for row in alerts.open_by_key(parts.records.reader).values()}


def change(client, **fields):
    job = client.jobs_show("nightly").model_dump(include=set(JobInput.model_fields))
    client.jobs_change("nightly", JobInput(**{**job, **fields}))


def test_a_failed_run_is_an_alert_until_the_next_good_one(valley, tmp_path):
    client, parts = valley
    assert "has never run" in texts(parts)["never run"]
    (tmp_path / "millpond").rename(tmp_path / "away")
    run(client, "nightly")
    found = texts(parts)
    assert found["failed run"] == "Job nightly: failed." and "never run" not in found
    (alert,) = client.alerts_list(state="open").items
    taken = client.alerts_acknowledge(alert.id, "the disk is being changed")
    assert taken.acknowledged_by == "administrator"
    (shown,) = [row for row in client.overview().attention if row.alert == alert.id]
    assert shown.note == "the disk is being changed"
    (tmp_path / "away").rename(tmp_path / "millpond")
    run(client, "nightly")
    assert texts(parts) == {} and client.alerts_list(state="closed").total == 2
    titles = [row.title for row in client.reports_list().items]
    assert [title.partition("] ")[2][:12] for title in reversed(titles)] == [
        "nightly: fai",
        "nightly: don",
    ], "that it had never run is told to nobody, and the rest by reports"


def test_a_store_that_takes_no_copy(valley, tmp_path):
    client, parts = valley
    (tmp_path / "cellar").rename(tmp_path / "away")
    run(client, "nightly")
    found = texts(parts)
    assert "Store cellar took no copy" in found["store unreachable"]
    assert found["partly failed run"] == "Job nightly: a copy is missing."
    assert "store lagging" not in found, "not before it has lasted"
    found = texts(parts, datetime.now(UTC) + timedelta(hours=25))
    assert found["store lagging"] == "Store cellar lacks 1 bundle of its jobs."


def test_a_start_of_which_no_run_came(valley):
    client, parts = valley
    run(client, "nightly")
    change(client, timetable="daily 02:15")
    parts.scheduler.stop()
    tomorrow = datetime.now(UTC) + timedelta(days=1, hours=1)
    assert "should have started at" in texts(parts, tomorrow)["missing run"]
    with parts.records.write() as db:
        run_id = runs.add(db, client.jobs_show("nightly"), "timetable", [])
        db.execute("UPDATE run SET created=? WHERE id=?", (stamp(tomorrow), run_id))
        runs.end(db, run_id, "done", "")
    assert "missing run" not in texts(parts, tomorrow)


def test_a_stopped_scheduler_is_seen_within_a_minute_on_every_face(valley, running):
    client, parts = valley
    assert scheduler_module._LATE + 15 <= 60
    parts.scheduler.stop()
    assert "scheduler does not run" in texts(parts)["scheduler"]
    assert not client.overview().scheduler_alive
    said = running.cli("status")
    assert said.returncode == 1 and "The scheduler does not run" in said.stdout
    health = httpx.get(f"{running.url}/health", trust_env=False)
    assert health.status_code == 503 and health.json()["checks"]["scheduler"] is False


def test_bundles_that_are_unlike_those_before_them(valley, tmp_path):
    client, parts = valley
    home = tmp_path / "millpond"
    (home / "film").write_bytes(os.urandom(3 << 20))
    for _ in range(4):
        run(client, "nightly")
    assert "size" not in texts(parts)
    (home / "film").unlink()
    run(client, "nightly")
    found = texts(parts)["size"]
    assert "The last bundle of millpond by job nightly" in found and "much smaller" in found
    change(client, watch={"smaller": 0})
    assert "size" not in texts(parts)
    for number in range(60):
        (home / f"page-{number}.txt").write_text("x")
    run(client, "nightly")
    assert "far more changes than usual" in texts(parts)["changes"]


def test_very_many_changes_stay_an_alert_and_keep_the_copies_before_them(valley, tmp_path):
    """Files are encrypted; at the next quiet run they are what is usual."""
    client, parts = valley
    home = tmp_path / "millpond"
    change(client, keep="2 newest", mode="incremental")
    for number in range(20):
        (home / f"page-{number}.txt").write_text("x")
    for _ in range(4):
        run(client, "nightly")
    before = [row.name for row in client.bundles_list().items]
    for path in home.iterdir():
        path.write_bytes(os.urandom(500))
    worst = run(client, "nightly")
    assert "No older copy is retired until" in " ".join(worst.tasks[0].warnings)
    for _ in range(3):
        run(client, "nightly")
    parts.watch.look(datetime.now(UTC))
    (alert,) = [row for row in client.alerts_list(state="open").items if row.check == "changes"]
    assert "Copies from before it stay until you acknowledge this" in alert.text
    names = [row.name for row in client.bundles_list(limit=50).items]
    assert set(before[:2]) <= set(names), "the last good ones are there"
    client.alerts_acknowledge(alert.id, "an update")
    parts.watch.look(datetime.now(UTC))
    assert not [row for row in client.alerts_list(state="open").items if row.check == "changes"]
    run(client, "nightly")
    assert len(client.bundles_list().items) == 2


def test_what_no_job_covers_and_certificates_that_end(valley, tmp_path):
    client, parts = valley
    change(client, enabled=False)
    account = client.accounts_show("millpond")
    fields = account.model_dump(exclude={"gone_since", "covered_by", "newest", "newest_bytes"})
    fields.pop("bundles")
    client.accounts_change(
        "millpond",
        AccountInput(**{**fields, "sites": [{"name": "mill.example", "root": account.home}]}),
    )
    assert texts(parts)["coverage"] == "1 site has no job, mill.example for one."
    with parts.records.write() as db:
        certificates.seen(db, "store attic", datetime.now(UTC) + timedelta(days=20))
        certificates.seen(db, "the mail server", datetime.now(UTC) - timedelta(days=1))
    found = [a.text for a in client.alerts_list().items]
    texts(parts)
    found = [a.text for a in client.alerts_list(state="open").items if a.check == "certificate"]
    assert any("of store attic ends on" in text for text in found)
    assert any("of the mail server ended on" in text for text in found)


def test_people_are_told_once_of_the_beginning_and_once_of_the_end(valley, tmp_path):
    client, parts = valley
    mailbox = MailboxStandIn(tmp_path / "mailbox")
    client.mail_change(
        MailServer(
            address="127.0.0.1",
            port=mailbox.port,
            security="none",
            sender="fasciculus@sedge-quill.example",
        )
    )
    client.watch_change(WatchSettings(recipients=["night@sedge-quill.example"]))
    (tmp_path / "cellar").rename(tmp_path / "away")
    change(client, report_to=["duty@sedge-quill.example"], report_when="trouble")
    run(client, "nightly")
    report = until(mailbox.messages)[0]
    assert "a copy is missing" in report["subject"]
    for _ in range(3):
        texts(parts)
    opened = until(lambda: mailbox.messages()[1:])[0]
    assert opened["to"] == "night@sedge-quill.example", "the run's own people had its report"
    assert opened["subject"].startswith("[Fasciculus] alert opened: Store cellar took no copy")
    (tmp_path / "away").rename(tmp_path / "cellar")
    run(client, "nightly")
    for _ in range(3):
        texts(parts)
    closed = until(lambda: len(mailbox.messages()) >= 4 and mailbox.messages()[2:])
    assert {m["to"]: m["subject"].partition("] ")[2] for m in closed} == {
        "duty@sedge-quill.example": "alert closed: Job nightly: a copy is missing.",
        "night@sedge-quill.example": closed_store(closed),
    }
    assert client.outbox_list().total == 0 and len(mailbox.messages()) == 4
    mailbox.close()


def closed_store(messages):
    """The title that tells of the store's end; its reason names a folder of the test."""
    (found,) = [t for m in messages if "Store cellar" in (t := m["subject"].partition("] ")[2])]
    assert found.startswith("alert closed: Store cellar took no copy the last time")
    return found


def test_in_quiet_hours_neither_a_beginning_nor_an_end_wakes_anybody(valley, tmp_path):
    client, parts = valley
    change(client, report_to=[])
    client.watch_change(
        WatchSettings(recipients=["night@sedge.example"], quiet="22:00-06:00", lag_hours=720)
    )
    noon = datetime.now(UTC).replace(hour=12)
    run(client, "nightly")
    (tmp_path / "cellar").rename(tmp_path / "away")
    run(client, "nightly")

    def titles():
        return [row.title for row in client.reports_list().items]

    texts(parts, noon.replace(hour=23))
    assert titles() == [] and client.alerts_list(state="open").total == 2
    texts(parts, noon + timedelta(days=1))
    assert titles() == ["[Fasciculus] 2 alerts: 2 opened"]
    (tmp_path / "away").rename(tmp_path / "cellar")
    run(client, "nightly")
    texts(parts, noon.replace(hour=23) + timedelta(days=1))
    assert len(titles()) == 1 and client.alerts_list(state="open").total == 0
    for hours in (36, 37):
        texts(parts, noon + timedelta(hours=hours + 12))
    # That there is no mail server is an alert of its own by then.
    assert titles()[0] == "[Fasciculus] 3 alerts: 1 opened, 2 closed" and len(titles()) == 2


def test_the_end_of_a_certificate_is_read_off_the_server(tmp_path):
    with servers.ftp_place(tls=True)(tmp_path) as place:
        pem = (tmp_path / "server.pem").read_bytes()
        ends = x509.load_pem_x509_certificates(pem)[0].not_valid_after_utc
        assert end_of(place.spec.settings.tls_address()) == ends


def test_where_a_store_shows_a_certificate():
    assert https_address("https://reed.example/dav") == TlsAddress("reed.example", 443)
    assert https_address("https://reed.example:8443") == TlsAddress("reed.example", 8443)
    assert https_address("http://reed.example") is None


# Each row of docs/watch.md, opened and closed by real runs ------------------------------------


def test_a_run_that_reached_none_of_its_stores_says_so_until_a_copy_is_taken(valley, tmp_path):
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


def test_a_copy_that_another_store_brought_ends_it_too(valley, tmp_path):
    client, parts = valley
    (tmp_path / "cellar").rename(tmp_path / "away")
    assert run(client, "nightly").outcome == "partial"
    assert "store unreachable" in texts(parts)
    (tmp_path / "away").rename(tmp_path / "cellar")
    for number in client.stores_transfer("cellar", "").ids:
        until(lambda number=number: client.maintenance_show(number).state == "ended")
    assert "store unreachable" not in texts(parts) and "partly failed run" in texts(parts)


def test_accounts_that_come_and_go_are_said_until_they_are_accepted(valley, tmp_path):
    client, parts = valley
    host = client.hosts_show("reed-1").model_dump(include=set(HostFields.model_fields))
    host["finding"] = {"homes": [f"{tmp_path}/homes/{{account}}"]}
    client.hosts_change("reed-1", HostInput(**host))
    (tmp_path / "homes/lanternchoir").mkdir(parents=True)
    parts.housekeeper.find_accounts()
    found = texts(parts)
    assert "1 new account (lanternchoir)" in found["discovery"]
    rows = {row.name: row for row in client.every(client.coverage_list)}
    assert rows["lanternchoir"].kind == "account"
    client.hosts_take_over("reed-1")
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
    assert "1 account that is gone (lanternchoir)" in texts(parts)["discovery"]
    client.hosts_take_over("reed-1")
    assert "discovery" not in texts(parts)


def test_hosts_are_looked_through_once_a_day_and_before_jobs_of_all_accounts(valley, tmp_path):
    client, parts = valley
    host = client.hosts_show("reed-1").model_dump(include=set(HostFields.model_fields))
    host["finding"] = {"homes": [f"{tmp_path}/homes/{{account}}"]}
    client.hosts_change("reed-1", HostInput(**host))

    def seen(hours: float) -> datetime:
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


def test_a_database_user_that_does_not_see_all_is_said(valley, running, mariadb, tmp_path):
    client, parts = valley
    mariadb.run(
        "CREATE OR REPLACE USER blind@localhost IDENTIFIED BY 'ledger'",
        "CREATE DATABASE IF NOT EXISTS unseen_shop",
    )
    host = client.hosts_show("reed-1").model_dump(include=set(HostFields.model_fields))
    host["finding"] = {"homes": [f"{tmp_path}/homes/{{account}}"], "by_grants": False}
    host["servers"] = [{"kind": "mariadb", "socket": mariadb.socket, "user": "blind"}]
    client.hosts_change("reed-1", HostInput(**host, secrets={"mariadb_password": "ledger"}))
    grant = "GRANT SELECT, SHOW VIEW, TRIGGER, EVENT ON *.* TO 'blind'@'localhost'"
    said = running.cli("hosts", "change", "reed-1", "--mariadb-user", "blind")
    assert said.returncode == 0 and f"Run: {grant}" in said.stderr, said
    rights = [step for step in client.hosts_try("reed-1").steps if step.name == "rights"]
    assert rights[0].ok and grant in rights[0].way_out
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


def _text(row):
    return SimpleNamespace(text=row if isinstance(row, str) else row.text)


def test_a_wrong_database_password_costs_the_databases_alone(valley, mariadb):
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
