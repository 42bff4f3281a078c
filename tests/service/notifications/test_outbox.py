"""The outbox: messages are sent in order, retried with growing pauses, and never lost or
doubled.
"""

from __future__ import annotations

import socket
import threading
from collections.abc import Iterator
from contextlib import closing
from datetime import UTC, datetime, timedelta
from typing import Any

import pytest
import time_machine
from aiosmtpd.controller import Controller
from ports import free_port
from running import until
from sample_records import SampleRecords
from web_hook import saved, webhook

from fasciculus.channels import posting, smtp
from fasciculus.channels.base import ChannelSpec, Delivery
from fasciculus.core.errors import (
    ConnectionLostError,
    RefusedError,
    SettingError,
    UnreachableError,
)
from fasciculus.models import MailServer, WebhookMessage
from fasciculus.records.messages import reports
from fasciculus.records.messages.reports import NewReport
from fasciculus.service.background import outbox as module
from fasciculus.service.background.outbox import Outbox, wait_after
from fasciculus.service.notifications.messages import MessageWriter
from fasciculus.service.settings.mail_settings import mail_password, mail_server, save_mail_server

pytestmark = pytest.mark.usefixtures("in_this_process")


class Server:
    """Takes messages; refuses those whose text is in ``refused``."""

    def __init__(self) -> None:
        self.taken, self.refused, self.asked = [], set(), []

    def send(
        self, config: MailServer, secret: str, sender: str, recipients: list[str], message: bytes
    ) -> dict[Any, Any]:
        self.asked.append(message)
        if message in self.refused:
            raise RefusedError("The mail server does not take it.", "Is it large?")
        self.taken.append((message, tuple(recipients), sender, secret))
        return {}


@pytest.fixture
def server(monkeypatch: pytest.MonkeyPatch) -> Server:
    found = Server()
    monkeypatch.setattr(smtp, "send", found.send)
    return found


@pytest.fixture
def outbox(heronmere: SampleRecords) -> Outbox:
    with heronmere.records.write() as db:
        new = MailServer(address="mail.example", sender="duty@heronmere.example", password="oar")
        save_mail_server(db, heronmere.cipher, new)
    return Outbox(heronmere.records, heronmere.cipher, heronmere.events)


def waiting(heronmere: SampleRecords, *messages: Any) -> list[int]:
    """Reports that wait; their numbers."""
    with heronmere.records.write() as db:
        return [
            reports.add(
                db,
                NewReport("run", "t", "", "", text.encode(), [f"{text}@x.example"], job="nightly"),
            )
            for text in messages
        ]


def left(heronmere: SampleRecords) -> dict[Any, Any]:
    return {item.id: item for item in reports.outbox(heronmere.db)}


def test_what_is_due_goes_in_the_order_it_was_written(
    heronmere: SampleRecords, outbox: Outbox, server: Server
) -> None:
    waiting(heronmere, "one", "two", "three")
    outbox.send_due()
    assert [message for message, *_ in server.taken] == [b"one", b"two", b"three"]
    assert server.taken[0] == (b"one", ("one@x.example",), "duty@heronmere.example", "oar")
    assert left(heronmere) == {}
    outbox.send_due()
    assert len(server.taken) == 3, "none is sent twice"


def test_one_that_is_refused_does_not_hold_up_the_others(
    heronmere: SampleRecords, outbox: Outbox, server: Server
) -> None:
    one, two = waiting(heronmere, "one", "two")
    server.refused = {b"one"}
    before = datetime.now(UTC)
    outbox.send_due()
    assert [message for message, *_ in server.taken] == [b"two"]
    (item,) = left(heronmere).values()
    assert (item.id, item.attempts) == (one, 1)
    assert item.last_error == "The mail server does not take it. Is it large?"
    away = item.next_try - before
    assert timedelta(seconds=29) < away < timedelta(seconds=40)
    outbox.send_due()
    assert server.asked.count(b"one") == 1, "not before its time"
    assert two not in left(heronmere)


def test_tries_come_apart(heronmere: SampleRecords, outbox: Outbox, server: Server) -> None:
    (one,) = waiting(heronmere, "one")
    server.refused = {b"one"}
    waits = []
    for _ in range(4):
        before = datetime.now(UTC)
        outbox.send_due()
        waits.append(round((left(heronmere)[one].next_try - before).total_seconds(), -1))
        with heronmere.records.write() as db:
            assert reports.hurry(db) == 1
    assert waits == [30, 60, 120, 240]
    assert left(heronmere)[one].attempts == 4
    server.refused = set()
    outbox.send_due()
    assert left(heronmere) == {} and reports.report(heronmere.db, one).state == "sent"


def test_the_pause_is_until_the_next_try_but_never_long(
    heronmere: SampleRecords, outbox: Outbox
) -> None:
    # How long it would wait, without waiting.
    assert outbox._pause() == module._LONGEST_PAUSE
    (one,) = waiting(heronmere, "one")
    assert outbox._pause() == 0.1
    with heronmere.records.write() as db:
        reports.put_off(db, one, datetime.now(UTC) + timedelta(seconds=20), "x")
    assert 18 < outbox._pause() <= 20
    with heronmere.records.write() as db:
        reports.put_off(db, one, datetime.now(UTC) + timedelta(days=2), "x")
    assert outbox._pause() == module._LONGEST_PAUSE


def test_it_sends_what_was_left_when_it_starts_and_what_it_is_woken_for(
    heronmere: SampleRecords, outbox: Outbox, server: Server
) -> None:
    waiting(heronmere, "one")
    outbox.start()
    until(lambda: server.taken)
    waiting(heronmere, "two")
    outbox.wake()
    until(lambda: len(server.taken) == 2)
    outbox.stop()
    assert not outbox.loop.alive
    until(lambda: not left(heronmere))


def test_who_looks_is_told(
    heronmere: SampleRecords, outbox: Outbox, server: Server, monkeypatch: pytest.MonkeyPatch
) -> None:
    changed = []
    monkeypatch.setattr(heronmere.events, "changed", changed.append)
    waiting(heronmere, "one", "two")
    server.refused = {b"two"}
    outbox.send_due()
    assert changed == ["reports", "reports"]


def test_waits_have_a_bound() -> None:
    assert wait_after(0) == 30 and wait_after(1) == 60
    assert wait_after(6) == wait_after(10_000) == 1800


def test_the_password_is_kept_when_it_is_not_given_again(
    heronmere: SampleRecords, outbox: Outbox
) -> None:
    with heronmere.records.write() as db:
        save_mail_server(db, heronmere.cipher, MailServer(address="other.example"))
    found = mail_server(heronmere.db, heronmere.cipher)
    assert (found.address, found.password_set, found.password) == ("other.example", True, None)
    assert mail_password(heronmere.db, heronmere.cipher) == "oar"
    kept = heronmere.db.execute("SELECT * FROM setting").fetchall()
    assert "oar" not in str([tuple(row) for row in kept]), "not in the clear"


def test_what_nobody_takes_in_days_is_given_up_and_said(
    heronmere: SampleRecords, outbox: Outbox, server: Server
) -> None:
    server.refused = {b"one"}
    (one,) = waiting(heronmere, "one")
    for days, state in ((0, "waiting"), (4, "waiting"), (5, "undeliverable")):
        with time_machine.travel(datetime.now(UTC) + timedelta(days=days), tick=False):
            outbox.send_due()
            assert reports.report(heronmere.db, one).state == state
    assert reports.undeliverable(heronmere.db) == 1 and left(heronmere) == {}
    with heronmere.records.write() as db:
        assert reports.hurry(db) == 1, "again, on request"
    server.refused = set()
    outbox.send_due()
    assert reports.undeliverable(heronmere.db) == 0 and len(server.taken) == 1
    with heronmere.records.write() as db:
        reports.give_up(db, one)
    with time_machine.travel(datetime.now(UTC) + timedelta(days=8)), heronmere.records.write() as w:
        assert reports.hurry(w) == 0 and reports.undeliverable(w) == 0, "for a week"


def test_after_an_hour_it_goes_another_way_too_and_once(
    heronmere: SampleRecords, server: Server
) -> None:
    stuck = []
    outbox = Outbox(
        heronmere.records,
        heronmere.cipher,
        heronmere.events,
        lambda db, due: stuck.append(
            reports.add(db, NewReport("run", "t", "", "", b"{}", channel="bell", instead_of=due.id))
        ),
    )
    server.refused = {b"one"}
    waiting(heronmere, "one")
    for hours in (0, 1, 2, 3):
        with time_machine.travel(datetime.now(UTC) + timedelta(hours=hours), tick=False):
            outbox.send_due()
    assert len(stuck) == 1, "and what goes the other way has no third"


def refuse(*order: Any) -> None:
    raise UnreachableError("It does not answer.")


def test_the_fallback_channel_gets_what_the_mail_server_did_not(
    heronmere: SampleRecords, server: Server, monkeypatch: pytest.MonkeyPatch
) -> None:
    writer = MessageWriter(heronmere.config, heronmere.cipher)
    outbox = Outbox(heronmere.records, heronmere.cipher, heronmere.events, writer.fallback_channel)
    server.refused = {b"one", b"two"}
    with heronmere.records.write() as db:
        saved(db, heronmere.cipher, webhook("bell", "https://bell.example/"))
        save_mail_server(db, heronmere.cipher, MailServer(address="x", sender="d@x.example"))
        old = NewReport("alert", "A title", "All of it.", "", b"one", ["a@x.example"])
        stuck = reports.add(db, old)

    def after_two_hours() -> list[Any]:
        with time_machine.travel(datetime.now(UTC) + timedelta(hours=2), tick=False):
            outbox.send_due()
        query = "SELECT kind, channel, message, instead_of FROM report WHERE channel != ''"
        return [tuple(row) for row in heronmere.db.execute(query)]

    assert after_two_hours() == [], "none exists yet"
    with heronmere.records.write() as db:
        server_of = MailServer(address="x", sender="d@x.example", fallback_channel="bell")
        save_mail_server(db, heronmere.cipher, server_of)
        reports.hurry(db)
    ((kind, channel, body, instead_of),) = after_two_hours()
    assert (kind, channel, instead_of) == ("alert", "bell", stuck)
    message = WebhookMessage.model_validate_json(body)
    assert (message.event, message.title, message.text) == ("alert", "A title", "All of it.")
    assert message.trouble and "could not be delivered to a@x.example" in message.sentence
    with heronmere.records.write() as db:
        db.execute("DELETE FROM report")
        reports.add(db, NewReport("run", "t", "", "", b"{}", channel="bell"))
    monkeypatch.setattr(posting, "send", refuse)
    assert [row[3] for row in after_two_hours()] == [None], "the channel itself has no other way"


@pytest.mark.parametrize("error", [ConnectionLostError, UnreachableError, SettingError])
def test_a_server_that_cannot_be_used_is_asked_once_a_round(
    heronmere: SampleRecords, outbox: Outbox, monkeypatch: pytest.MonkeyPatch, error: type[Any]
) -> None:
    """Also because too many tries to sign in with a wrong password may lock an account."""
    asked = []

    def send(*order: Any) -> None:
        asked.append(order)
        raise error("Nobody answers.")

    monkeypatch.setattr(smtp, "send", send)
    waiting(heronmere, "one", "two", "three")
    outbox.send_due()
    assert len(asked) == 1 and [item.attempts for item in left(heronmere).values()] == [1, 1, 1]


def test_a_channel_that_is_away_holds_up_itself_alone(
    heronmere: SampleRecords, outbox: Outbox, server: Server, monkeypatch: pytest.MonkeyPatch
) -> None:
    asked = []

    def send(channel: ChannelSpec, delivery: Delivery) -> dict[Any, Any]:
        asked.append((channel.name, delivery.number))
        if channel.name == "bell":
            raise UnreachableError("It does not answer.")
        return {}

    monkeypatch.setattr(posting, "send", send)
    with heronmere.records.write() as db:
        for name in ("bell", "horn"):
            saved(db, heronmere.cipher, webhook(name, f"https://{name}.example/"))
        for name in ("bell", "horn", "bell", "gone", "horn"):
            reports.add(db, NewReport("run", "t", "", "", b"{}", channel=name))
    waiting(heronmere, "one")
    outbox.send_due()
    assert asked == [("bell", "report-1"), ("horn", "report-2"), ("horn", "report-5")]
    assert [message for message, *_ in server.taken] == [b"one"]
    assert {n: item.last_error for n, item in left(heronmere).items()} == {
        1: "It does not answer.",
        3: "It does not answer.",
        4: "There is no channel “gone”. Channels: bell, horn.",
    }


def test_the_message_itself_is_kept_until_it_was_taken(
    heronmere: SampleRecords, outbox: Outbox, server: Server
) -> None:
    one, two = waiting(heronmere, "one", "two")
    server.refused = {b"two"}
    outbox.send_due()
    kept = dict(heronmere.db.execute("SELECT id, message FROM report").fetchall())
    assert kept == {one: b"", two: b"two"}


def test_one_that_is_being_stopped_leaves_the_rest_for_later(
    heronmere: SampleRecords, outbox: Outbox, monkeypatch: pytest.MonkeyPatch
) -> None:
    def send(*order: Any) -> dict[Any, Any]:
        outbox.stop()
        return {}

    monkeypatch.setattr(smtp, "send", send)
    _, two = waiting(heronmere, "one", "two")
    outbox.send_due()
    assert list(left(heronmere)) == [two]


class Particular:
    """A server that takes small messages, and none for ``nobody`` or from ``stranger``."""

    async def handle_MAIL(
        self, server: Any, session: Any, envelope: Any, address: str, options: list[str]
    ) -> str:
        if address.startswith("stranger"):
            return "550 No strangers"
        envelope.mail_from = address
        return "250 OK"

    async def handle_RCPT(
        self, server: Any, session: Any, envelope: Any, address: str, options: list[Any]
    ) -> str:
        if address.startswith("nobody"):
            return "550 5.1.1 No such user"
        envelope.rcpt_tos.append(address)
        return "250 OK"

    async def handle_DATA(self, server: Any, session: Any, envelope: Any) -> str:
        return "552 Too large" if len(envelope.content) > 1000 else "250 Kept"


@pytest.fixture
def particular(heronmere: SampleRecords, outbox: Outbox) -> Iterator[Any]:
    controller = Controller(Particular(), hostname="127.0.0.1", port=free_port())
    controller.start()
    save_mail(heronmere, controller.port, "duty@heronmere.example")
    yield controller
    controller.stop()


def save_mail(heronmere: SampleRecords, port: int, sender: str) -> None:
    with heronmere.records.write() as db:
        server = MailServer(address="127.0.0.1", port=port, security="none", sender=sender)
        save_mail_server(db, heronmere.cipher, server)


def add(heronmere: SampleRecords, message: bytes, *people: Any) -> int:
    with heronmere.records.write() as db:
        return reports.add(db, NewReport("run", "t", "text", "", message, people))


def test_who_is_refused_waits_alone_and_the_others_have_it_once(
    heronmere: SampleRecords, outbox: Outbox, particular: Any
) -> None:
    first = add(heronmere, b"one", "a@x.example", "nobody@x.example", "b@x.example")
    outbox.send_due()
    shown = reports.report(heronmere.db, first)
    assert (shown.state, shown.recipients) == ("sent", ["a@x.example", "b@x.example"])
    (item,) = left(heronmere).values()
    assert (item.recipients, item.attempts) == (["nobody@x.example"], 1)
    assert "refused nobody@x.example (550 5.1.1 No such user)" in item.last_error
    assert reports.report(heronmere.db, item.id).text == "text"
    with heronmere.records.write() as db:
        reports.hurry(db)
    outbox.send_due()
    (again,) = left(heronmere).values()
    assert (again.id, again.attempts) == (item.id, 2), "and it is parted no further"


def test_a_message_that_is_too_large_holds_up_no_other(
    heronmere: SampleRecords, outbox: Outbox, particular: Any
) -> None:
    large = add(heronmere, b"x" * 900 + b"\r\n" + b"x" * 900, "a@x.example")
    small = add(heronmere, b"small", "a@x.example")
    outbox.send_due()
    (item,) = left(heronmere).values()
    assert item.id == large and "refused this message: 552 Too large" in item.last_error
    assert reports.report(heronmere.db, small).state == "sent"
    save_mail(heronmere, particular.port, "stranger@x.example")
    late = add(heronmere, b"small", "a@x.example")
    outbox.send_due()
    assert "550 No strangers" in left(heronmere)[late].last_error


def test_a_server_that_is_not_there_or_turns_away_is_said_in_words(
    heronmere: SampleRecords, outbox: Outbox
) -> None:
    save_mail(heronmere, free_port(), "duty@x.example")
    one = add(heronmere, b"one", "a@x.example")
    outbox.send_due()
    said = left(heronmere)[one].last_error
    assert "cannot be reached: Connection refused. Are its name and port right" in said
    with closing(socket.create_server(("127.0.0.1", 0))) as busy:
        threading.Thread(target=_turn_away, args=(busy,), daemon=True).start()
        save_mail(heronmere, busy.getsockname()[1], "duty@x.example")
        with heronmere.records.write() as db:
            reports.hurry(db)
        outbox.send_due()
    assert "did not take the message: 421 4.3.2 Come back later." in left(heronmere)[one].last_error


def _turn_away(server: Any) -> None:
    link, _ = server.accept()
    with link:
        link.sendall(b"421 4.3.2 Come back later\r\n")
