"""Hosts, accounts, sites."""

from __future__ import annotations

import sqlite3

from ...core.errors import SettingError
from ...core.permissions import Permission
from ...models import (
    Account,
    AccountInput,
    Host,
    HostInput,
    HostProposal,
    Page,
    SiteRow,
    TryResult,
)
from ...models.queries import AccountRemovalQuery, AccountsQuery, SavedQuery, WordsQuery
from ...records import inventory, jobs
from ...records.secret_cipher import merged
from .. import account_removal, host_check, host_proposal
from ..context import context
from ..kind_settings import check_databases, check_host
from ..operations import operation, page_request
from .auth import note


@operation("GET", "/hosts", "Hosts", Permission.VIEW, response=Page[Host], query=WordsQuery)
def hosts_list(query: WordsQuery) -> Page[Host]:
    return inventory.hosts(context().records.reader, context().cipher, page_request(query), query.q)


@operation(
    "POST", "/hosts", "Add a host", Permission.CONFIGURE, body=HostInput, response=Host, status=201
)
def hosts_add(body: HostInput) -> Host:
    settings = check_host(body)
    with context().records.write() as db:
        inventory.save_host(db, context().cipher, body, settings.describe())
    return _host_saved(body.name, "added host")


@operation("GET", "/hosts/{name}", "One host", Permission.VIEW, response=Host)
def hosts_show(name: str) -> Host:
    return inventory.host(context().records.reader, context().cipher, name)


@operation(
    "PUT", "/hosts/{name}", "Change a host", Permission.CONFIGURE, body=HostInput, response=Host
)
def hosts_change(name: str, body: HostInput) -> Host:
    settings = check_host(body)
    with context().records.write() as db:
        if name != body.name:
            _check_not_chosen(db, name)
        inventory.save_host(db, context().cipher, body, settings.describe(), name)
    return _host_saved(body.name, "changed host")


@operation("DELETE", "/hosts/{name}", "Remove a host that has no accounts", Permission.CONFIGURE)
def hosts_remove(name: str) -> None:
    with context().records.write() as db:
        _check_not_chosen(db, name)
        inventory.remove_host(db, name)
    note("removed host", name)
    context().events.changed("hosts")


def _check_not_chosen(db: sqlite3.Connection, host: str) -> None:
    """Raise ``SettingError`` where a job would lose what it covers with a host's name."""
    if users := jobs.by_host(db, host):
        raise SettingError(
            f"Job “{users[0]}” names the host “{host}”.",
            "Take it out of the job first.",
            field="name",
        )


def _host_saved(name: str, action: str) -> Host:
    note(action, name)
    context().events.changed("hosts")
    return hosts_show(name)


@operation(
    "POST",
    "/hosts/try",
    "Test a host before saving it",
    Permission.CONFIGURE,
    body=HostInput,
    response=TryResult,
    query=SavedQuery,
)
def hosts_try_draft(body: HostInput, query: SavedQuery) -> TryResult:
    check_host(body)
    db, cipher = context().records.reader, context().cipher
    old = inventory.host_secrets(db, cipher, query.saved) if query.saved else {}
    return host_check.try_host(context().config, body, merged(old, body.secrets), [])


@operation(
    "POST",
    "/hosts/proposal",
    "Look at a host and propose the rules by which its accounts are found",
    Permission.CONFIGURE,
    body=HostInput,
    response=HostProposal,
    query=SavedQuery,
)
def hosts_propose(body: HostInput, query: SavedQuery) -> HostProposal:
    check_host(body)
    db, cipher = context().records.reader, context().cipher
    old = inventory.host_secrets(db, cipher, query.saved) if query.saved else {}
    return host_proposal.propose_rules(context().config, body, merged(old, body.secrets))


@operation(
    "POST",
    "/hosts/{name}/try",
    "Prove each step of reaching a host, its databases and its files",
    Permission.OPERATE,
    response=TryResult,
)
def hosts_try(name: str) -> TryResult:
    db, cipher = context().records.reader, context().cipher
    host = inventory.host(db, cipher, name)
    homes = [
        account.home for account in inventory.every_account(db, name) if account.gone_since is None
    ]
    return host_check.try_host(
        context().config, host, inventory.host_secrets(db, cipher, name), homes
    )


@operation(
    "GET",
    "/accounts",
    "Accounts",
    Permission.VIEW,
    response=Page[Account],
    query=AccountsQuery,
)
def accounts_list(query: AccountsQuery) -> Page[Account]:
    db = context().records.reader
    return inventory.accounts(
        db, page_request(query), jobs.Coverage(db), query.q, query.host, query.tag
    )


@operation(
    "POST",
    "/accounts",
    "Add an account with its sites, databases and mail domains",
    Permission.CONFIGURE,
    body=AccountInput,
    response=Account,
    status=201,
)
def accounts_add(body: AccountInput) -> Account:
    check_databases(body.databases)
    with context().records.write() as db:
        inventory.save_account(db, body)
    return _account_saved(body.name, "added account")


@operation("GET", "/accounts/{name}", "One account", Permission.VIEW, response=Account)
def accounts_show(name: str) -> Account:
    db = context().records.reader
    return inventory.account(db, name, jobs.Coverage(db))


@operation(
    "PUT",
    "/accounts/{name}",
    "Change an account and all that is in it",
    Permission.CONFIGURE,
    body=AccountInput,
    response=Account,
)
def accounts_change(name: str, body: AccountInput) -> Account:
    check_databases(body.databases)
    with context().records.write() as db:
        if name != body.name and (users := jobs.in_use(db, "account", name)):
            raise SettingError(
                f"Job “{users[0]}” names the account “{name}”.",
                "Take it out of the job first.",
                field="name",
            )
        inventory.save_account(db, body, name)
    return _account_saved(body.name, "changed account")


@operation(
    "DELETE",
    "/accounts/{name}",
    "Remove an account; its bundles stay unless asked otherwise",
    Permission.CONFIGURE,
    query=AccountRemovalQuery,
)
def accounts_remove(name: str, query: AccountRemovalQuery) -> None:
    db = context().records.reader
    account = inventory.account(db, name)
    if users := jobs.in_use(db, "account", name):
        raise SettingError(
            f"Job “{users[0]}” names the account “{name}”.", "Take it out of the job first."
        )
    if query.bundles:
        account_removal.check_idle(context().tasks.busy(), account)
        count = account_removal.remove_bundles(
            context().config, context().records, context().cipher, account
        )
        note("removed bundles", f"{count} copies of {name}")
        context().events.changed("bundles")
    with context().records.write() as writer:
        inventory.remove_account(writer, name)
    note("removed account", name)
    context().events.changed("accounts")


def _account_saved(name: str, action: str) -> Account:
    note(action, name)
    context().events.changed("accounts")
    return accounts_show(name)


@operation("GET", "/sites", "Sites", Permission.VIEW, response=Page[SiteRow], query=WordsQuery)
def sites_list(query: WordsQuery) -> Page[SiteRow]:
    db = context().records.reader
    return inventory.sites(db, page_request(query), jobs.Coverage(db), query.q)
