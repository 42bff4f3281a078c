"""What waits is sent in order, tried again at growing distances, and never lost or doubled."""

from datetime import UTC, datetime, timedelta

import pytest
import time_machine
from running import until

from fasciculus.core.errors import ConnectionLostError, UnreachableError
from fasciculus.models import MailServer
from fasciculus.records import reports
from fasciculus.records.reports import NewReport
from fasciculus.service.background import outbox as module
from fasciculus.service.background.outbox import Outbox, wait_after
from fasciculus.service.reports import mail


class Server:
    """Takes messages; refuses those whose text is in ``refused``."""

    def __init__(self):
        self.taken, self.refused, self.asked = [], set(), []

    def send(self, config, secret, sender, recipients, message):
        self.asked.append(message)
        if message in self.refused:
            raise UnreachableError("The mail server does not answer.", "Is it running?")
        self.taken.append((message, tuple(recipients), sender, secret))


@pytest.fixture
def server(monkeypatch):
    found = Server()
    monkeypatch.setattr(mail, "send", found.send)
    return found


@pytest.fixture
def outbox(heronmere):
    with heronmere.records.write() as db:
        new = MailServer(address="mail.example", sender="duty@heronmere.example", password="oar")
        mail.save_server(db, heronmere.cipher, new)
    return Outbox(heronmere.records, heronmere.cipher, heronmere.events)


def waiting(heronmere, *messages):
    """Reports that wait; their numbers."""
    with heronmere.records.write() as db:
        return [
            reports.add(
                db,
                NewReport("run", "t", "", "", text.encode(), [f"{text}@x.example"], job="nightly"),
            )
            for text in messages
        ]


def left(heronmere):
    return {item.id: item for item in reports.outbox(heronmere.db)}


def test_what_is_due_goes_in_the_order_it_was_written(heronmere, outbox, server):
    waiting(heronmere, "one", "two", "three")
    outbox._send_due()
    assert [message for message, *_ in server.taken] == [b"one", b"two", b"three"]
    assert server.taken[0] == (b"one", ("one@x.example",), "duty@heronmere.example", "oar")
    assert left(heronmere) == {}
    outbox._send_due()
    assert len(server.taken) == 3, "none is sent twice"


def test_one_that_is_refused_does_not_hold_up_the_others(heronmere, outbox, server):
    one, two = waiting(heronmere, "one", "two")
    server.refused = {b"one"}
    before = datetime.now(UTC)
    outbox._send_due()
    assert [message for message, *_ in server.taken] == [b"two"]
    (item,) = left(heronmere).values()
    assert (item.id, item.attempts) == (one, 1)
    assert item.last_error == "The mail server does not answer. Is it running?"
    away = item.next_try - before
    assert timedelta(seconds=29) < away < timedelta(seconds=40)
    outbox._send_due()
    assert server.asked.count(b"one") == 1, "not before its time"
    assert two not in left(heronmere)


def test_tries_come_apart(heronmere, outbox, server):
    (one,) = waiting(heronmere, "one")
    server.refused = {b"one"}
    waits = []
    for _ in range(4):
        before = datetime.now(UTC)
        outbox._send_due()
        waits.append(round((left(heronmere)[one].next_try - before).total_seconds(), -1))
        with heronmere.records.write() as db:
            assert reports.hurry(db) == 1
    assert waits == [30, 60, 120, 240]
    assert left(heronmere)[one].attempts == 4
    server.refused = set()
    outbox._send_due()
    assert left(heronmere) == {} and reports.report(heronmere.db, one).state == "sent"


def test_the_pause_is_until_the_next_try_but_never_long(heronmere, outbox):
    assert outbox._pause() == module._LONGEST_PAUSE
    (one,) = waiting(heronmere, "one")
    assert outbox._pause() == 0.1
    with heronmere.records.write() as db:
        reports.put_off(db, one, datetime.now(UTC) + timedelta(seconds=20), "x")
    assert 18 < outbox._pause() <= 20
    with heronmere.records.write() as db:
        reports.put_off(db, one, datetime.now(UTC) + timedelta(days=2), "x")
    assert outbox._pause() == module._LONGEST_PAUSE


def test_it_sends_what_was_left_when_it_starts_and_what_it_is_woken_for(heronmere, outbox, server):
    waiting(heronmere, "one")
    outbox.start()
    until(lambda: server.taken)
    waiting(heronmere, "two")
    outbox.wake()
    until(lambda: len(server.taken) == 2)
    outbox.stop()
    assert not outbox._thread.is_alive()
    until(lambda: not left(heronmere))


def test_who_looks_is_told(heronmere, outbox, server, monkeypatch):
    changed = []
    monkeypatch.setattr(heronmere.events, "changed", changed.append)
    waiting(heronmere, "one", "two")
    server.refused = {b"two"}
    outbox._send_due()
    assert changed == ["reports", "reports"]


def test_waits_have_a_bound():
    assert wait_after(0) == 30 and wait_after(1) == 60
    assert wait_after(6) == wait_after(10_000) == 1800


def test_the_password_is_kept_when_it_is_not_given_again(heronmere, outbox):
    with heronmere.records.write() as db:
        mail.save_server(db, heronmere.cipher, MailServer(address="other.example"))
    found = mail.server(heronmere.db, heronmere.cipher)
    assert (found.address, found.password_set, found.password) == ("other.example", True, None)
    assert mail.password(heronmere.db, heronmere.cipher) == "oar"
    kept = heronmere.db.execute("SELECT * FROM setting").fetchall()
    assert "oar" not in str([tuple(row) for row in kept]), "not in the clear"


def test_what_nobody_takes_in_days_is_given_up_and_said(heronmere, outbox, server):
    server.refused = {b"one"}
    (one,) = waiting(heronmere, "one")
    for days, state in ((0, "waiting"), (4, "waiting"), (5, "undeliverable")):
        with time_machine.travel(datetime.now(UTC) + timedelta(days=days), tick=False):
            outbox._send_due()
            assert reports.report(heronmere.db, one).state == state
    assert reports.undeliverable(heronmere.db) == 1 and left(heronmere) == {}


def test_after_an_hour_it_goes_another_way_too_and_once(heronmere, server):
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
            outbox._send_due()
    assert len(stuck) == 1, "and what goes the other way has no third"


def test_a_server_that_does_not_answer_is_asked_once_a_round(heronmere, outbox, monkeypatch):
    asked = []

    def send(*order):
        asked.append(order)
        raise ConnectionLostError("Nobody answers.")

    monkeypatch.setattr(mail, "send", send)
    waiting(heronmere, "one", "two", "three")
    outbox._send_due()
    assert len(asked) == 1 and [item.attempts for item in left(heronmere).values()] == [1, 1, 1]
