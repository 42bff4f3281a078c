"""Accounts and their sites."""

from __future__ import annotations

from ....core.errors import SettingError
from ....models import (
    Account,
    AccountInput,
    Page,
    SiteRow,
)
from ....models.queries import AccountRemovalQuery, AccountsQuery, WordsQuery
from ....records import inventory
from ....records.jobs import jobs
from ....records.paging import page_request
from ... import account_removal
from ...settings.kind_settings import check_databases
from ..caller import Caller


def accounts_list(caller: Caller, query: AccountsQuery) -> Page[Account]:
    """Return accounts."""
    db = caller.reader
    return inventory.accounts(
        db, caller.scope, page_request(query), jobs.Coverage(db), query.q, query.host, query.tag
    )


def accounts_add(caller: Caller, body: AccountInput) -> Account:
    """Add an account with its sites, databases and mail domains."""
    check_databases(body.databases)
    with caller.write() as db:
        inventory.save_account(db, body)
    return _account_saved(caller, body.name, "added account")


def accounts_show(caller: Caller, name: str) -> Account:
    """Return one account."""
    db = caller.reader
    return inventory.account(db, name, jobs.Coverage(db), caller.scope)


def accounts_change(caller: Caller, name: str, body: AccountInput) -> Account:
    """Change an account and all that is in it."""
    check_databases(body.databases)
    with caller.write() as db:
        if name != body.name and (users := jobs.in_use(db, "account", name)):
            raise SettingError(
                f"Job “{users[0]}” names the account “{name}”.",
                "Take it out of the job first.",
                field="name",
            )
        inventory.save_account(db, body, name)
    return _account_saved(caller, body.name, "changed account")


def accounts_remove(caller: Caller, name: str, query: AccountRemovalQuery) -> None:
    """Remove an account; its bundles stay unless asked otherwise."""
    db = caller.reader
    account = inventory.account(db, name, scope=caller.scope)
    if users := jobs.in_use(db, "account", name):
        raise SettingError(
            f"Job “{users[0]}” names the account “{name}”.", "Take it out of the job first."
        )
    if query.bundles:
        account_removal.check_idle(caller.service.tasks.busy(), account)
        count = account_removal.remove_bundles(
            caller.config, caller.records, caller.cipher, account
        )
        caller.note("removed bundles", f"{count} copies of {name}")
        caller.changed("bundles")
    with caller.write() as writer:
        inventory.remove_account(writer, name)
    caller.note("removed account", name)
    caller.changed("accounts")


def _account_saved(caller: Caller, name: str, action: str) -> Account:
    caller.note(action, name)
    caller.changed("accounts")
    return accounts_show(caller, name)


def sites_list(caller: Caller, query: WordsQuery) -> Page[SiteRow]:
    """Return sites."""
    db = caller.reader
    return inventory.sites(db, caller.scope, page_request(query), jobs.Coverage(db), query.q)
