"""Hosts, accounts, sites."""

from __future__ import annotations

from ...core.errors import SettingError
from ...models import (
    Account,
    Host,
    Page,
    SiteRow,
    Tried,
)
from ...records import inventory, jobs
from ...records.encryption import merged
from .. import account_removal, host_check
from ..context import context
from ..operations import arg, operation, paging
from .auth import note

_WORDS = {"q": "words that the name holds"}


@operation("GET", "/hosts", "Hosts", gives=Page[Host], paged=True, query=_WORDS)
def hosts_list() -> Page[Host]:
    return inventory.hosts(context().records.reader, context().cipher, paging(), arg("q"))


@operation("POST", "/hosts", "Add a host", takes=Host, gives=Host, status=201)
def hosts_add(body: Host) -> Host:
    with context().records.write() as db:
        inventory.save_host(db, context().cipher, body)
    return _host_saved(body.name, "added host")


@operation("GET", "/hosts/{name}", "One host", gives=Host)
def hosts_show(name: str) -> Host:
    return inventory.host(context().records.reader, context().cipher, name)


@operation("PUT", "/hosts/{name}", "Change a host", takes=Host, gives=Host)
def hosts_change(name: str, body: Host) -> Host:
    with context().records.write() as db:
        inventory.save_host(db, context().cipher, body, name)
    return _host_saved(body.name, "changed host")


@operation("DELETE", "/hosts/{name}", "Remove a host that has no accounts")
def hosts_remove(name: str) -> None:
    with context().records.write() as db:
        inventory.remove_host(db, name)
    note("removed host", name)
    context().events.changed("hosts")


def _host_saved(name: str, action: str) -> Host:
    note(action, name)
    context().events.changed("hosts")
    return hosts_show(name)


@operation(
    "POST",
    "/hosts/try",
    "Try a host as it is described, before saving it",
    takes=Host,
    gives=Tried,
    query={"saved": "a saved host that lends its secrets"},
)
def hosts_try_draft(body: Host) -> Tried:
    db, cipher = context().records.reader, context().cipher
    saved = arg("saved")
    old = inventory.host_secrets(db, cipher, saved) if saved else {}
    return host_check.try_host(
        context().config, body, merged(old, body.secrets.model_dump() if body.secrets else {}), []
    )


@operation(
    "POST",
    "/hosts/{name}/try",
    "Prove each step of reaching a host, its databases and its files",
    gives=Tried,
)
def hosts_try(name: str) -> Tried:
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
    gives=Page[Account],
    paged=True,
    query={**_WORDS, "host": "only of this host"},
)
def accounts_list() -> Page[Account]:
    db = context().records.reader
    return inventory.accounts(db, paging(), jobs.Coverage(db), arg("q"), arg("host"))


@operation(
    "POST",
    "/accounts",
    "Add an account with its sites, databases and mail domains",
    takes=Account,
    gives=Account,
    status=201,
)
def accounts_add(body: Account) -> Account:
    with context().records.write() as db:
        inventory.save_account(db, body)
    return _account_saved(body.name, "added account")


@operation("GET", "/accounts/{name}", "One account", gives=Account)
def accounts_show(name: str) -> Account:
    db = context().records.reader
    return inventory.account(db, name, jobs.Coverage(db))


@operation(
    "PUT",
    "/accounts/{name}",
    "Change an account and all that is in it",
    takes=Account,
    gives=Account,
)
def accounts_change(name: str, body: Account) -> Account:
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
    "Forget an account; its bundles stay unless asked otherwise",
    query={
        "bundles": "“remove” removes all copies of its and its sites' bundles first, but for "
        "pinned ones"
    },
)
def accounts_remove(name: str) -> None:
    db = context().records.reader
    account = inventory.account(db, name)
    if users := jobs.in_use(db, "account", name):
        raise SettingError(
            f"Job “{users[0]}” names the account “{name}”.", "Take it out of the job first."
        )
    if arg("bundles") not in ("", "remove"):
        raise SettingError(
            f"“{arg('bundles')}” is not known.", "Say “remove”, or leave it out.", field="bundles"
        )
    if arg("bundles"):
        account_removal.check_idle(context().dispatcher.busy(), account)
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


@operation("GET", "/sites", "Sites", gives=Page[SiteRow], paged=True, query=_WORDS)
def sites_list() -> Page[SiteRow]:
    db = context().records.reader
    return inventory.sites(db, paging(), jobs.Coverage(db), arg("q"))
