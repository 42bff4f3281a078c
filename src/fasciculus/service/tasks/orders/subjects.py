"""Subjects in orders, with their databases."""

from __future__ import annotations

import os
from dataclasses import dataclass

from ....contracts.orders import SubjectOrder
from ....core.dump.filters import DatabaseRules
from ....core.errors import SettingError
from ....core.subject import SubjectKind
from ....databases.base import DatabaseRef
from ....models import Account
from ....models.inventory.inventory import HostFields
from ....records import inventory
from .connections import OrderInputs


@dataclass(frozen=True, slots=True)
class FoundSubject:
    """A subject with its host, and its account unless it is a host itself."""

    order: SubjectOrder
    host: HostFields
    account: Account | None

    @property
    def owner(self) -> str:
        """Return the account's name; empty for a host."""
        return self.account.name if self.account else ""


def find_subject(sources: OrderInputs, kind: SubjectKind, name: str) -> FoundSubject:
    """Return a subject by its kind and name. Raises ``MissingError`` or ``SettingError``."""
    if kind == "host":
        host = inventory.host_fields(sources.db, name)
        return FoundSubject(
            SubjectOrder(kind=SubjectKind.HOST, name=name, host=name, root=""), host, None
        )
    owner = name if kind == "account" else inventory.account_of_site(sources.db, name)
    account = inventory.account(sources.db, owner)
    host = inventory.host_fields(sources.db, account.host)
    return FoundSubject(_below_account(account, kind, name), host, account)


def _below_account(account: Account, kind: SubjectKind, name: str) -> SubjectOrder:
    if kind == "account":
        roots = {site.name: site.root for site in account.sites}
        return SubjectOrder(
            kind=SubjectKind.ACCOUNT,
            name=name,
            host=account.host,
            root=account.home,
            home=account.home,
            site_roots=roots,
            account=name,
        )
    root = next((site.root for site in account.sites if site.name == name), None)
    if root is None:
        raise SettingError(f"There is no site “{name}” any more.", "Change the job.")
    return SubjectOrder(
        kind=SubjectKind.SITE,
        name=name,
        host=account.host,
        root=root,
        home=account.home,
        account=account.name,
    )


def databases_of(subject: FoundSubject, rules: DatabaseRules) -> list[DatabaseRef]:
    """Return all of an account's databases, or those that a site uses.

    Paths of database files are made relative to the subject's root.
    """
    account, order = subject.account, subject.order
    found = []
    for database in account.databases if account else ():
        if order.kind == "site" and database.site != order.name:
            continue
        if not rules.wants(database.name):
            continue
        path = database.path
        if path and account and order.kind == "site":
            whole = os.path.join(account.home, path)
            if not whole.startswith(order.root + "/"):
                raise SettingError(
                    f"The database file {database.name} of site {order.name} is outside its "
                    "document root.",
                    "Protect the account instead of the site.",
                )
            path = os.path.relpath(whole, order.root)
        found.append(DatabaseRef(database.engine, database.name, path))
    return found
