"""Removal of accounts, with all their bundles if wanted."""

from __future__ import annotations

import logging
from collections.abc import Sequence
from contextlib import closing
from datetime import UTC, datetime

from ..config import Config
from ..core import retention, schedule
from ..core.errors import SettingError
from ..core.subject import Subject
from ..models import Account
from ..records import inventory
from ..records.bundles import bundles
from ..records.db import Records
from ..records.jobs import jobs
from ..records.secret_cipher import SecretCipher
from ..records.stores import stores
from . import outside
from .stores.store_work import remove_copies, sweep_pieces
from .tasks.orders.connections import OrderInputs, recorded_copies, store_order

log = logging.getLogger(__name__)

#: Seconds that removing pieces from one store may take.
_DEADLINE = 1800.0


def subjects_of(account: Account) -> list[Subject]:
    """Return the account and its sites: all subjects that may have bundles."""
    return [
        Subject.of("account", account.name),
        *(Subject.of("site", site.name) for site in account.sites),
    ]


def remove_bundles(config: Config, records: Records, cipher: SecretCipher, account: Account) -> int:
    """Remove every copy of an account's and its sites' bundles from the stores. Returns how many.

    It can be interrupted and repeated: a bundle's ``bundle.json`` is removed first, and the records
    forget a copy only after its removal. Raises ``FasciculusError`` when a store does not answer.
    """
    count = 0
    for subject in subjects_of(account):
        found = bundles.copies_by_store(records.reader, subject.kind, subject.name)
        for store_name, names in found.items():
            count += _remove_copies(config, records, cipher, subject, store_name, names)
    return count


def _remove_copies(
    config: Config,
    records: Records,
    cipher: SecretCipher,
    subject: Subject,
    store_name: str,
    names: Sequence[str],
) -> int:
    """Remove some copies of a subject from a store, and the pieces that no other one needs."""
    sources = OrderInputs(config, records.reader, cipher)
    order = store_order(sources, store_name)
    with closing(outside.OutsideStream(remove_copies, order, subject, names)) as removed:
        for name in map(bytes.decode, removed):
            with records.write() as db:
                bundles.retire(db, subject.kind, subject.name, name, store_name)
            for kept in config.listing(subject.kind, subject.name, name).parent.glob(f"{name}*"):
                if kept.name.removesuffix(kept.suffix) in (name, f"{name}@{store_name}"):
                    kept.unlink()
    order.recorded = recorded_copies(sources, store_name, subject)
    for trouble in outside.call_within(_DEADLINE, sweep_pieces, order, subject):
        log.warning("%s", trouble)
    return len(names)


def retire_copies(
    config: Config, records: Records, cipher: SecretCipher, account: Account, now: datetime
) -> int:
    """Retire copies that the keep rules for deleted accounts do not keep. Returns how many.

    No run retires anything of such an account any more. Raises ``FasciculusError`` when a store
    does not answer.
    """
    count = 0
    for job in jobs.jobs(records.reader):
        if not job.keep_gone:
            continue
        rule, zone = retention.parse(job.keep_gone), schedule.zone(job.zone)
        for subject in subjects_of(account):
            for store in job.stores:
                if stores.fields(records.reader, store).append_only:
                    continue
                copies = bundles.known_on(
                    records.reader, subject.kind, subject.name, job.name, store
                )
                going = [copy.name for copy in retention.retiring(copies, rule, zone, now)]
                if going:
                    count += _remove_copies(config, records, cipher, subject, store, going)
    return count


def check_idle(busy: set[Subject], account: Account) -> None:
    """Nobody removes what is being written."""
    for subject in subjects_of(account):
        if subject in busy:
            raise SettingError(
                f"A task or restore of {subject.name} is running.",
                "Wait for its end, or cancel it.",
            )


def gone(records: Records) -> list[Account]:
    """Return the deleted accounts."""
    return [a for a in inventory.every_account(records.reader) if a.gone_since is not None]


def overdue(records: Records, cipher: SecretCipher) -> list[Account]:
    """Return the accounts that have been gone for longer than their hosts say that their bundles
    stay.
    """
    found = []
    for account in gone(records):
        assert account.gone_since is not None
        days = inventory.host(records.reader, cipher, account.host).discovery.forget_after
        away = datetime.now(UTC) - datetime.fromisoformat(account.gone_since)
        if days and away.days >= days:
            found.append(account)
    return found
