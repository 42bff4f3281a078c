"""Hosts, accounts, sites, databases and mail domains."""

from __future__ import annotations

import re
from typing import Annotated

from pydantic import Field

from ..kinds import KindSettings
from ..model import Model, RenamedFields
from ..texts import (
    AbsolutePath,
    Below,
    Name,
    OptionalPath,
    Pattern,
    Place,
    QueueName,
    absolute_or_empty,
    checked,
    mail_address_or_empty,
)


def _mail_home(value: str) -> str:
    value = absolute_or_empty(value)
    try:
        filled = value.format(domain="d.example", user="u")
    except (KeyError, IndexError, ValueError, AttributeError) as error:
        raise ValueError("Only {domain} and {user} can be used in it.") from error
    if value and ("d.example" not in filled or "/u" not in filled):
        raise ValueError("It needs {domain} and {user}, as in /var/vmail/{domain}/{user}.")
    return value


def _fills(value: str, *names: str) -> bool:
    """Return whether only these names are in braces."""
    try:
        value.format(**dict.fromkeys(names, "x"))
    except (KeyError, IndexError, ValueError, AttributeError):
        return False
    return "." not in "".join(re.findall(r"{(.*?)}", value))


def _domain_path(value: str) -> str:
    value = absolute_or_empty(value)
    if value and ("{domain}" not in value or not _fills(value, "domain")):
        raise ValueError(
            "It needs {domain} and nothing else in braces, as in /etc/opendkim/keys/{domain}."
        )
    return value


def _flag(value: str) -> str:
    value = absolute_or_empty(value)
    if value and not (
        ("{site}" in value or "{account}" in value) and _fills(value, "site", "account")
    ):
        raise ValueError(
            "It needs {site} or {account} and nothing else in braces, as in /run/hold/{site}."
        )
    return value


def _prefix(value: str) -> str:
    value = value.strip()
    if value and "{account}" not in value:
        raise ValueError("It needs {account}, as in {account}_.")
    return value


def _each_once(values: list[str]) -> list[str]:
    return sorted(set(values))


class MailFiles(Model):
    """The mail settings of a host. ``home`` and ``dkim`` contain ``{domain}``, ``home`` also
    ``{user}``; ``refresh`` lists commands to run after a restore, such as ``postmap FILE``.
    """

    alias_map: OptionalPath = ""
    mailbox_map: OptionalPath = ""
    transport_map: OptionalPath = ""
    passwd_file: OptionalPath = ""
    home: Annotated[str, checked(_mail_home)] = ""
    dkim: Annotated[str, checked(_domain_path)] = ""
    refresh: list[str] = []


class DiscoveryRules(Model):
    """The discovery rules of a host, with patterns such as ``/home/{account}``.

    ``sites`` are document roots with ``{account}`` and ``{site}`` in them, ``nginx`` and ``apache``
    file patterns of virtual hosts; ``database_prefix`` is such as ``{account}_``. With
    ``automatic`` new and changed accounts are accepted every hour. A deleted account and its
    bundles are forgotten after ``forget_after`` days; 0 means only by hand.
    """

    homes: list[Place] = []
    sites: list[Place] = []
    nginx: list[OptionalPath] = []
    apache: list[OptionalPath] = []
    database_prefix: Annotated[str, checked(_prefix)] = ""
    by_grants: bool = False
    sqlite: bool = False
    mail: bool = False
    leave_out: list[str] = []
    automatic: bool = False
    forget_after: int = Field(default=0, ge=0, le=36_500)


class HostFields(RenamedFields):
    """The common fields of input and output: a server that hosts accounts.

    ``connection`` says how it is reached; ``servers`` are its database servers, one per engine.
    ``max_concurrent`` limits the tasks that run on it at the same time; 0 is the default for its
    kind.
    ``system`` are patterns of the host's own settings, ``account_system`` of an account's, with
    ``{account}``; ``hold_flag`` is the flag file of a site's hold page, with ``{site}`` or
    ``{account}``.
    """

    former_names = {"at_once": "max_concurrent", "finding": "discovery"}
    name: Name
    connection: KindSettings = KindSettings(kind="local")
    max_concurrent: int = Field(default=0, ge=0, le=64)
    #: The queue of the workers near it; empty for the service's machine.
    queue: QueueName = ""
    servers: list[KindSettings] = []
    mail: MailFiles = MailFiles()
    system: list[AbsolutePath] = []
    account_system: list[AbsolutePath] = []
    #: Commands to run after an account's settings were restored, such as “systemctl reload nginx”.
    system_refresh: list[str] = []
    hold_flag: Annotated[str, checked(_flag)] = ""
    discovery: DiscoveryRules = DiscoveryRules()


class HostInput(HostFields):
    """A host to be saved. ``secrets`` are those of its connection, and those of its database
    servers as ``mariadb_password``; omitted secrets keep their value, an empty text removes one."""

    secrets: dict[str, str | None] = Field(default={}, repr=False)


class RuleProposal(Model):
    """A rule that a look at a host proposes: the field that it sets, and what it would find."""

    field: str
    value: str
    finds: str


class HostProposal(Model):
    """A host with proposed rules, each of them, and what they find together, in words."""

    host: HostFields
    rules: list[RuleProposal] = []
    finds: str = ""


class Host(HostFields):
    """A host, with its place in words and its number of accounts."""

    where: str
    accounts: int = 0
    secrets_set: list[str] = []


class Site(Model):
    """A domain served from a document root, which is below the account's home."""

    name: Name
    root: AbsolutePath


class Database(Model):
    """``path`` is that of a database file below the account's home; ``site`` the one that uses
    it."""

    engine: str = Field(min_length=1, max_length=64)
    name: str = Field(min_length=1, max_length=64)
    path: Below = ""
    site: str | None = None


class AccountFields(Model):
    """The common fields of input and output: one customer's space on a host."""

    name: Name
    host: str
    home: AbsolutePath
    sites: list[Site] = []
    databases: list[Database] = []
    mail_domains: list[Name] = []
    #: What is excluded from every bundle of it, as in .gitignore.
    excludes: list[Pattern] = []
    #: Notified about this account, if a job notifies contacts.
    contact: Annotated[str, checked(mail_address_or_empty)] = ""
    #: What it is marked with, so that a job can choose it by that: names such as “shops”.
    tags: Annotated[list[Name], checked(_each_once)] = Field(default=[], max_length=50)


class AccountInput(AccountFields):
    """An account to be saved."""


class Account(AccountFields):
    """An account, with the jobs that cover it and its newest good copy."""

    #: Since when it was not found on its host any more.
    gone_since: str | None = None
    covered_by: list[str] = []
    newest: str | None = None
    newest_bytes: int = 0
    bundles: int = 0


class SiteRow(Model):
    """A site in the list of all sites."""

    name: str
    root: str
    account: str
    host: str
    covered_by: list[str] = []
    newest: str | None = None
