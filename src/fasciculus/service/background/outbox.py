"""Sends what waits, and tries again what could not be sent."""

from __future__ import annotations

import logging
import sqlite3
import threading
from collections.abc import Callable
from dataclasses import replace
from datetime import UTC, datetime, timedelta

from ...core.errors import FasciculusError, RefusedError
from ...models import MailServer
from ...records import channels, reports
from ...records.db import Records
from ...records.encryption import SecretCipher
from ..event_stream import EventStream
from ..reports import mail, webhook

log = logging.getLogger(__name__)

_FIRST_WAIT = 30.0
_LONGEST_WAIT = 1800.0
_LONGEST_PAUSE = 60.0
_SECOND_WAY_AFTER = timedelta(hours=1)


def wait_after(attempts: int) -> float:
    """Seconds until the next try, after so many that failed."""
    return float(min(_FIRST_WAIT * 2 ** min(attempts, 16), _LONGEST_WAIT))


class Outbox:
    """A thread that sends reports in the order they were written.

    ``on_stuck`` gets what was not taken for an hour, once each.
    """

    def __init__(
        self,
        records: Records,
        cipher: SecretCipher,
        events: EventStream,
        on_stuck: Callable[[sqlite3.Connection, reports.DueReport], None] = lambda db, due: None,
    ) -> None:
        self._records, self._cipher, self._events = records, cipher, events
        self._on_stuck = on_stuck
        self._changed = threading.Condition()
        self._pending = True
        self._closing = False
        self._thread = threading.Thread(target=self._loop, name="outbox", daemon=True)

    def start(self) -> None:
        self._thread.start()

    def stop(self) -> None:
        with self._changed:
            self._closing = True
            self._changed.notify_all()
        if self._thread.is_alive():
            self._thread.join(mail.TIMEOUT)

    def wake(self) -> None:
        """Something was added, or everything is to be tried now."""
        with self._changed:
            self._pending = True
            self._changed.notify_all()

    def _loop(self) -> None:
        pause = _LONGEST_PAUSE
        while True:
            with self._changed:
                if not self._pending and not self._closing:
                    self._changed.wait(pause)
                if self._closing:
                    return
                self._pending = False
            try:
                self._send_due()
                pause = self._pause()
            except Exception:
                log.exception("the outbox failed; it tries again")
                pause = _FIRST_WAIT

    def _pause(self) -> float:
        due = reports.next_due(self._records.reader)
        if due is None:
            return _LONGEST_PAUSE
        return min(max((due - datetime.now(UTC)).total_seconds(), 0.1), _LONGEST_PAUSE)

    def _send_due(self) -> None:
        """Send what is due. Where a server cannot be used, it is not asked again for each of the
        messages that are to go there."""
        db = self._records.reader
        server, secret = mail.server(db, self._cipher), mail.password(db, self._cipher)
        most = timedelta(days=server.days)
        unusable: dict[str, str] = {}
        for number in reports.due(db):
            due = None if self._closing else reports.waiting(db, number)
            if due is None:
                continue
            if due.channel in unusable:
                self._put_off(due, unusable[due.channel], most)
                continue
            try:
                refused = self._send(db, server, secret, due)
            except FasciculusError as error:
                if not isinstance(error, RefusedError):
                    unusable[due.channel] = error.sentence()
                self._put_off(due, error.sentence(), most)
            else:
                self._sent(due, refused, most)
            self._events.changed("reports")

    def _send(
        self, db: sqlite3.Connection, server: MailServer, secret: str, due: reports.DueReport
    ) -> dict[str, str]:
        """Send one report; gives the addresses that were refused."""
        if not due.channel:
            return mail.send(server, secret, mail.sender_of(db), due.recipients, due.message)
        way = channels.channel(db, self._cipher, due.channel)
        webhook.send(way, f"report-{due.id}", due.message)
        return {}

    def _sent(self, due: reports.DueReport, refused: dict[str, str], most: timedelta) -> None:
        """Note that a report was taken; for whom it was not, it is tried again."""
        with self._records.write() as writer:
            if refused:
                number = reports.part(writer, due.id, list(refused))
                error = " ".join(mail.refusal(refused))
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
            if now - due.at >= _SECOND_WAY_AFTER and not due.has_second_way:
                self._on_stuck(writer, due)
        log.warning("report %s waits: %s", due.id, error)
