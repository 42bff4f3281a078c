"""Sends what waits, and tries again what could not be sent."""

from __future__ import annotations

import logging
import sqlite3
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime, timedelta
from functools import partial

from ...channels import KINDS as CHANNELS
from ...channels import smtp
from ...core.errors import FasciculusError, RefusedError
from ...models import MailServer
from ...records.db import Records
from ...records.messages import channels, reports
from ...records.secret_cipher import SecretCipher
from .. import outside
from ..event_stream import EventStream
from ..notifications.channel_messages import delivery
from ..settings.mail_settings import mail_password, mail_server, sender_of
from .loop import BackgroundLoop, words

log = logging.getLogger(__name__)

_FIRST_WAIT = 30.0
_LONGEST_WAIT = 1800.0
_LONGEST_PAUSE = 60.0
_FALLBACK_AFTER = timedelta(hours=1)


def wait_after(attempts: int) -> float:
    """Return the seconds until the next try, after a number of failures."""
    return float(min(_FIRST_WAIT * 2 ** min(attempts, 16), _LONGEST_WAIT))


@dataclass(slots=True)
class _Round:
    """One round of sending: the mail server, and which channels cannot be used in it, and why."""

    server: MailServer
    unusable: dict[str, str] = field(default_factory=dict)

    @property
    def most(self) -> timedelta:
        """For how long a report is tried."""
        return timedelta(days=self.server.days)


class Outbox:
    """A thread that sends reports in the order they were written.

    ``on_stuck`` gets what was not taken for an hour, once each. ``networks`` are those of this
    machine that webhooks may be in.
    """

    def __init__(
        self,
        records: Records,
        cipher: SecretCipher,
        events: EventStream,
        on_stuck: Callable[[sqlite3.Connection, reports.DueReport], None] = lambda db, due: None,
        networks: tuple[str, ...] = (),
    ) -> None:
        self._records, self._cipher, self._events = records, cipher, events
        self._on_stuck, self._networks = on_stuck, networks
        self._loop = BackgroundLoop("outbox", {"sending": self.send_due}, self._pause)

    def start(self) -> None:
        """Start the thread."""
        self._loop.start()

    def stop(self) -> None:
        """Stop the thread."""
        self._loop.stop(smtp.TIMEOUT)

    @property
    def loop(self) -> BackgroundLoop:
        """Return the loop that it runs in."""
        return self._loop

    def wake(self) -> None:
        """Something was added, or everything is to be tried now."""
        self._loop.wake()

    def _pause(self) -> float:
        due = reports.next_due(self._records.reader)
        if due is None:
            return _LONGEST_PAUSE
        return min(max((due - datetime.now(UTC)).total_seconds(), 0.1), _LONGEST_PAUSE)

    def send_due(self) -> None:
        """Send what is due. A server that cannot be used is not asked again for each message."""
        numbers = reports.due(self._records.reader)
        if not numbers:
            return
        round_ = _Round(mail_server(self._records.reader, self._cipher))
        self._loop.each("report", numbers, lambda number: number, partial(self._try, round_))

    def _try(self, round_: _Round, number: int) -> None:
        """Send one report; whatever goes wrong puts off that one, and is raised if it is new."""
        try:
            self._send_one(round_, number)
        except Exception as error:
            with self._records.write() as writer:
                until = datetime.now(UTC) + timedelta(seconds=_LONGEST_WAIT)
                reports.put_off(writer, number, until, words(error))
                reports.give_up_old(writer, number, datetime.now(UTC) - round_.most)
            raise
        finally:
            self._events.changed("reports")

    def _send_one(self, round_: _Round, number: int) -> None:
        db = self._records.reader
        due = reports.waiting(db, number)
        if due is None:
            return
        if due.channel in round_.unusable:
            self._put_off(due, round_.unusable[due.channel], round_.most)
            return
        secret = mail_password(db, self._cipher)
        try:
            refused = self._send(db, round_.server, secret, due)
        except FasciculusError as error:
            if not isinstance(error, RefusedError):
                round_.unusable[due.channel] = error.sentence()
            self._put_off(due, error.sentence(), round_.most)
        else:
            self._sent(due, refused, round_.most)

    def _send(
        self, db: sqlite3.Connection, server: MailServer, secret: str, due: reports.DueReport
    ) -> dict[str, str]:
        """Send one report and return the refused addresses."""
        if not due.channel:
            sender = sender_of(db)
            return outside.call(smtp.send, server, secret, sender, due.recipients, due.message)
        way = channels.channel(db, self._cipher, due.channel)
        number = f"report-{due.id}"
        sent = delivery(db, self._cipher, number, due.message, self._networks, due.recipients)
        return outside.call(CHANNELS.get(way.settings.kind).send, way, sent)

    def _sent(self, due: reports.DueReport, refused: dict[str, str], most: timedelta) -> None:
        """Note that a report was accepted; for refused addresses it is retried."""
        with self._records.write() as writer:
            if refused:
                number = reports.part(writer, due.id, list(refused))
                error = " ".join(smtp.refusal(refused))
                self._put_off(replace(due, id=number, recipients=list(refused)), error, most)
            reports.sent(writer, due.id)

    def _put_off(self, due: reports.DueReport, error: str, most: timedelta) -> None:
        """Try a report again later; after days of that, no more."""
        now = datetime.now(UTC)
        with self._records.write() as writer:
            until = now + timedelta(seconds=wait_after(due.attempts))
            reports.put_off(writer, due.id, until, error)
            if now - due.at >= most:
                reports.give_up(writer, due.id)
            if now - due.at >= _FALLBACK_AFTER and not due.has_fallback:
                self._on_stuck(writer, due)
        log.warning("report %s waits: %s", due.id, error)
