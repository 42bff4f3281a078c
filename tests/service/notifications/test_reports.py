"""Reports: written, sent, waiting, and sent later."""

from __future__ import annotations

import os
import ssl
import subprocess
from pathlib import Path
from typing import Any

import pytest
from running import Service, folder_stores, run, set_up, sftp_store, small_account, until

from fasciculus.demo.mailbox import MailboxStandIn
from fasciculus.demo.sftp import SftpStandIn
from fasciculus.models import InPlace, MailServer, RestoreStart


def mail_to(port: int, **more: Any) -> MailServer:
    return MailServer(
        **{
            "address": "127.0.0.1",
            "port": port,
            "security": "none",
            "sender": "fasciculus@sedge-quill.example",
            **more,
        }
    )


def test_a_report_arrives_with_the_log_on_trouble(
    running: Service, stand_in: SftpStandIn, mailbox: MailboxStandIn, tmp_path: Path
) -> None:
    with running.client() as client:
        set_up(
            client,
            [small_account(tmp_path, "millpond"), small_account(tmp_path, "ferryline")],
            [sftp_store(stand_in)],
            report_to=["duty@sedge-quill.example", "night@sedge-quill.example"],
        )
        client.mail_change(mail_to(mailbox.port))
        assert client.mail_try("duty@sedge-quill.example").ok
        good = run(client, "nightly")
        message = until(lambda: mailbox.messages()[1:])[0]
        assert message["subject"] == f"[Fasciculus] nightly: done (run {good.id})"
        assert message["to"] == "duty@sedge-quill.example, night@sedge-quill.example"
        text = message.get_body(("plain",)).get_content()
        html = message.get_body(("html",)).get_content()
        for part in (text, html):
            assert good.sentence in part and "millpond" in part and "1 kept" in part
        assert list(message.iter_attachments()) == []
        os.rename(tmp_path / "ferryline", tmp_path / "moved")
        run(client, "nightly")
        message = until(lambda: mailbox.messages()[2:])[0]
        assert "failed" in message["subject"]
        (attached,) = message.iter_attachments()
        assert "home folder" in attached.get_content() and attached.get_filename().endswith(".log")
        shown = client.reports_show(client.reports_list().items[0].id)
        assert (
            shown.html.strip()
            == message.get_body(("html",)).get_content().replace("\r\n", "\n").strip()
        )
        assert "<script" not in shown.html and shown.sent is not None
        # Only on trouble: a good run then sends nothing.
        os.rename(tmp_path / "moved", tmp_path / "ferryline")
        client.jobs_change(
            "nightly", client.jobs_show("nightly").model_copy(update={"report_when": "trouble"})
        )
        run(client, "nightly")
        assert client.reports_list().total == 2


def test_what_cannot_be_sent_waits_and_arrives_later(
    running: Service, stand_in: SftpStandIn, tmp_path: Path
) -> None:
    mailbox = MailboxStandIn(tmp_path / "first")
    port = mailbox.port
    with running.client() as client:
        set_up(
            client,
            [small_account(tmp_path, "millpond")],
            [sftp_store(stand_in)],
            report_to=["duty@sedge-quill.example"],
        )
        client.mail_change(mail_to(port))
        mailbox.close()
        assert run(client, "nightly").outcome == "done"
        waiting = until(lambda: [r for r in client.outbox_list().items if r.attempts])
        assert "cannot be reached" in waiting[0].last_error
        assert any("could not be sent yet" in row.text for row in client.overview().attention)
        assert "waits" in running.cli("reports", "list").stdout
        running.stop()
        running.start()
        again = MailboxStandIn(tmp_path / "second", port)
        assert running.cli("reports", "send").stdout.startswith("Sending 1 message")
        assert until(again.messages)[0]["subject"].startswith("[Fasciculus] nightly: done")
        until(lambda: client.outbox_list().total == 0)
        again.close()


def test_people_are_told_of_damage_once_and_of_its_repairing(
    running: Service, mailbox: MailboxStandIn, tmp_path: Path
) -> None:
    """To all whose jobs made the copies, also in jobs that report in trouble only."""
    stores = folder_stores(tmp_path, "attic", "cellar")
    with running.client() as client:
        set_up(
            client,
            [small_account(tmp_path, "millpond")],
            stores,
            report_to=["duty@sedge-quill.example"],
            report_when="trouble",
            zone="Europe/Vienna",
        )
        client.mail_change(mail_to(mailbox.port))
        run(client, "nightly")
        name = client.bundles_show(client.bundles_list().items[0].id).pieces[0].name
        in_attic, in_cellar = (
            tmp_path / store / "accounts/millpond/pieces" / name for store in ("attic", "cellar")
        )
        in_attic.unlink()
        assert running.cli("stores", "verify", "attic").returncode == 0
        found, repaired = until(lambda: len(mailbox.messages()) == 2 and mailbox.messages())  # type: ignore[misc]
        assert found["subject"] == "[Fasciculus] attic: damage found (millpond)"
        assert found["to"] == "duty@sedge-quill.example"
        for part in ("plain", "html"):
            text = found.get_body((part,)).get_content()
            assert (
                name in text
                and "missing" in text
                and "files/page-1.html" in text
                and "from cellar now" in text
            )
            assert "1 file repaired" in repaired.get_body((part,)).get_content()
        assert repaired["subject"] == "[Fasciculus] attic: damage repaired (millpond)"
        assert " CET" in found.get_body(("plain",)).get_content()
        in_attic.unlink()
        in_cellar.unlink()
        for _ in range(2):
            assert running.cli("stores", "verify", "attic").returncode == 1
        client.stores_repair("attic")
        until(lambda: len(mailbox.messages()) == 6)
        assert [message["subject"].split(": ")[1] for message in mailbox.messages()[2:]] == [
            "damage found (millpond)",
            *["damage not repaired (millpond)"] * 3,
        ]
        assert name in mailbox.messages()[-1].get_body(("html",)).get_content()
        assert client.reports_list().items[0].run is None


@pytest.fixture
def certificate(tmp_path: Path) -> Any:
    key, cert = tmp_path / "mail.key", tmp_path / "mail.crt"
    subprocess.run(
        [
            "openssl",
            "req",
            "-x509",
            "-newkey",
            "rsa:2048",
            "-nodes",
            "-keyout",
            key,
            "-out",
            cert,
            "-days",
            "2",
            "-subj",
            "/CN=localhost",
            "-addext",
            "subjectAltName=DNS:localhost,IP:127.0.0.1",
        ],
        check=True,
        capture_output=True,
    )
    return key, cert


def test_starttls_and_sign_in(
    tmp_path: Path, certificate: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    from fasciculus.channels import mail_message, smtp
    from fasciculus.core.errors import UnreachableError

    key, cert = certificate
    context = ssl.create_default_context(ssl.Purpose.CLIENT_AUTH)
    context.load_cert_chain(cert, key)
    box = MailboxStandIn(tmp_path / "box", user="fasciculus", password="stamp", tls=context)
    message = mail_message.compose(
        "a@sedge-quill.example", ["b@sedge-quill.example"], "t", "x", "<p>x</p>"
    )

    def send(secret: Any = "stamp", **more: Any) -> None:
        server = mail_to(box.port, security="starttls", user="fasciculus", **more)
        smtp.send(server, secret, "a@sedge-quill.example", ["b@sedge-quill.example"], message)

    with pytest.raises(UnreachableError, match="could not prove who it is"):
        send()
    monkeypatch.setenv("SSL_CERT_FILE", str(cert))
    with pytest.raises(UnreachableError, match="refused the sign-in") as caught:
        send("wrong-stamp")
    assert "wrong-stamp" not in str(caught.value)
    assert box.messages() == []
    send()
    assert len(box.messages()) == 1
    with pytest.raises(UnreachableError, match="does not speak TLS there"):
        smtp.send(mail_to(box.port, security="tls"), "", "a@b.example", ["b@b.example"], message)
    box.close()


def test_a_small_bundle_goes_along_and_counts_as_no_copy(
    running: Service, stand_in: SftpStandIn, mailbox: MailboxStandIn, tmp_path: Path
) -> None:
    with running.client() as client:
        accounts = [small_account(tmp_path, "millpond"), small_account(tmp_path, "ferryline")]
        (tmp_path / "ferryline/film.bin").write_bytes(os.urandom(200_000))
        told = {"report_to": ["duty@sedge-quill.example"], "attach_up_to": 100_000}
        set_up(client, accounts, [sftp_store(stand_in)], **told)
        client.mail_change(mail_to(mailbox.port))
        assert run(client, "nightly").outcome == "done"
        (message,) = until(lambda: mailbox.messages())
        (attached,) = message.iter_attachments()
        assert attached.get_filename().startswith("millpond.") and ".tar.zst" in str(attached)
        name = tmp_path / "piece.tar.zst"
        name.write_bytes(attached.get_content())
        listed = subprocess.run(["tar", "--zstd", "-tf", name], capture_output=True, text=True)
        assert "files/page-0.html" in listed.stdout
        bundles = client.bundles_list().items
        assert [len(bundle.copies) for bundle in bundles] == [1, 1]


def test_restores_are_reported_to_the_recipients_of_alerts(
    running: Service, tmp_path: Path
) -> None:
    with running.client() as client:
        set_up(client, [small_account(tmp_path, "millpond")], folder_stores(tmp_path, "attic"))
        run(client, "nightly")
        watch = client.watch_show()

        def restored(when: str, **more: Any) -> list[str]:
            client.watch_change(
                watch.model_copy(update={"recipients": ["duty@millpond.example"], "restores": when})
            )
            (tmp_path / "millpond/page-0.html").write_text(f"hacked {when}")
            order = RestoreStart(bundle=1, in_place=InPlace(), **more)
            number = client.restores_start(order).id
            until(lambda: client.restores_show(number).state == "ended")
            return [row.title for row in client.reports_list().items if row.kind == "restore"]

        assert restored("trouble") == restored("never") == restored("always", plan_only=True) == []
        assert restored("always") == ["[Fasciculus] restore of millpond: done"]
        text = client.reports_show(client.reports_list().items[0].id).text
        assert "restores undo" in text and "in place" in text
