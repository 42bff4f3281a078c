"""Housekeeping: work that is done from time to time."""

from __future__ import annotations

import logging
import threading
from collections.abc import Callable
from datetime import UTC, datetime, timedelta

from ...config import Config
from ...core.contents import Contents
from ...core.errors import FasciculusError
from ...core.scope import EVERYTHING
from ...core.subject import Subject
from ...models import Account, Host, JobInput
from ...records import discoveries, history, inventory, users
from ...records.bundles import bundles
from ...records.db import Records
from ...records.discoveries import Discovery
from ...records.jobs import jobs, pauses
from ...records.secret_cipher import SecretCipher
from ...records.stores import store_days
from .. import account_removal, bundle_changes, discovery, records_copy, timetables
from ..event_stream import EventStream
from . import old_versions
from .loop import BackgroundLoop, words

log = logging.getLogger(__name__)

_HOUR = 3600.0
#: Changes that are made in one go, and bundles of one subject that are looked at.
_CHANGES_AT_ONCE, _MOST_BUNDLES = 500, 5000
_MARGIN = timedelta(minutes=5)
#: How old what was found on a host may be.
_HOURLY, _DAILY = timedelta(minutes=50), timedelta(hours=23, minutes=30)


class Housekeeper:
    """A thread that works once an hour."""

    def __init__(
        self,
        config: Config,
        records: Records,
        cipher: SecretCipher,
        events: EventStream,
        busy: Callable[[], set[Subject]],
        verify_some: Callable[[], None],
        catch_up: Callable[[], None],
        drop_expired: Callable[[], None],
    ) -> None:
        self._config, self._records, self._cipher, self._events = config, records, cipher, events
        self._busy, self._verify_some, self._catch_up = busy, verify_some, catch_up
        self._look_now = threading.Event()
        self._loop = BackgroundLoop(
            "housekeeping",
            {
                "copying the records": self.copy_records,
                "discovery": self.find_accounts,
                "forgetting accounts": self.forget_gone,
                "retiring copies of deleted accounts": self.retire_gone,
                "forgetting old records": self.age_records,
                "verifying": self._verify_some,
                "measuring stores": self.measure_stores,
                "measuring old versions": self.measure_old_versions,
                "catching up": self._catch_up,
                "dropping what was set aside": drop_expired,
                "keeping changes": self.keep_changes,
            },
            lambda: _HOUR,
            late=24 * _HOUR,
        )

    def start(self) -> None:
        """Start the thread."""
        self._loop.start()

    def stop(self) -> None:
        """Stop the thread."""
        self._loop.stop(0)

    @property
    def loop(self) -> BackgroundLoop:
        """Return the loop that it runs in."""
        return self._loop

    def job_started(self, job: JobInput) -> None:
        """Look through the hosts now, where a job that takes all accounts was started by hand."""
        if jobs.takes_new_accounts(job):
            self._look_now.set()
            self._loop.wake()

    def copy_records(self) -> None:
        """Bring a copy of the records to the stores that are to have one."""
        records_copy.copy_if_due(self._config, self._records, self._cipher)

    def measure_stores(self) -> None:
        """Note what each store holds: growth and forecast come of it."""
        with self._records.write() as db:
            store_days.weigh(db)

    def measure_old_versions(self) -> None:
        """Note what buckets keep of files that were removed or replaced."""
        old_versions.measure_if_due(self._config, self._records, self._cipher)

    def find_accounts(self) -> None:
        """Look through the hosts whose accounts are found by rules: each once a day, before the
        jobs that take all accounts, and every hour where what is found is accepted by itself.
        """
        db, moment = self._records.reader, datetime.now(UTC)
        last = discoveries.by_host(db)
        soon = self._look_now.is_set() or self._starts_soon(moment)
        self._look_now.clear()
        hosts = [
            host
            for host in inventory.readable_hosts(db, self._cipher)
            if host.discovery.homes
            and host.connection.kind != "unconnected"
            and _is_due(last.get(host.name), moment, soon or host.discovery.automatic)
        ]
        self._loop.each("host", hosts, lambda host: host.name, self._find_on)

    def _starts_soon(self, moment: datetime) -> bool:
        """Return whether a job that takes all accounts starts before the next round."""
        db = self._records.reader
        paused = pauses.pauses(db, moment)
        starts = [
            timetables.next_start(job, paused, moment)
            for job in jobs.jobs(db)
            if jobs.takes_new_accounts(job)
        ]
        until = moment + timedelta(seconds=_HOUR) + _MARGIN
        return any(start is not None and start < until for start in starts)

    def _find_on(self, host: Host) -> None:
        """Run the discovery of one host; deleted accounts wait for a decision."""
        try:
            found = discovery.proposals(self._config, self._records, self._cipher, host.name)
        except (FasciculusError, OSError) as error:
            log.warning("host %s: its accounts could not be looked for: %s", host.name, error)
            with self._records.write() as db:
                discoveries.save(db, host.name, [], words(error))
            return
        if host.discovery.automatic:
            wanted = [proposal for proposal in found if proposal.kind != "gone"]
            if discovery.accept(self._records, host.name, wanted):
                named = ", ".join(f"{p.kind} {p.account.name}" for p in wanted)
                log.info("host %s: took over %s", host.name, named)
                self._events.changed("accounts")

    def forget_gone(self) -> None:
        """Forget accounts that have been gone for as long as their hosts say, with their
        bundles.
        """
        accounts = account_removal.overdue(self._records, self._cipher)
        self._loop.each("account", accounts, lambda account: account.name, self._forget)

    def _forget(self, account: Account) -> None:
        try:
            account_removal.check_idle(self._busy(), account)
            count = account_removal.remove_bundles(
                self._config, self._records, self._cipher, account
            )
        except (FasciculusError, OSError) as error:
            log.warning(
                "account %s was deleted and could not be forgotten yet: %s", account.name, error
            )
            return
        with self._records.write() as db:
            inventory.remove_account(db, account.name)
            users.audit(db, "housekeeper", "forgot account", f"{account.name} with {count} copies")
        log.info("account %s was deleted long ago: forgotten, with %s copies", account.name, count)
        self._events.changed("accounts")

    def retire_gone(self) -> None:
        """Apply the keep rules of jobs for deleted accounts."""
        accounts = account_removal.gone(self._records)
        self._loop.each("copies of account", accounts, lambda account: account.name, self._retire)

    def _retire(self, account: Account) -> None:
        try:
            account_removal.check_idle(self._busy(), account)
            count = account_removal.retire_copies(
                self._config, self._records, self._cipher, account, datetime.now(UTC)
            )
        except (FasciculusError, OSError) as error:
            log.warning(
                "account %s was deleted; its copies wait to retire: %s", account.name, error
            )
            return
        if count:
            log.info("account %s was deleted: %s copies retired", account.name, count)
            self._events.changed("bundles")

    def keep_changes(self) -> None:
        """Keep the changes from each bundle to the next, so that searches over them are fast."""
        left, db = _CHANGES_AT_ONCE, self._records.reader
        for series in bundles.series(db, EVERYTHING, kind=Contents.FILES):
            rows = bundles.names(db, series, Contents.FILES, _MOST_BUNDLES)
            left -= bundle_changes.make_missing(self._config, rows, left)
            if left <= 0:
                break

    def age_records(self) -> None:
        """Forget runs, reports, alerts and changes that are older than the setting says."""
        days = self._config.history_days
        if days:
            with self._records.write() as db:
                count = history.forget(db, datetime.now(UTC) - timedelta(days=days))
            if count:
                log.info("forgot %s records older than %s days", count, days)


def _is_due(last: Discovery | None, moment: datetime, hourly: bool) -> bool:
    if last is None:
        return True
    age = moment - last.at
    return age < timedelta(0) or age >= (_HOURLY if hourly else _DAILY)
