"""Hosts, accounts, sites."""

from __future__ import annotations

import os

from ...core.errors import BadSetting, Trouble
from ...models import Account, Host, Page, SiteRow, Tried, TryStep
from ...reach.local import LocalReach
from ...records import inventory, jobs
from ...records.paging import Ask
from .. import orders
from ..parts import parts
from ..registry import arg, ask, operation
from .doors import note

_WORDS = {"q": "words that the name holds"}


@operation("GET", "/hosts", "Hosts", gives=Page[Host], paged=True, query=_WORDS)
def hosts_list() -> Page[Host]:
    return inventory.hosts(parts().records.reader, parts().seal, ask(), arg("q"))


@operation("POST", "/hosts", "Add a host", takes=Host, gives=Host, status=201)
def hosts_add(body: Host) -> Host:
    with parts().records.write() as db:
        inventory.save_host(db, parts().seal, body)
    return _host_saved(body.name, "added host")


@operation("GET", "/hosts/{name}", "One host", gives=Host)
def hosts_show(name: str) -> Host:
    return inventory.host(parts().records.reader, parts().seal, name)


@operation("PUT", "/hosts/{name}", "Change a host", takes=Host, gives=Host)
def hosts_change(name: str, body: Host) -> Host:
    with parts().records.write() as db:
        inventory.save_host(db, parts().seal, body, name)
    return _host_saved(body.name, "changed host")


@operation("DELETE", "/hosts/{name}", "Remove a host that has no accounts")
def hosts_remove(name: str) -> None:
    with parts().records.write() as db:
        inventory.remove_host(db, name)
    note("removed host", name)
    parts().hub.changed("hosts")


def _host_saved(name: str, action: str) -> Host:
    note(action, name)
    parts().hub.changed("hosts")
    return hosts_show(name)


@operation("POST", "/hosts/{name}/try", "Prove that a host's databases and mail files answer",
           gives=Tried)
def hosts_try(name: str) -> Tried:
    db, seal = parts().records.reader, parts().seal
    host = inventory.host(db, seal, name)
    reach, steps = LocalReach(), []
    if order := orders.mariadb_order(db, seal, host):
        try:
            with reach.mariadb(order.spec()) as server:
                version = (server.rows("SELECT version()")[0][0] or b"").decode()
            steps.append(TryStep(name="database server", ok=True, text=f"It answers: {version}."))
        except Trouble as error:
            steps.append(TryStep(name="database server", ok=False, text=error.message,
                                 way_out=error.way_out))
    for what, path in (("alias map", host.alias_map), ("passwd-file", host.passwd_file)):
        if path:
            try:
                reach.read_text(path)
                steps.append(TryStep(name=what, ok=True, text=f"{path} can be read."))
            except Trouble as error:
                steps.append(TryStep(name=what, ok=False, text=error.message, way_out=error.way_out))
    found = inventory.accounts(db, Ask(limit=500), lambda k, n: [], host=name).items
    steps += [
        TryStep(name=f"account {account.name}", ok=False, text=f"{account.home} cannot be read.",
                way_out="Correct the account's home, or its rights.")
        for account in found if not os.access(account.home, os.R_OK | os.X_OK)
    ]
    if not steps:
        steps.append(TryStep(name="host", ok=True, text="This machine; nothing further is set."))
    return Tried(ok=all(step.ok for step in steps), steps=steps)


@operation("GET", "/accounts", "Accounts", gives=Page[Account], paged=True,
           query={**_WORDS, "host": "only of this host"})
def accounts_list() -> Page[Account]:
    db = parts().records.reader
    return inventory.accounts(db, ask(), jobs.Coverage(db), arg("q"), arg("host"))


@operation("POST", "/accounts", "Add an account with its sites, databases and mail domains",
           takes=Account, gives=Account, status=201)
def accounts_add(body: Account) -> Account:
    with parts().records.write() as db:
        inventory.save_account(db, body)
    return _account_saved(body.name, "added account")


@operation("GET", "/accounts/{name}", "One account", gives=Account)
def accounts_show(name: str) -> Account:
    db = parts().records.reader
    return inventory.account(db, name, jobs.Coverage(db))


@operation("PUT", "/accounts/{name}", "Change an account and all that is in it", takes=Account,
           gives=Account)
def accounts_change(name: str, body: Account) -> Account:
    with parts().records.write() as db:
        if name != body.name and (users := jobs.in_use(db, "account", name)):
            raise BadSetting(f"Job “{users[0]}” names the account “{name}”.",
                             "Take it out of the job first.", field="name")
        inventory.save_account(db, body, name)
    return _account_saved(body.name, "changed account")


@operation("DELETE", "/accounts/{name}", "Forget an account; its bundles stay")
def accounts_remove(name: str) -> None:
    with parts().records.write() as db:
        if users := jobs.in_use(db, "account", name):
            raise BadSetting(f"Job “{users[0]}” names the account “{name}”.",
                             "Take it out of the job first.")
        inventory.remove_account(db, name)
    note("removed account", name)
    parts().hub.changed("accounts")


def _account_saved(name: str, action: str) -> Account:
    note(action, name)
    parts().hub.changed("accounts")
    return accounts_show(name)


@operation("GET", "/sites", "Sites", gives=Page[SiteRow], paged=True, query=_WORDS)
def sites_list() -> Page[SiteRow]:
    db = parts().records.reader
    return inventory.sites(db, ask(), jobs.Coverage(db), arg("q"))
