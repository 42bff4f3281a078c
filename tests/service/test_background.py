"""One odd row, or one exception, costs itself: background work goes on, and the row is named."""

from __future__ import annotations

import sqlite3
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import httpx
import pytest
from running import folder_stores, run, service, set_up, small_account, until
from sample_records import SampleRecords
from web_hook import webhook

from fasciculus.channels import smtp
from fasciculus.core.errors import SettingError
from fasciculus.fields import deliverable_address
from fasciculus.models import (
    HostInput,
    JobInput,
    MailServer,
)
from fasciculus.records.messages import reports
from fasciculus.records.messages.reports import NewReport
from fasciculus.service.background import digests
from fasciculus.service.background.loop import BackgroundLoop
from fasciculus.service.background.outbox import Outbox
from fasciculus.service.background.scheduler import Scheduler
from fasciculus.service.monitoring.checks import Watched
from fasciculus.service.settings.kind_settings import channel_spec
from fasciculus.service.settings.mail_settings import save_mail_server
from fasciculus.service.tasks.backups import RunStart
from fasciculus.service.tasks.queue import Paused


def looping(steps: dict[Any, Any], pause: Callable[..., Any] = lambda: 0.01) -> BackgroundLoop:
    found = BackgroundLoop("test", steps, pause)
    found.start()
    return found


def test_a_step_that_fails_costs_itself_and_is_named_until_it_goes_well() -> None:
    done, broken = [], [True]

    def odd() -> None:
        if broken[0]:
            raise UnicodeError("label too long")

    loop = looping({"odd": odd, "even": lambda: done.append(1)})
    until(lambda: len(done) > 1)
    assert loop.troubles == ["odd: UnicodeError: label too long"]
    assert loop.alive and not loop.works
    broken.clear(), broken.append(False)
    loop.wake()
    until(lambda: loop.works)
    assert loop.troubles == []
    loop.stop()
    assert not loop.alive


def test_a_row_that_fails_costs_itself() -> None:
    done, odd = [], {2}

    def work(row: int) -> None:
        if row in odd:
            raise sqlite3.OperationalError("no such column")
        done.append(row)

    loop = BackgroundLoop("test", {}, lambda: 1.0)
    loop.each("row", [1, 2, 3], lambda row: row, work)
    assert done == [1, 3] and loop.troubles == ["row 2: OperationalError: no such column"]
    odd.clear()
    loop.each("row", [1, 2, 3], lambda row: row, work)
    assert loop.troubles == []


def test_a_loop_outlives_a_pause_that_cannot_be_found() -> None:
    rounds = []

    def pause() -> float:
        if len(rounds) < 2:
            raise ValueError("no time")
        return 0.01

    loop = looping({"count": lambda: rounds.append(1)}, pause)
    until(lambda: rounds)
    loop.wake()
    until(lambda: len(rounds) > 3)
    loop.stop()


# Mail ---------------------------------------------------------------------------------

ODD = (
    "gärtner@millpond.example", "duty@" + "a" * 64 + ".example", "duty@mill..example",
    "duty@-mill.example", "duty@" + "x." * 130 + "example", "du\x00ty@mill.example",
)  # fmt: skip


@pytest.mark.parametrize("address", ODD)
def test_an_address_that_no_mail_can_be_sent_to_is_refused(address: str) -> None:
    with pytest.raises(SettingError, match="is not an e-mail address"):
        deliverable_address(address)


def test_a_domain_with_letters_beyond_ascii_goes_out_in_its_ascii_form() -> None:
    assert deliverable_address("duty@mühle.example") == "duty@xn--mhle-0ra.example"
    assert deliverable_address("root@localhost") == "root@localhost"


class Smtp:
    """Takes everything, as a real connection would."""

    taken: list = []

    def __init__(self, *_: Any, **__: Any) -> None:
        pass

    def __enter__(self) -> Smtp:
        return self

    def __exit__(self, *_: Any) -> None:
        pass

    def login(self, user: str, password: str) -> None:
        password.encode("ascii")

    def sendmail(self, sender: str, recipients: list[str], message: bytes) -> dict[Any, Any]:
        for address in [sender, *recipients]:
            address.encode("ascii")
        Smtp.taken.append((recipients, message))
        return {}


@pytest.fixture
def outbox(
    heronmere: SampleRecords, monkeypatch: pytest.MonkeyPatch, in_this_process: Any
) -> Outbox:
    Smtp.taken = []
    monkeypatch.setattr(smtp.smtplib, "SMTP", Smtp)
    with heronmere.records.write() as db:
        new = MailServer(address="mail.example", security="none", sender="duty@heronmere.example")
        save_mail_server(db, heronmere.cipher, new)
    return Outbox(heronmere.records, heronmere.cipher, heronmere.events)


def add(heronmere: SampleRecords, *recipients: str, channel: str = "") -> int:
    with heronmere.records.write() as db:
        new = NewReport("run", "t", "", "", b"message", list(recipients), channel)
        return reports.add(db, new)


@pytest.mark.parametrize("address", ODD)
def test_one_odd_address_holds_up_nobody(
    heronmere: SampleRecords, outbox: Outbox, address: str
) -> None:
    first = add(heronmere, address, "duty@ferryline.example")
    alone = add(heronmere, address)
    behind = add(heronmere, "office@millpond.example")
    outbox.send_due()
    assert [to for to, _ in Smtp.taken] == [["duty@ferryline.example"], ["office@millpond.example"]]
    left = {row.id: row for row in reports.outbox(heronmere.db)}
    assert first not in left and behind not in left
    assert left[alone].attempts == 1 and "is not an e-mail address" in left[alone].last_error
    assert [row.recipients for row in left.values() if row.id != alone] == [[address]]


def test_an_exception_that_nobody_expected_delays_that_message_alone(
    heronmere: SampleRecords, outbox: Outbox, monkeypatch: pytest.MonkeyPatch
) -> None:
    send = smtp.send

    def odd(
        config: MailServer, secret: str, sender: str, recipients: list[str], message: bytes
    ) -> dict[Any, Any]:
        if "odd@mill.example" in recipients:
            raise KeyError("label")
        return send(config, secret, sender, recipients, message)

    monkeypatch.setattr(smtp, "send", odd)
    number = add(heronmere, "odd@mill.example")
    add(heronmere, "office@millpond.example")
    outbox.send_due()
    assert len(Smtp.taken) == 1
    (left,) = reports.outbox(heronmere.db)
    assert left.id == number and "KeyError" in left.last_error and left.attempts == 1
    assert outbox.loop.troubles == [f"report {number}: KeyError: 'label'"]


def test_a_report_that_cannot_be_read_is_put_off_and_given_up_in_time(
    heronmere: SampleRecords, outbox: Outbox
) -> None:
    number = add(heronmere, "odd@mill.example")
    with heronmere.records.write() as db:
        db.execute("UPDATE report SET recipients='no list' WHERE id=?", (number,))
    add(heronmere, "office@millpond.example")
    outbox.send_due()
    assert len(Smtp.taken) == 1 and "report" in outbox.loop.troubles[0]
    with heronmere.records.write() as db:
        long_ago = (datetime.now(UTC) - timedelta(days=90)).isoformat()
        db.execute("UPDATE report SET at=?, next_try=? WHERE id=?", (long_ago, long_ago, number))
    outbox.send_due()
    state = heronmere.db.execute("SELECT state FROM report WHERE id=?", (number,)).fetchone()[0]
    assert state == "undeliverable"


def test_a_password_with_letters_beyond_ascii_is_named(
    heronmere: SampleRecords, outbox: Outbox
) -> None:
    with heronmere.records.write() as db:
        new = MailServer(
            address="mail.example", security="none", sender="duty@heronmere.example",
            user="duty", password="rüder",
        )  # fmt: skip
        save_mail_server(db, heronmere.cipher, new)
    add(heronmere, "office@millpond.example")
    outbox.send_due()
    (left,) = reports.outbox(heronmere.db)
    assert "the password has letters that mail servers do not take" in left.last_error


@pytest.mark.parametrize(
    "url",
    ["https://" + "a" * 64 + ".example/x", "https://a..example/", "https:///x", "http://a b/"],
)
def test_a_webhook_that_cannot_be_called_is_refused_when_it_is_saved(url: str) -> None:
    with pytest.raises(ValueError, match="Write an address"):
        channel_spec(new := webhook("chat", url), new.secrets)


def test_what_waits_is_removed_and_a_failing_outbox_shows(tmp_path: Path) -> None:
    with service(tmp_path / "home") as running:
        client = running.client()
        parts = running.parts
        with parts.records.write() as db:
            number = reports.add(db, NewReport("run", "t", "", "", b"m", ["a@mill.example"]))
            old = (datetime.now(UTC) - timedelta(hours=2)).isoformat()
            db.execute("UPDATE report SET at=?, attempts=3 WHERE id=?", (old, number))
        health = httpx.get(f"{running.url}/health")
        assert health.status_code == 503 and health.json()["checks"]["outbox"] is False
        said = running.cli("reports", "remove", str(number), "--yes")
        assert said.returncode == 0, said
        assert client.outbox_list().items == []
        assert httpx.get(f"{running.url}/health").status_code == 200
        assert running.cli("reports", "remove", str(number), "--yes").returncode == 5


# Rows of jobs, stores, hosts ---------------------------------------------------------------


class Starts:
    def __init__(self, odd: list[str] | tuple[Any, ...] = ()) -> None:
        self.started, self.odd = [], set(odd)

    def start_run(self, start: RunStart) -> None:
        if start.job in self.odd:
            raise ValueError("something odd")
        self.started.append(start.job)

    def start_maintenance(self, kind: Any, store: Any, by: Any, options: Any) -> None:
        self.started.append(store)

    def pause(self, paused: Paused) -> None:
        pass


def spoil(heronmere: SampleRecords, table: str, name: str) -> None:
    with heronmere.records.write() as db:
        db.execute(f"UPDATE {table} SET document='{{\"name\": 7}}' WHERE name=?", (name,))


def test_a_job_that_cannot_be_read_starts_no_other_later(heronmere: SampleRecords) -> None:
    for name in ("odd", "even"):
        heronmere.job(name, timetable="* * * * *")
    spoil(heronmere, "job", "odd")
    starts = Starts()
    scheduler = Scheduler(heronmere.records, starts, lambda number: None)
    before = datetime.now(UTC).replace(second=0)
    scheduler.renew(before)
    scheduler.tick(before + timedelta(minutes=2))
    assert starts.started == ["even"]


def test_a_start_that_fails_is_tried_again_and_holds_up_no_other(heronmere: SampleRecords) -> None:
    for name in ("a-odd", "even"):
        heronmere.job(name, timetable="* * * * *")
    starts = Starts(odd=["a-odd"])
    scheduler = Scheduler(heronmere.records, starts, lambda number: None)
    before = datetime.now(UTC).replace(second=0)
    scheduler.renew(before)
    scheduler.tick(before + timedelta(minutes=2))
    assert starts.started == ["even"]
    assert scheduler.loop.troubles == ["start of a-odd: ValueError: something odd"]
    starts.odd.clear()
    scheduler.tick(before + timedelta(minutes=2, seconds=5))
    assert starts.started == ["even", "a-odd"] and scheduler.loop.troubles == []


def test_a_start_that_fails_for_an_hour_is_skipped_and_said(heronmere: SampleRecords) -> None:
    heronmere.job("odd", timetable="daily 02:15")
    told = []
    scheduler = Scheduler(heronmere.records, Starts(odd=["odd"]), told.append)
    before = datetime.now(UTC).replace(hour=12)
    scheduler.renew(before)
    for hours in (24, 24.5, 26):
        scheduler.tick(before + timedelta(hours=hours))
    assert len(told) == 1


def test_odd_rows_are_named_by_the_watch_and_cost_themselves(tmp_path: Path) -> None:
    with service(tmp_path / "home") as running:
        client = running.client()
        accounts = [small_account(tmp_path, name) for name in ("millpond", "ferryline")]
        set_up(client, accounts, folder_stores(tmp_path, "attic"))
        client.jobs_add(JobInput(name="odd", stores=["attic"], timetable="by hand"))
        client.hosts_add(HostInput(name="reed-2"))
        parts = running.parts
        with parts.records.write() as db:
            for table, name in (("job", "odd"), ("host", "reed-2")):
                db.execute(f"UPDATE {table} SET document='{{}}' WHERE name=?", (name,))
        texts = [row.text for row in parts.watch.found(datetime.now(UTC))]
        assert any("job “odd” cannot be read" in text for text in texts), texts
        assert any("host “reed-2” cannot be read" in text for text in texts), texts
        assert run(client, "nightly").outcome == "done"
        parts.housekeeper.find_accounts()
        assert digests.send_due(parts.records, parts.cipher, parts.reporter, datetime.now(UTC)) == 0


def test_a_check_that_fails_hides_no_other(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    from fasciculus.service.monitoring import checks

    def broken(watched: Watched) -> None:
        raise KeyError("odd")

    monkeypatch.setattr(checks, "CHECKS", (broken, *checks.CHECKS))
    with service(tmp_path / "home") as running:
        running.client().jobs_list()
        with running.parts.records.write() as db:
            db.execute(
                "INSERT INTO job (name, document, enabled, created) VALUES ('x', '{}', 1, '')"
            )
        rows = running.parts.watch.found(datetime.now(UTC))
        assert {row.key for row in rows} >= {"check broken", "odd job x"}
