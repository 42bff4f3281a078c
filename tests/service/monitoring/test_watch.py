"""The standing checks over a real service: each opens an alert, and closes it when it is over."""

from __future__ import annotations

import os
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import httpx
import servers
from cryptography import x509
from running import run, until
from watched import change, send_by, texts

from fasciculus.demo.mailbox import MailboxStandIn
from fasciculus.models import (
    AccountInput,
    WatchSettings,
)
from fasciculus.records.messages import certificates
from fasciculus.service.background import scheduler as scheduler_module
from fasciculus.service.monitoring.certificates import end_of
from fasciculus.stores.base import TlsAddress, https_address


def test_a_failed_run_is_an_alert_until_the_next_good_one(valley: Any, tmp_path: Path) -> None:
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
    ], "a job that has never run is not reported, and the rest is in reports"


def test_a_store_that_takes_no_copy(valley: Any, tmp_path: Path) -> None:
    client, parts = valley
    (tmp_path / "cellar").rename(tmp_path / "away")
    run(client, "nightly")
    found = texts(parts)
    assert "Store cellar took no copy" in found["store unreachable"]
    assert found["partly failed run"] == "Job nightly: a copy is missing."
    assert "store lagging" not in found, "not before it has lasted"
    found = texts(parts, datetime.now(UTC) + timedelta(hours=25))
    assert found["store lagging"] == "Store cellar lacks 1 bundle of its jobs."


def test_a_stopped_scheduler_is_seen_within_a_minute_on_every_face(
    valley: Any, running: Any
) -> None:
    client, parts = valley
    assert scheduler_module._LATE + 15 <= 60
    parts.scheduler.stop()
    assert "scheduler does not run" in texts(parts)["scheduler"]
    assert not client.overview().scheduler_alive
    said = running.cli("status")
    assert said.returncode == 1 and "The scheduler does not run" in said.stdout
    health = httpx.get(f"{running.url}/health", trust_env=False)
    assert health.status_code == 503 and health.json()["checks"]["scheduler"] is False


def test_bundles_that_are_unlike_those_before_them(valley: Any, tmp_path: Path) -> None:
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


def test_very_many_changes_stay_an_alert_and_keep_the_copies_before_them(
    valley: Any, tmp_path: Path
) -> None:
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
    assert "No older copy retires until" in " ".join(worst.tasks[0].warnings)
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


def test_what_no_job_covers_and_certificates_that_end(valley: Any, tmp_path: Path) -> None:
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


def test_people_are_told_once_of_the_beginning_and_once_of_the_end(
    valley: Any, tmp_path: Path
) -> None:
    client, parts = valley
    mailbox = MailboxStandIn(tmp_path / "mailbox")
    send_by(client, mailbox)
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


def closed_store(messages: Any) -> Any:
    """The title about the store; its reason names a folder of the test."""
    (found,) = [t for m in messages if "Store cellar" in (t := m["subject"].partition("] ")[2])]
    assert found.startswith("alert closed: Store cellar took no copy the last time")
    return found


def test_in_quiet_hours_neither_a_beginning_nor_an_end_wakes_anybody(
    valley: Any, tmp_path: Path
) -> None:
    client, parts = valley
    change(client, report_to=[])
    client.watch_change(
        WatchSettings(recipients=["night@sedge.example"], quiet="22:00-06:00", lag_hours=720)
    )
    noon = datetime.now(UTC).replace(hour=12)
    run(client, "nightly")
    (tmp_path / "cellar").rename(tmp_path / "away")
    run(client, "nightly")

    def titles() -> Any:
        return [row.title for row in client.reports_list().items]

    texts(parts, noon.replace(hour=23))
    assert titles() == [] and client.alerts_list(state="open").total == 2
    texts(parts, noon + timedelta(days=1))
    assert titles() == ["[Fasciculus] 2 alerts: 2 opened"]
    until(lambda: all(row.attempts for row in client.outbox_list().items))
    (tmp_path / "away").rename(tmp_path / "cellar")
    run(client, "nightly")
    texts(parts, noon.replace(hour=23) + timedelta(days=1))
    assert len(titles()) == 1 and client.alerts_list(state="open").total == 0
    for hours in (36, 37):
        texts(parts, noon + timedelta(hours=hours + 12))
    # The missing mail server is a separate alert by then.
    assert titles()[0] == "[Fasciculus] 3 alerts: 1 opened, 2 closed" and len(titles()) == 2


def test_the_end_of_a_certificate_is_read_off_the_server(tmp_path: Path) -> None:
    with servers.ftp_place(tls=True)(tmp_path) as place:
        pem = (tmp_path / "server.pem").read_bytes()
        ends = x509.load_pem_x509_certificates(pem)[0].not_valid_after_utc
        assert end_of(place.spec.settings.tls_address()) == ends


def test_where_a_store_shows_a_certificate() -> None:
    assert https_address("https://reed.example/dav") == TlsAddress("reed.example", 443)
    assert https_address("https://reed.example:8443") == TlsAddress("reed.example", 8443)
    assert https_address("http://reed.example") is None
