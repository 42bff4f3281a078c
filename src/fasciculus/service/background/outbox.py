"""Sends what waits, and tries again what could not be sent."""

from __future__ import annotations

import logging
import sqlite3
import threading
from collections.abc import Callable
from datetime import UTC, datetime, timedelta

from ...core.errors import ConnectionLostError, FasciculusError
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
        self._thread.join(mail._TIMEOUT)

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
        db = self._records.reader
        server, secret = mail.server(db, self._cipher), mail.password(db, self._cipher)
        away = ""
        for due in reports.due(db):
            if away and not due.channel:
                # It would only keep all others waiting again.
                self._put_off(due, away, timedelta(days=server.days))
                continue
            try:
                if due.channel:
                    way = channels.channel(db, self._cipher, due.channel)
                    webhook.send(way, f"report-{due.id}", due.message)
                else:
                    mail.send(server, secret, mail.sender_of(db), due.recipients, due.message)
            except FasciculusError as error:
                if isinstance(error, ConnectionLostError) and not due.channel:
                    away = error.sentence()
                self._put_off(due, error.sentence(), timedelta(days=server.days))
            else:
                with self._records.write() as writer:
                    reports.sent(writer, due.id)
            self._events.changed("reports")

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
