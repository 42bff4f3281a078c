"""What exists: hosts, accounts, sites, databases, mail domains."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import AfterValidator, BaseModel, Field

from ..core.bundling.names import check_name
from ..core.errors import BadSetting


def _named(value: str) -> str:
    try:
        return check_name(value.strip())
    except BadSetting as error:
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


Name = Annotated[str, AfterValidator(_named)]
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


class Host(BaseModel):
    """A server where accounts live. Mail paths are those of the host's own files;
    ``mail_home`` has ``{domain}`` and ``{user}`` in it."""

    name: Name
    kind: Literal["local"] = "local"
    mariadb: MariaDbServer | None = None
    alias_map: OptionalPath = ""
    passwd_file: OptionalPath = ""
    mail_home: Annotated[str, AfterValidator(_mail_home)] = ""
    secrets: HostSecrets | None = Field(default=None, exclude_if=lambda value: value is None)
    accounts: int = 0
    secrets_set: list[str] = []


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
