"""Accounts from the facts about a host, and the differences to the known ones."""

from __future__ import annotations

import os
import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field

from ..bundle.layout import check_name
from ..errors import SettingError
from .web_server_config import VirtualHost


@dataclass(frozen=True, slots=True)
class DiscoveredDatabase:
    """A database; ``path`` is its file below the home, if it is a file."""

    engine: str
    name: str
    path: str = ""
    site: str = ""


@dataclass(slots=True)
class DiscoveredAccount:
    """One account as the host shows it. ``sites`` maps domains to document roots."""

    name: str
    home: str
    sites: dict[str, str] = field(default_factory=dict)
    databases: set[DiscoveredDatabase] = field(default_factory=set)
    mail_domains: set[str] = field(default_factory=set)


@dataclass(slots=True)
class HostFacts:
    """The facts read from a host.

    ``folders`` are folders that exist, as far as any rule asks for them; ``databases`` are (engine,
    name) of the servers' databases, ``grants`` those that each database user has rights on, and
    ``database_files`` (engine, full path) of the others.
    """

    folders: list[str] = field(default_factory=list)
    virtual_hosts: list[VirtualHost] = field(default_factory=list)
    databases: list[tuple[str, str]] = field(default_factory=list)
    grants: dict[str, set[tuple[str, str]]] = field(default_factory=dict)
    mail_domains: list[str] = field(default_factory=list)
    database_files: list[tuple[str, str]] = field(default_factory=list)


def rule_pattern(rule: str) -> re.Pattern[str]:
    """Return a place such as ``/home/{account}`` as a pattern; :class:`SettingError` for what is
    none.
    """
    pieces = re.split(r"(\{\w+\})", rule)
    names = [piece[1:-1] for piece in pieces[1::2]]
    if not rule.startswith("/") or set(names) - {"account", "site"} or names.count("account") != 1:
        raise SettingError(
            f"“{rule}” is not a rule for places.",
            "Write it like /home/{account} or /home/{account}/sites/{site}.",
        )
    if len(names) != len(set(names)):
        raise SettingError(
            f"“{rule}” names something twice.", "Name {account} and {site} once each."
        )
    return re.compile(
        "".join(
            f"(?P<{piece[1:-1]}>[^/]+)" if number % 2 else re.escape(piece)
            for number, piece in enumerate(pieces)
        )
    )


def rule_glob(rule: str) -> str:
    """Return the same place for a shell's eyes, with ``*`` for what the rule finds out."""
    return re.sub(r"\{\w+\}", "*", rule)


def _usable(name: str) -> bool:
    try:
        check_name(name)
    except SettingError:
        return False
    return True


def assemble(
    facts: HostFacts,
    homes: Sequence[str],
    sites: Sequence[str],
    database_prefix: str,
    by_grants: bool,
    excluded: Iterable[str],
) -> list[DiscoveredAccount]:
    """Return the accounts that the rules find in the facts, sorted by name.

    ``database_prefix`` has ``{account}`` in it, as in ``{account}_``; empty for none.
    """
    skipped = frozenset(excluded)
    found: dict[str, DiscoveredAccount] = {}
    for rule in homes:
        pattern = rule_pattern(rule)
        for folder in facts.folders:
            match = pattern.fullmatch(folder)
            if match and match["account"] not in skipped and _usable(match["account"]):
                found.setdefault(match["account"], DiscoveredAccount(match["account"], folder))
    for rule in sites:
        pattern = rule_pattern(rule)
        for folder in facts.folders:
            match = pattern.fullmatch(folder)
            if (
                match
                and match["account"] in found
                and "." in match["site"]
                and _usable(match["site"])
            ):
                found[match["account"]].sites.setdefault(match["site"], folder)
    by_home = {account.home: account for account in found.values()}
    for host in facts.virtual_hosts:
        owner = _owner(by_home, host.root)
        # A further name of a site that is known is not another site.
        if owner is not None and host.names and _usable(host.names[0]):
            owner.sites.setdefault(host.names[0], host.root)
    _databases(found, facts, database_prefix, by_grants)
    for engine, path in facts.database_files:
        if owner := _owner(by_home, path):
            owner.databases.add(_database_file(owner, engine, path))
    _mail(found, facts.mail_domains)
    return [found[name] for name in sorted(found)]


@dataclass(frozen=True, slots=True)
class Unmatched:
    """Findings on a host that no rule assigns to an account.

    ``databases`` are (engine, name) of its servers, ``names`` are server names that say no domain,
    each with its document root.
    """

    databases: tuple[tuple[str, str], ...] = ()
    names: tuple[tuple[str, str], ...] = ()


def unmatched(facts: HostFacts, found: Iterable[DiscoveredAccount]) -> Unmatched:
    """Return what of the facts belongs to none of the accounts."""
    accounts = list(found)
    owned = {(d.engine, d.name) for account in accounts for d in account.databases if not d.path}
    by_home = {account.home: account for account in accounts}
    return Unmatched(
        tuple(sorted(set(facts.databases) - owned)),
        tuple(
            sorted(
                {
                    (name, host.root)
                    for host in facts.virtual_hosts
                    for name in host.unread
                    if _owner(by_home, host.root) is not None
                }
            )
        ),
    )


def _owner(by_home: dict[str, DiscoveredAccount], path: str) -> DiscoveredAccount | None:
    """Return the account whose home holds a path."""
    while len(path) > 1:
        if path in by_home:
            return by_home[path]
        path = os.path.dirname(path)
    return None


def _databases(
    found: dict[str, DiscoveredAccount], facts: HostFacts, prefix: str, by_grants: bool
) -> None:
    if prefix:
        # The longest prefix owns a database: “mill_pond_shop” is not one of “mill”.
        prefixes = sorted(
            ((prefix.replace("{account}", name), name) for name in found),
            key=lambda row: -len(row[0]),
        )
        for engine, database in facts.databases:
            owner = next(
                (
                    name
                    for text, name in prefixes
                    if database.startswith(text) or database == text.rstrip("_")
                ),
                None,
            )
            if owner is not None:
                found[owner].databases.add(DiscoveredDatabase(engine, database))
    if by_grants:
        known = set(facts.databases)
        for user, databases in facts.grants.items():
            if user in found:
                found[user].databases |= {DiscoveredDatabase(*row) for row in databases & known}


def _database_file(owner: DiscoveredAccount, engine: str, path: str) -> DiscoveredDatabase:
    below = os.path.relpath(path, owner.home)
    site = next((site for site, root in owner.sites.items() if path.startswith(root + "/")), "")
    return DiscoveredDatabase(engine, below[-64:], below, site)


def _mail(found: dict[str, DiscoveredAccount], domains: Iterable[str]) -> None:
    """Assign each mail domain to the account that has a site of that name, or below it."""
    owners: dict[str, str] = {}
    for account in found.values():
        for site in account.sites:
            owners.setdefault(site, account.name)
    for account in found.values():
        for site in account.sites:
            parent = site.partition(".")[2]
            if "." in parent:
                owners.setdefault(parent, account.name)
    for domain in domains:
        if domain in owners and _usable(domain):
            found[owners[domain]].mail_domains.add(domain)


@dataclass(frozen=True, slots=True)
class Proposal:
    """One account that is new, changed or gone; ``changes`` says what, in words."""

    kind: str
    account: DiscoveredAccount
    changes: tuple[str, ...] = ()


def difference(
    found: Sequence[DiscoveredAccount], known: Sequence[DiscoveredAccount]
) -> list[Proposal]:
    """Return what would have to be taken over for the known accounts to be as they were found."""
    before = {account.name: account for account in known}
    after = {account.name: account for account in found}
    rows = []
    for name in sorted(before.keys() | after.keys()):
        if name not in before:
            rows.append(Proposal("new", after[name], tuple(_contents(after[name]))))
        elif name not in after:
            rows.append(Proposal("gone", before[name], ("its home folder is not there any more",)))
        elif changes := _changes(before[name], after[name]):
            rows.append(Proposal("changed", after[name], tuple(changes)))
    return rows


def _contents(account: DiscoveredAccount) -> list[str]:
    rows = [f"site {site}" for site in sorted(account.sites)]
    rows += [f"database {d.name}" for d in sorted(account.databases, key=lambda d: d.name)]
    return rows + [f"mail domain {domain}" for domain in sorted(account.mail_domains)]


def _changes(before: DiscoveredAccount, after: DiscoveredAccount) -> list[str]:
    rows = [] if before.home == after.home else [f"home is {after.home} instead of {before.home}"]
    rows += [
        f"site {site} serves {after.sites[site]} instead of {root}"
        for site, root in sorted(before.sites.items())
        if after.sites.get(site, root) != root
    ]
    old = {(d.engine, d.path or d.name): d for d in before.databases}
    new = {(d.engine, d.path or d.name): d for d in after.databases}
    for what, was, now in (
        ("site", set(before.sites), set(after.sites)),
        (
            "database",
            {old[k].name for k in old.keys() - new.keys()},
            {new[k].name for k in new.keys() - old.keys()},
        ),
        ("mail domain", before.mail_domains, after.mail_domains),
    ):
        rows += [f"{what} {name} is new" for name in sorted(now - was)]
        rows += [f"{what} {name} is gone" for name in sorted(was - now)]
    return rows
