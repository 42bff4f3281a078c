"""What is to be done from time to time, whether or not somebody looks."""

from __future__ import annotations

import logging
from collections.abc import Callable
from datetime import UTC, datetime, timedelta

from ...config import Config
from ...core.errors import FasciculusError
from ...models import Account, Host
from ...records import history, inventory, store_days, users
from ...records.db import Records
from ...records.encryption import SecretCipher
from .. import account_removal, discovery
from ..event_stream import EventStream
from . import records_copy
from .loop import BackgroundLoop

log = logging.getLogger(__name__)

_HOUR = 3600.0


class Housekeeper:
    """A thread that works once an hour."""

    def __init__(
        self,
        config: Config,
        records: Records,
        cipher: SecretCipher,
        events: EventStream,
        busy: Callable[[], set[tuple[str, str]]],
        verify_some: Callable[[], None],
        catch_up: Callable[[], None],
    ) -> None:
        self._config, self._records, self._cipher, self._events = config, records, cipher, events
        self._busy, self._verify_some, self._catch_up = busy, verify_some, catch_up
        self._loop = BackgroundLoop(
            "housekeeping",
            {
                "copying the records": self.copy_records,
                "finding accounts": self.find_accounts,
                "forgetting accounts": self.forget_gone,
                "retiring copies of accounts that are gone": self.retire_gone,
                "forgetting old records": self.age_records,
                "verifying": self._verify_some,
                "weighing stores": self.weigh_stores,
                "catching up": self._catch_up,
            },
            lambda: _HOUR,
            late=24 * _HOUR,
        )

    def start(self) -> None:
        self._loop.start()

    def stop(self) -> None:
        self._loop.stop(0)

    @property
    def loop(self) -> BackgroundLoop:
        """The loop that it runs in."""
        return self._loop

    def copy_records(self) -> None:
        """Bring a copy of the records to the stores that are to have one."""
        records_copy.copy_if_due(self._config, self._records, self._cipher)

    def weigh_stores(self) -> None:
        """Note what each store holds: growth and forecast come of it."""
        with self._records.write() as db:
            store_days.weigh(db)

    def find_accounts(self) -> None:
        """Take over what is new or changed on hosts that say so; what is gone waits for a
        person.
        """
        hosts = [
            host
            for host in inventory.readable_hosts(self._records.reader, self._cipher)
            if host.finding.automatic
        ]
        self._loop.each("host", hosts, lambda host: host.name, self._find_on)

    def _find_on(self, host: Host) -> None:
        try:
            found = discovery.proposals(self._config, self._records, self._cipher, host.name)
            wanted = [proposal for proposal in found if proposal.kind != "gone"]
            if discovery.take_over(self._records, host.name, wanted):
                log.info(
                    "host %s: took over %s",
                    host.name,
                    ", ".join(f"{p.kind} {p.account.name}" for p in wanted),
                )
                self._events.changed("accounts")
        except (FasciculusError, OSError) as error:
            log.warning("host %s: its accounts could not be looked for: %s", host.name, error)

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
                "account %s is gone, and could not be forgotten yet: %s", account.name, error
            )
            return
        with self._records.write() as db:
            inventory.remove_account(db, account.name)
            users.audit(db, "housekeeper", "forgot account", f"{account.name} with {count} copies")
        log.info("account %s was gone for long: forgotten, with %s copies", account.name, count)
        self._events.changed("accounts")

    def retire_gone(self) -> None:
        """Apply the keep rules for accounts that are gone, where jobs have one."""
        accounts = account_removal.gone(self._records)
        self._loop.each("copies of account", accounts, lambda account: account.name, self._retire)

    def _retire(self, account: Account) -> None:
        try:
            account_removal.check_idle(self._busy(), account)
            count = account_removal.retire_copies(
                self._config, self._records, self._cipher, account, datetime.now(UTC)
            )
        except (FasciculusError, OSError) as error:
            log.warning("account %s is gone; its copies wait to retire: %s", account.name, error)
            return
        if count:
            log.info("account %s is gone: %s copies retired", account.name, count)
            self._events.changed("bundles")

    def age_records(self) -> None:
        """Forget runs, reports, alerts and changes that are older than the setting says."""
        days = self._config.history_days
        if days:
            with self._records.write() as db:
                count = history.forget(db, datetime.now(UTC) - timedelta(days=days))
            if count:
                log.info("forgot %s records older than %s days", count, days)
