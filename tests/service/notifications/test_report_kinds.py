"""Kinds of reports: recoveries, contacts, digests, webhooks, custom templates."""

from __future__ import annotations

import base64
import hashlib
import hmac
import json
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import pytest
from running import Service, folder_stores, run, service_process, set_up, small_account, until
from sample_records import START, SampleRecords
from web_hook import Hook, webhook

from fasciculus.client import ClientError
from fasciculus.client.client import Client
from fasciculus.core.reports.run_report import RunReport
from fasciculus.demo.mailbox import MailboxStandIn
from fasciculus.models import (
    ChannelInput,
    JobInput,
    KindSettings,
    MailServer,
    WebhookMessage,
)
from fasciculus.records import history, settings
from fasciculus.records.db import stamp
from fasciculus.records.jobs import jobs
from fasciculus.records.messages import reports
from fasciculus.records.runs import runs
from fasciculus.service.background import digests
from fasciculus.service.notifications.reporter import Reporter

DUTY = "duty@sedge-quill.example"


@pytest.fixture
def client(running: Service, mailbox: MailboxStandIn, tmp_path: Path) -> Iterator[Client]:
    with running.client() as found:
        accounts = [small_account(tmp_path, name) for name in ("millpond", "ferryline")]
        accounts[0].contact = "potter@millpond.example"
        accounts[1].contact = "captain@ferryline.example"
        set_up(found, accounts, folder_stores(tmp_path, "attic"))
        mail_to(found, mailbox.port)
        yield found


def mail_to(client: Client, port: int, **more: Any) -> None:
    address = {"address": "127.0.0.1", "port": port, "security": "none"}
    client.mail_change(MailServer(**address, sender="fasciculus@sedge-quill.example", **more))


def change(client: Client, **fields: Any) -> None:
    job = client.jobs_show("nightly").model_dump(include=set(JobInput.model_fields))
    client.jobs_change("nightly", JobInput(**{**job, **fields}))


def test_a_recovery_is_told_once(client: Client, mailbox: MailboxStandIn, tmp_path: Path) -> None:
    change(client, report_to=[DUTY], report_when="recovery")
    run(client, "nightly")
    (tmp_path / "millpond").rename(tmp_path / "away")
    run(client, "nightly")
    (tmp_path / "away").rename(tmp_path / "millpond")
    for _ in range(3):
        run(client, "nightly")
    found = until(lambda: mailbox.messages()[1:] and mailbox.messages())
    assert [m["subject"].split(": ")[1].split(" ")[0] for m in found] == ["failed", "done"]


def test_a_contact_sees_its_own_account_alone(
    client: Client, mailbox: MailboxStandIn, tmp_path: Path
) -> None:
    change(client, report_contacts="trouble", attach_log="trouble")
    (tmp_path / "millpond").rename(tmp_path / "away")
    run(client, "nightly")
    (message,) = until(mailbox.messages)
    assert message["to"] == "potter@millpond.example"
    assert "ferryline" not in message.as_string() and "millpond" in message.as_string()
    (attached,) = message.iter_attachments()
    assert "home folder" in attached.get_content() and "ferryline" not in attached.get_content()
    change(client, report_contacts="always", attach_log="never")
    (tmp_path / "away").rename(tmp_path / "millpond")
    run(client, "nightly")
    both = until(lambda: len(mailbox.messages()) == 3 and mailbox.messages()[1:])
    assert {m["to"] for m in both} == {"potter@millpond.example", "captain@ferryline.example"}
    assert not any(list(m.iter_attachments()) for m in both)


def test_a_digest_has_all_runs_of_the_time_and_comes_once(
    client: Client, running: Service, mailbox: MailboxStandIn, tmp_path: Path
) -> None:
    parts = running.parts
    change(client, report_to=[DUTY], report_when="daily", zone="Europe/London")
    args = (parts.records, parts.cipher, parts.reporter)
    assert digests.send_due(*args, datetime.now(UTC)) == 0, "the first one comes tomorrow"
    run(client, "nightly")
    (tmp_path / "millpond").rename(tmp_path / "away")
    run(client, "nightly")
    assert reports.due(parts.records.reader) == [] and mailbox.messages() == []
    tomorrow = datetime.now(UTC) + timedelta(days=1)
    assert [digests.send_due(*args, tomorrow) for _ in range(3)] == [1, 0, 0]
    parts.outbox.wake()
    (message,) = until(mailbox.messages)
    assert "daily digest: 1 of 2 runs not done" in message["subject"]
    text = message.get_body(("plain",)).get_content()
    html = message.get_body(("html",)).get_content()
    for part in (text, html):
        assert "1 of 2 runs done; run 2 failed" in part and "attic" in part
    assert digests.send_due(*args, tomorrow + timedelta(days=1)) == 1, "with no run, it says so"


def test_a_webhook_gets_signed_json_and_shows_its_answer(client: Client, hook: Hook) -> None:
    secret = "whsec_" + base64.b64encode(b"reed and sedge").decode()
    client.channels_save(webhook("bell", hook.url, secret))
    answer = client.channels_try("bell")
    assert answer.ok and (answer.status, answer.body) == (200, "taken, thank you")
    change(client, channels=["bell"])
    done = run(client, "nightly")
    headers, body = until(lambda: hook.taken[1:])[0]
    signed = f"{headers['webhook-id']}.{headers['webhook-timestamp']}.".encode() + body
    expected = base64.b64encode(hmac.new(b"reed and sedge", signed, hashlib.sha256).digest())
    assert headers["webhook-signature"] == "v1," + expected.decode()
    message = WebhookMessage.model_validate_json(body)
    assert (message.event, message.run, message.outcome) == ("run", done.id, "done")
    assert {task.subject for task in message.tasks} == {"millpond", "ferryline"}
    assert [(s.name, s.copies) for s in message.stores] == [("attic", 2)]
    (shown,) = client.channels_list().items
    assert (
        shown.secrets_set == ["secret", "url"]
        and shown.jobs == ["nightly"]
        and "secret-part" not in str(shown)
    )
    with pytest.raises(ClientError, match="gets the reports of job nightly"):
        client.channels_remove("bell")
    # Secrets that are omitted stay; a bad answer is tried again.
    client.channels_save(
        ChannelInput(name="bell", settings=KindSettings(kind="chat", field="text"))  # type: ignore[call-arg]
    )
    hook.status = 503
    assert not client.channels_try("bell").ok
    run(client, "nightly")
    (waiting,) = until(lambda: [r for r in client.outbox_list().items if r.attempts])
    assert waiting.channel == "bell" and "503" in waiting.last_error
    assert "secret-part" not in waiting.last_error
    hook.status, before = 200, len(hook.taken)
    client.outbox_send()
    headers, body = until(lambda: hook.taken[before:])[0]
    assert set(json.loads(body)) == {"text"} and "webhook-signature" not in headers


def test_a_channel_may_have_words_of_its_own_in_json(client: Client, hook: Hook) -> None:
    template = '{"blocks": [{{ message.title | tojson }}, {{ message.tasks | length }}]}'
    client.channels_save(webhook("chat", hook.url, template=template))
    assert client.channels_try("chat").ok
    assert json.loads(hook.taken[0][1]) == {"blocks": ["[Fasciculus] test message", 0]}
    for wrong in ("{{ message.title }}", "{{ nothing }}", "{% for %}", "{{ 1/0 }}"):
        with pytest.raises(ClientError) as caught:
            client.channels_save(webhook("chat", hook.url, template=wrong))
        assert caught.value.field == "settings.template"


def test_a_channel_of_the_previous_form_is_taken_for_one_version(
    client: Client, hook: Hook
) -> None:
    for form in ("message", "content", "template"):
        more = {"template": "[1]"} if form == "template" else {}
        former = {"name": form, "url": hook.url, "form": form, "secret": "x", **more}
        client.channels_save(ChannelInput.model_validate(former))
        assert client.channels_try(form).ok
    kinds = {row.name: row.settings.kind for row in client.channels_list().items}
    assert kinds == {"message": "webhook", "content": "chat", "template": "webhook"}


def test_a_mail_channel_writes_to_its_addresses(client: Client, mailbox: MailboxStandIn) -> None:
    """With the log and the HTML, as mail to people has them; one address may be refused."""
    office = "office@sedge-quill.example"
    mail = KindSettings(kind="mail", recipients=f"{office}; {DUTY}")  # type: ignore[call-arg]
    client.channels_save(ChannelInput(name="office", settings=mail))
    assert client.channels_try("office").ok
    change(client, channels=["office"], report_to=[], attach_log="always")
    run(client, "nightly")
    _, message = until(lambda: mailbox.messages()[1:] and mailbox.messages())
    assert message["to"] == f"{office}, {DUTY}"
    parts = {part.get_content_type() for part in message.walk()}
    assert {"text/plain", "text/html"} <= parts
    assert any(part.get_filename() for part in message.walk()), "the log goes along"
    (row,) = client.channels_list().items
    assert row.where == f"{office}, {DUTY}"
    sent = until(lambda: [r for r in client.reports_list().items if r.state == "sent"])
    assert sent[0].channel == "office" and sent[0].recipients == [office, DUTY]
    for wrong, field in (
        ({"kind": "mail", "recipients": ""}, "settings.recipients"),
        ({"kind": "mail", "recipients": "nobody"}, "settings.recipients"),
        ({"kind": "mail", "recipients": DUTY, "port": 0}, "settings.port"),
        ({"kind": "webhook"}, "secrets.url"),
        ({"kind": "pigeon"}, "settings.kind"),
    ):
        with pytest.raises(ClientError) as caught:
            client.channels_save(ChannelInput(name="new", settings=KindSettings(**wrong)))
        assert caught.value.field == field, caught.value


def test_the_words_of_a_report_can_be_changed_tried_and_brought_back(
    client: Client, mailbox: MailboxStandIn
) -> None:
    change(client, report_to=[DUTY])
    run(client, "nightly")
    until(mailbox.messages)
    ours = client.templates_show("report.txt")
    assert not ours.changed and "{{ report.sentence }}" in ours.text
    own = "Good morning. {{ report.job }} {{ report.outcome_words }}.\n"
    assert client.templates_change("report.txt", own).changed
    assert client.templates_preview("report.txt").text == "Good morning. nightly done."
    assert client.jobs_report("nightly").text.startswith("Good morning.")
    assert client.jobs_report_try("nightly", "night@sedge-quill.example").ok
    message = until(lambda: mailbox.messages()[1:])[0]
    assert message["to"] == "night@sedge-quill.example"
    assert message.get_body(("plain",)).get_content().startswith("Good morning. nightly done.")
    for wrong in (
        "{{ report.nothing }}",
        "{% if %}",
        "{{ report.__class__.__mro__ }}",
        "{{ ''.__class__.__base__.__subclasses__() }}",
    ):
        with pytest.raises(ClientError) as caught:
            client.templates_change("report.txt", wrong)
        assert caught.value.field == "text"
    assert not client.templates_change("report.txt", None).changed
    with pytest.raises(ClientError, match=r"There is no template frame\.html"):
        client.templates_show("frame.html")
    assert len([t for t in client.templates_list().items if not t.changed]) == 10
    for place, wanted in (("job/nightly", 200), ("report/1", 200), ("template/digest.html", 200)):
        # Raw calls with the client's token: pages are shown in a frame, not by the client.
        answer = client._http.get(f"/api/v1/messages/{place}")
        assert answer.status_code == wanted and "<body style=" in answer.text
        assert answer.headers["content-security-policy"].startswith("sandbox; default-src 'none'")
        assert answer.headers["x-frame-options"] == "SAMEORIGIN"
    for place in ("report/9999", "report/x", "job/none", "template/x.html", "letter/1"):
        assert client._http.get(f"/api/v1/messages/{place}").status_code == 404
    for template in client.templates_list().items:
        assert client.templates_preview(template.name).title.startswith("[Fasciculus]")


def test_a_template_that_fails_later_is_not_the_end_of_reports(heronmere: SampleRecords) -> None:
    reporter = Reporter(heronmere.config, heronmere.records, heronmere.cipher, heronmere.events)
    with heronmere.records.write() as db:
        settings.put(db, "templates", {"report.txt": "{{ report.tasks[0].subject }}"})
    report = RunReport(1, "nightly", "done", START, START, "UTC", "test", [])
    text, html = reporter.messages.rendered(heronmere.db, "report", report)
    assert "Job:      nightly" in text and "nightly" in html


def test_a_day_without_a_mail_server_and_two_kills_bring_each_report_once(tmp_path: Path) -> None:
    """Clocks in the records stand for the day: what waits is made due again."""
    mailbox = MailboxStandIn(tmp_path / "first")
    port = mailbox.port
    mailbox.close()
    with service_process(tmp_path / "home") as running:
        with running.client() as client:
            set_up(
                client,
                [small_account(tmp_path, "millpond")],
                folder_stores(tmp_path, "attic"),
                report_to=[DUTY],
            )
            mail_to(client, port)
            for number in range(3):
                run(client, "nightly")
                if number < 2:
                    running.kill()
                    running.start()
            waiting = until(
                lambda: (
                    len(rows := client.outbox_list().items) == 3
                    and all(row.attempts for row in rows)
                    and rows
                )
            )
            assert "cannot be reached" in waiting[0].last_error
            mailbox = MailboxStandIn(tmp_path / "again", port)
            client.outbox_send()
            until(lambda: client.outbox_list().total == 0)
            found = [message["subject"] for message in mailbox.messages()]
            assert sorted(found) == [f"[Fasciculus] nightly: done (run {n})" for n in (1, 2, 3)]
            client.outbox_send()
            assert len(mailbox.messages()) == 3
            mailbox.close()


def test_records_age_out_but_what_goes_on_and_the_last_of_each_stays(
    heronmere: SampleRecords,
) -> None:

    job = heronmere.job()
    with heronmere.records.write() as db:
        for number in range(3):
            run_id = runs.add(db, job, "test", [])
            runs.end(db, run_id, "done", "")
            old = stamp(datetime.now(UTC) - timedelta(days=500 - number))
            db.execute("UPDATE run SET ended=? WHERE id=?", (old, run_id))
        runs.add(db, jobs.job(db, "nightly"), "test", [])
        assert history.forget(db, datetime.now(UTC) - timedelta(days=400)) == 2
    left = [row["id"] for row in heronmere.db.execute("SELECT id FROM run ORDER BY id")]
    assert left == [3, 4]
