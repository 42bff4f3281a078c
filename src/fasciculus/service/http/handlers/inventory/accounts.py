"""Accounts and their sites."""

from __future__ import annotations

from .....core.permissions import Permission
from .....models import Account, AccountInput, Page, SiteRow
from .....models.queries import AccountRemovalQuery, AccountsQuery, WordsQuery
from ....usecases.inventory import accounts
from ...operations import operation
from ...request import caller


@operation(
    "GET",
    "/accounts",
    "Accounts",
    Permission.VIEW,
    response=Page[Account],
    query=AccountsQuery,
    scoped=True,
)
def accounts_list(query: AccountsQuery) -> Page[Account]:
    return accounts.accounts_list(caller(), query)


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
    return accounts.accounts_add(caller(), body)


@operation("GET", "/accounts/{name}", "One account", Permission.VIEW, response=Account, scoped=True)
def accounts_show(name: str) -> Account:
    return accounts.accounts_show(caller(), name)


@operation(
    "PUT",
    "/accounts/{name}",
    "Change an account and all that is in it",
    Permission.CONFIGURE,
    body=AccountInput,
    response=Account,
)
def accounts_change(name: str, body: AccountInput) -> Account:
    return accounts.accounts_change(caller(), name, body)


@operation(
    "DELETE",
    "/accounts/{name}",
    "Remove an account; its bundles stay unless asked otherwise",
    Permission.CONFIGURE,
    query=AccountRemovalQuery,
)
def accounts_remove(name: str, query: AccountRemovalQuery) -> None:
    accounts.accounts_remove(caller(), name, query)


@operation(
    "GET", "/sites", "Sites", Permission.VIEW, response=Page[SiteRow], query=WordsQuery, scoped=True
)
def sites_list(query: WordsQuery) -> Page[SiteRow]:
    return accounts.sites_list(caller(), query)
