"""Looks at everything again and again, and opens and closes alerts."""

from __future__ import annotations

import logging
import sqlite3
from collections.abc import Callable, Iterable
from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo

from ...config import Config
from ...core.schedule import parse_hours
from ...core.watch import AlertActions, Finding, reconcile
from ...models import WatchSettings
from ...records.db import Records
from ...records.messages import alerts
from ...records.secret_cipher import SecretCipher
from ..event_stream import EventStream
from ..monitoring.bundles import UnusualBundles
from ..monitoring.certificates import look_if_due
from ..monitoring.checks import Watched, findings
from ..monitoring.store_answers import StoreAnswers
from ..notifications.alert_news import AlertNews
from ..settings.watch_settings import watch_settings
from ..stores.store_status import StoreStatuses
from .loop import BackgroundLoop
from .scheduler import Scheduler

log = logging.getLogger(__name__)

_EVERY = 30.0


class Watch:
    """A thread that runs the standing checks twice a minute.

    ``tell`` writes the messages in the same transaction as the alerts; ``told`` is called when they
    may be sent. Digests are looked after at the same pace.
    """

    def __init__(
        self,
        config: Config,
        records: Records,
        cipher: SecretCipher,
        events: EventStream,
        scheduler: Scheduler,
        statuses: StoreStatuses,
        answers: StoreAnswers,
        tell: Callable[[sqlite3.Connection, AlertNews], None],
        told: Callable[[], None],
        send_digests: Callable[[datetime], None],
    ) -> None:
        self._config, self._records, self._cipher = config, records, cipher
        self._events, self._scheduler, self._statuses = events, scheduler, statuses
        self._answers = answers
        self._tell, self._told, self._send_digests = tell, told, send_digests
        self._unusual = UnusualBundles(records)
        self._loops: list[BackgroundLoop] = []
        self._loop = BackgroundLoop(
            "watch",
            {
                "the checks": self._look_now,
                "digests": lambda: self._send_digests(datetime.now(UTC)),
                "looking outside": self._look_outside,
            },
            lambda: _EVERY,
            # What a start of the service is still busy with is no trouble yet.
            first=_EVERY,
            late=600.0,
        )

    def start(self) -> None:
        """Start the thread."""
        self._loop.start()

    def stop(self) -> None:
        """Stop the thread."""
        self._loop.stop()

    def look_after(self, loops: Iterable[BackgroundLoop]) -> None:
        """Report the troubles of some loops, and its own."""
        self._loops = [*loops, self._loop]

    @property
    def loop(self) -> BackgroundLoop:
        """Return the loop that it runs in."""
        return self._loop

    @property
    def alive(self) -> bool:
        """Return whether it is at work."""
        return self._loop.alive

    def _look_now(self) -> None:
        self.look(datetime.now(UTC))

    def _look_outside(self) -> None:
        self._answers.ask_if_due()
        look_if_due(self._records, self._cipher)

    def found(self, now: datetime) -> list[Finding]:
        """Return the findings at a time, whether or not they are alerts yet."""
        return self._found(now, watch_settings(self._records.reader))

    def _found(self, now: datetime, settings: WatchSettings) -> list[Finding]:
        return findings(
            Watched(
                self._config,
                self._records,
                self._cipher,
                self._statuses,
                self._unusual,
                self._answers,
                settings,
                self._scheduler.alive,
                self._scheduler.clock_trouble,
                now,
                {loop.name: loop.troubles for loop in self._loops},
            )
        )

    def look(self, now: datetime) -> AlertActions:
        """Run the checks, and open, report and close alerts."""
        settings = watch_settings(self._records.reader)
        rows = self._found(now, settings)
        by_key = {row.key: row for row in rows}
        with self._records.write() as db:
            known = alerts.open_alerts(db)
            actions = reconcile(
                rows,
                known,
                alerts.seen_since(db, rows, now),
                now,
                quiet=parse_hours(settings.quiet),
                zone=ZoneInfo(settings.zone),
                remind=timedelta(hours=settings.remind_hours) if settings.remind_hours else None,
            )
            for finding in actions.opened:
                alerts.add(db, finding)
            for finding in actions.changed:
                alerts.change(db, finding)
            for key in (*actions.told, *actions.reminded):
                alerts.told(db, key)
            for key in actions.closed:
                alerts.close(db, key)
            news = AlertNews(
                [by_key[key] for key in actions.told],
                [by_key[key] for key in actions.reminded],
                [] if actions.quiet else alerts.take_untold_ends(db),
            )
            if news:
                self._tell(db, news)
        if news:
            self._told()
        if actions.opened or actions.changed or actions.closed:
            self._events.changed("alerts")
        return actions
