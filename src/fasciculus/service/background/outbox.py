"""Sends what waits, and tries again what could not be sent."""

from __future__ import annotations

import logging
import threading
from datetime import UTC, datetime, timedelta

from ...core.errors import FasciculusError
from ...records import reports
from ...records.db import Records
from ...records.encryption import SecretCipher
from ..event_stream import EventStream
from ..reports import mail

log = logging.getLogger(__name__)

_FIRST_WAIT = 30.0
_LONGEST_WAIT = 1800.0
_LONGEST_PAUSE = 60.0


def wait_after(attempts: int) -> float:
    """Seconds until the next try, after so many that failed."""
    return float(min(_FIRST_WAIT * 2 ** min(attempts, 16), _LONGEST_WAIT))


class Outbox:
    """A thread that sends reports in the order they were written."""

    def __init__(self, records: Records, cipher: SecretCipher, events: EventStream) -> None:
        self._records, self._cipher, self._events = records, cipher, events
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
        for report_id, message, recipients, attempts in reports.due(db):
            try:
                mail.send(server, secret, mail.sender_of(db), recipients, message)
            except FasciculusError as error:
                until = datetime.now(UTC) + timedelta(seconds=wait_after(attempts))
                with self._records.write() as writer:
                    reports.put_off(writer, report_id, until, error.sentence())
                log.warning("report %s waits: %s", report_id, error.sentence())
            else:
                with self._records.write() as writer:
                    reports.sent(writer, report_id)
            self._events.changed("reports")
