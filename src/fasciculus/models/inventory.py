"""What exists: hosts, accounts, sites, databases, mail domains."""

from __future__ import annotations

import re
from typing import Annotated, Literal

from pydantic import AfterValidator, BaseModel, Field, model_validator

from ..core.bundle.layout import check_name
from ..core.discovery.accounts import rule_pattern
from ..core.errors import SettingError
from ..core.file_filters import check_pattern


def _named(value: str) -> str:
    try:
        return check_name(value.strip())
    except SettingError as error:
        raise ValueError(error.sentence()) from error


def _absolute(value: str) -> str:
    value = value.strip()
    if not value.startswith("/") or "/../" in value + "/" or value.rstrip("/") == "":
        raise ValueError("Write an absolute folder, from the first slash on, without “..”.")
    return value.rstrip("/")


def _absolute_or_empty(value: str) -> str:
    return _absolute(value) if value.strip() else ""


def _relative(value: str) -> str:
    value = value.strip()
    if value.startswith("/") or ".." in value.split("/"):
        raise ValueError("Write the path below the account's home, without “..”.")
    return value.rstrip("/")


def _mail_home(value: str) -> str:
    value = _absolute_or_empty(value)
    try:
        filled = value.format(domain="d.example", user="u")
    except (KeyError, IndexError, ValueError, AttributeError) as error:
        raise ValueError("Only {domain} and {user} can stand in it.") from error
    if value and ("d.example" not in filled or "/u" not in filled):
        raise ValueError("It needs {domain} and {user}, as in /var/vmail/{domain}/{user}.")
    return value


def _fills(value: str, *names: str) -> bool:
    """Whether nothing but these names stands in braces."""
    try:
        value.format(**dict.fromkeys(names, "x"))
    except (KeyError, IndexError, ValueError, AttributeError):
        return False
    return "." not in "".join(re.findall(r"{(.*?)}", value))


def _domain_path(value: str) -> str:
    value = _absolute_or_empty(value)
    if value and ("{domain}" not in value or not _fills(value, "domain")):
        raise ValueError(
            "It needs {domain} and nothing else in braces, as in /etc/opendkim/keys/{domain}."
        )
    return value


def _flag(value: str) -> str:
    value = _absolute_or_empty(value)
    if value and not (
        ("{site}" in value or "{account}" in value) and _fills(value, "site", "account")
    ):
        raise ValueError(
            "It needs {site} or {account} and nothing else in braces, as in /run/hold/{site}."
        )
    return value


def _place(value: str) -> str:
    try:
        rule_pattern(value.strip())
    except SettingError as error:
        raise ValueError(error.sentence()) from error
    return value.strip()


def _prefix(value: str) -> str:
    value = value.strip()
    if value and "{account}" not in value:
        raise ValueError("It needs {account}, as in {account}_.")
    return value


def _pattern(value: str) -> str:
    try:
        return check_pattern(value)
    except SettingError as error:
        raise ValueError(error.sentence()) from error


Name = Annotated[str, AfterValidator(_named)]
Place = Annotated[str, AfterValidator(_place)]
Pattern = Annotated[str, AfterValidator(_pattern)]
Folder = Annotated[str, AfterValidator(_absolute)]
OptionalPath = Annotated[str, AfterValidator(_absolute_or_empty)]
Below = Annotated[str, AfterValidator(_relative)]


class MariaDbServer(BaseModel):
    """A host's database server: a socket, or an address and port, and a user."""

    socket: OptionalPath = ""
    address: str = ""
    port: int = Field(default=3306, ge=1, le=65535)
    user: str = ""


class HostSecrets(BaseModel):
    """Given when saving, never given back. What is left out stays as it was."""

    mariadb_password: str | None = Field(default=None, repr=False)
    password: str | None = Field(default=None, repr=False)
    private_key: str | None = Field(default=None, repr=False)
    passphrase: str | None = Field(default=None, repr=False)


class MailFiles(BaseModel):
    """Where a host keeps mail settings. ``home`` and ``dkim`` have ``{domain}`` in them, ``home``
    also ``{user}``; ``refresh`` are commands to run after a restore, such as ``postmap FILE``."""

    alias_map: OptionalPath = ""
    mailbox_map: OptionalPath = ""
    transport_map: OptionalPath = ""
    passwd_file: OptionalPath = ""
    home: Annotated[str, AfterValidator(_mail_home)] = ""
    dkim: Annotated[str, AfterValidator(_domain_path)] = ""
    refresh: list[str] = []


class DiscoveryRules(BaseModel):
    """Where a host's accounts are found, in places such as ``/home/{account}``.

    ``sites`` are document roots with ``{account}`` and ``{site}`` in them, ``nginx`` and ``apache``
    file patterns of virtual hosts; ``database_prefix`` is such as ``{account}_``. With
    ``automatic`` what is new or changed is taken over every hour. An account that is gone is
    forgotten, with its bundles, after ``forget_after`` days; 0 leaves that to a person."""

    homes: list[Place] = []
    sites: list[Place] = []
    nginx: list[OptionalPath] = []
    apache: list[OptionalPath] = []
    database_prefix: Annotated[str, AfterValidator(_prefix)] = ""
    by_grants: bool = False
    sqlite: bool = False
    mail: bool = False
    leave_out: list[str] = []
    automatic: bool = False
    forget_after: int = Field(default=0, ge=0, le=36_500)


class Host(BaseModel):
    """A server where accounts live: this machine, or one reached over SSH.

    ``host_key`` is the accepted fingerprint, ``SHA256:…``. ``at_once`` is how many tasks it takes
    side by side. ``system`` are patterns of the host's own settings, ``account_system`` of an
    account's, with ``{account}``; ``hold_flag`` is the flag file of a site's hold page, with
    ``{site}`` or ``{account}``."""

    name: Name
    kind: Literal["local", "ssh"] = "local"
    address: str = ""
    port: int = Field(default=22, ge=1, le=65535)
    user: str = ""
    host_key: str = ""
    at_once: int = Field(default=1, ge=1, le=64)
    mariadb: MariaDbServer | None = None
    mail: MailFiles = MailFiles()
    system: list[Folder] = []
    account_system: list[Folder] = []
    hold_flag: Annotated[str, AfterValidator(_flag)] = ""
    finding: DiscoveryRules = DiscoveryRules()
    secrets: HostSecrets | None = Field(default=None, exclude_if=lambda value: value is None)
    accounts: int = 0
    secrets_set: list[str] = []
    #: Told by the service: where it is, in words.
    where: str = ""

    @model_validator(mode="after")
    def _reachable(self) -> Host:
        if self.kind == "ssh":
            for key in ("address", "user"):
                if not getattr(self, key).strip():
                    raise ValueError(f"{key}: a host over SSH needs its {key}.")
        return self


class Site(BaseModel):
    """A domain served from a document root, which lies below the account's home."""

    name: Name
    root: Folder


class Database(BaseModel):
    """``path`` is an SQLite file below the account's home; ``site`` the one that uses it."""

    engine: Literal["sqlite", "mariadb"]
    name: str = Field(min_length=1, max_length=64)
    path: Below = ""
    site: str | None = None


class Account(BaseModel):
    """One customer's space on a host."""

    name: Name
    host: str
    home: Folder
    sites: list[Site] = []
    databases: list[Database] = []
    mail_domains: list[Name] = []
    #: What is left out of every bundle of it, as in .gitignore.
    excludes: list[Pattern] = []
    #: Since when it was not found on its host any more.
    gone_since: str | None = None
    #: Told by the service: jobs that cover it, and its newest good copy.
    covered_by: list[str] = []
    newest: str | None = None
    newest_bytes: int = 0
    bundles: int = 0


class SiteRow(BaseModel):
    """A site in the list of all sites."""

    name: str
    root: str
    account: str
    host: str
    covered_by: list[str] = []
    newest: str | None = None
