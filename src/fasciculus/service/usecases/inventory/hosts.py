"""Hosts."""

from __future__ import annotations

import sqlite3

from ....core.errors import SettingError
from ....models import (
    Host,
    HostInput,
    HostProposal,
    Page,
    TryResult,
)
from ....models.queries import SavedQuery, WordsQuery
from ....records import inventory
from ....records.jobs import jobs
from ....records.paging import page_request
from ....records.secret_cipher import merged
from ...settings.kind_settings import check_host
from ..caller import Caller
from . import host_check, host_proposal


def hosts_list(caller: Caller, query: WordsQuery) -> Page[Host]:
    """Return hosts."""
    return inventory.hosts(caller.reader, caller.cipher, page_request(query), query.q)


def hosts_add(caller: Caller, body: HostInput) -> Host:
    """Add a host."""
    settings = check_host(body)
    with caller.write() as db:
        inventory.save_host(db, caller.cipher, body, settings.describe())
    return _host_saved(caller, body.name, "added host")


def hosts_show(caller: Caller, name: str) -> Host:
    """Return one host."""
    return inventory.host(caller.reader, caller.cipher, name)


def hosts_change(caller: Caller, name: str, body: HostInput) -> Host:
    """Change a host."""
    settings = check_host(body)
    with caller.write() as db:
        if name != body.name:
            _check_not_chosen(db, name)
        inventory.save_host(db, caller.cipher, body, settings.describe(), name)
    return _host_saved(caller, body.name, "changed host")


def hosts_remove(caller: Caller, name: str) -> None:
    """Remove a host that has no accounts."""
    with caller.write() as db:
        _check_not_chosen(db, name)
        inventory.remove_host(db, name)
    caller.note("removed host", name)
    caller.changed("hosts")


def _check_not_chosen(db: sqlite3.Connection, host: str) -> None:
    """Raise ``SettingError`` where a job would lose what it covers with a host's name."""
    if users := jobs.by_host(db, host):
        raise SettingError(
            f"Job “{users[0]}” names the host “{host}”.",
            "Take it out of the job first.",
            field="name",
        )


def _host_saved(caller: Caller, name: str, action: str) -> Host:
    caller.note(action, name)
    caller.changed("hosts")
    return hosts_show(caller, name)


def hosts_try_draft(caller: Caller, body: HostInput, query: SavedQuery) -> TryResult:
    """Test a host before saving it."""
    return host_check.try_host(caller.config, body, _draft_secrets(caller, body, query.saved), [])


def hosts_propose(caller: Caller, body: HostInput, query: SavedQuery) -> HostProposal:
    """Look at a host and propose the rules by which its accounts are found."""
    secrets = _draft_secrets(caller, body, query.saved)
    return host_proposal.propose_rules(caller.config, body, secrets)


def _draft_secrets(caller: Caller, body: HostInput, saved: str) -> dict[str, str]:
    """Return the secrets of a checked draft, with those of the host that it is a draft of."""
    check_host(body)
    old = inventory.host_secrets(caller.reader, caller.cipher, saved) if saved else {}
    return merged(old, body.secrets)


def hosts_try(caller: Caller, name: str) -> TryResult:
    """Prove each step of reaching a host, its databases and its files."""
    db, cipher = caller.reader, caller.cipher
    host = inventory.host(db, cipher, name)
    homes = [
        account.home for account in inventory.every_account(db, name) if account.gone_since is None
    ]
    return host_check.try_host(caller.config, host, inventory.host_secrets(db, cipher, name), homes)
