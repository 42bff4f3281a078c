"""Reads off a host which accounts it has, and takes them over."""

from __future__ import annotations

import os
import shlex
import tempfile
from contextlib import closing
from pathlib import Path

from ..config import Config
from ..core.discovery.accounts import (
    DiscoveredAccount,
    DiscoveredDatabase,
    HostFacts,
    Proposal,
    assemble,
    difference,
    rule_glob,
    rule_pattern,
)
from ..core.discovery.web_server_config import apache_hosts, nginx_hosts
from ..core.errors import FasciculusError, SettingError
from ..core.mail_config import domains_of_map, domains_of_passwd
from ..hosts.base import HostConnection, MariaDbSpec
from ..hosts.path_patterns import expand
from ..models import (
    Account,
    Database,
    Host,
    Site,
)
from ..records import inventory
from ..records.db import Records, now
from ..records.encryption import SecretCipher
from ..worker.host_access import open_host
from .tasks import orders

_SQLITE_HEAD = b"SQLite format 3\0"
_SQLITE_NAMES = ("*.sqlite", "*.sqlite3", "*.db", "*.db3")
_SQLITE_SECONDS = 300.0


def proposals(config: Config, records: Records, cipher: SecretCipher, name: str) -> list[Proposal]:
    """What is new, changed or gone on a host, by its rules."""
    db = records.reader
    host = inventory.host(db, cipher, name)
    rules = host.finding
    if not rules.homes:
        raise SettingError(
            f"Host “{name}” has no rule that says where its accounts are.",
            "Give one, such as /home/{account}.",
            field="finding.homes",
        )
    server = orders.mariadb_order(db, cipher, host)
    with (
        tempfile.TemporaryDirectory(dir=config.spool, prefix="finding-") as spool,
        closing(open_host(orders.host_order(db, cipher, host), Path(spool))) as connection,
    ):
        connection.connect()
        facts = _facts(connection, host, server.spec() if server else None)
    found = assemble(
        facts, rules.homes, rules.sites, rules.database_prefix, rules.by_grants, rules.leave_out
    )
    names, patterns = (
        {account.name for account in found},
        [rule_pattern(rule) for rule in rules.homes],
    )
    # An account that was described by hand, where no rule looks, is not missed.
    known = [
        _known(account, rules.sqlite)
        for account in inventory.every_account(db, name)
        if account.gone_since is None
        and (account.name in names or any(pattern.fullmatch(account.home) for pattern in patterns))
    ]
    return difference(found, known)


def _known(account: Account, with_sqlite: bool) -> DiscoveredAccount:
    """A known account as it would be found; what no rule looks for is not missed."""
    return DiscoveredAccount(
        account.name,
        account.home,
        {site.name: site.root for site in account.sites},
        {
            DiscoveredDatabase(d.engine, d.name, d.path, d.site or "")
            for d in account.databases
            if with_sqlite or d.engine != "sqlite"
        },
        set(account.mail_domains),
    )


def _facts(connection: HostConnection, host: Host, server: MariaDbSpec | None) -> HostFacts:
    rules = host.finding
    facts = HostFacts()
    for rule in [*rules.homes, *rules.sites]:
        facts.folders += [
            path
            for path in expand(connection, rule_glob(rule))
            if connection.type_of(path) == "dir"
        ]
    for patterns, read in ((rules.nginx, nginx_hosts), (rules.apache, apache_hosts)):
        for pattern in patterns:
            for path in expand(connection, pattern):
                facts.virtual_hosts += read(connection.read_text(path))
    if server is not None and (rules.database_prefix or rules.by_grants):
        _databases(connection, server, facts, rules.by_grants)
    if rules.mail:
        domains: set[str] = set()
        for path in filter(
            None, (host.mail.alias_map, host.mail.mailbox_map, host.mail.transport_map)
        ):
            domains |= domains_of_map(connection.read_text(path))
        if host.mail.passwd_file:
            domains |= domains_of_passwd(connection.read_text(host.mail.passwd_file))
        facts.mail_domains = sorted(domains)
    if rules.sqlite:
        facts.sqlite = _sqlite(
            connection,
            [path for rule in rules.homes for path in expand(connection, rule_glob(rule))],
        )
    return facts


def _databases(
    connection: HostConnection, server: MariaDbSpec, facts: HostFacts, by_grants: bool
) -> None:
    with connection.mariadb(server) as link:
        facts.databases = [
            (row[0] or b"").decode()
            for row in link.rows(
                "SELECT schema_name FROM information_schema.schemata WHERE schema_name NOT IN "
                "('information_schema', 'performance_schema', 'mysql', 'sys') ORDER BY 1"
            )
        ]
        if by_grants:
            for user, database in link.rows("SELECT user, db FROM mysql.db WHERE user <> ''"):
                name = (database or b"").decode().replace("\\_", "_").replace("\\%", "%")
                facts.grants.setdefault((user or b"").decode(), set()).add(name)


def _sqlite(connection: HostConnection, homes: list[str]) -> list[str]:
    """SQLite databases below the homes: by their names, and by how they begin."""
    if not homes:
        return []
    names = " -o ".join(f"-name {shlex.quote(name)}" for name in _SQLITE_NAMES)
    folders = " ".join(shlex.quote(home) for home in homes)
    ran = connection.run(
        f"find {folders} -xdev -type f -size +0 \\( {names} \\) -print0 2>/dev/null",
        _SQLITE_SECONDS,
        limit=64 << 20,
    )
    found = []
    for path in filter(None, ran.output.split(b"\0")):
        try:
            with closing(connection.open(path)) as file:
                if file.read(16) == _SQLITE_HEAD:
                    found.append(os.fsdecode(path))
        except OSError:
            continue
    return found


def take_over(records: Records, host: str, wanted: list[Proposal]) -> int:
    """Add, change or mark as gone what was proposed; all of it or nothing. Gives how many."""
    with records.write() as db:
        for proposal in wanted:
            found = proposal.account
            if proposal.kind == "gone":
                account = inventory.account(db, found.name)
                account.gone_since = now()
                inventory.save_account(db, account, found.name)
                continue
            try:
                old = inventory.account(db, found.name)
            except FasciculusError:
                inventory.save_account(db, as_account(found, host))
                continue
            if old.host != host:
                raise SettingError(
                    f"Account “{found.name}” is on host {old.host} already.",
                    f"Leave it out on {host}, or remove the other one.",
                    field="accounts",
                )
            inventory.save_account(db, _merged(old, as_account(found, host)), old.name)
    return len(wanted)


def as_account(found: DiscoveredAccount, host: str) -> Account:
    """A found account as it is described to the service."""
    return Account(
        name=found.name,
        host=host,
        home=found.home,
        sites=[Site(name=name, root=root) for name, root in sorted(found.sites.items())],
        databases=[
            Database(
                engine="sqlite" if d.engine == "sqlite" else "mariadb",
                name=d.name,
                path=d.path,
                site=d.site or None,
            )
            for d in sorted(found.databases, key=lambda d: (d.engine, d.name))
        ],
        mail_domains=sorted(found.mail_domains),
    )


def _merged(old: Account, new: Account) -> Account:
    """The new state, with what a person said of the account kept."""
    known = {(d.engine, d.path or d.name): d for d in old.databases}
    new.databases = [known.get((d.engine, d.path or d.name), d) for d in new.databases]
    sites = {site.name for site in new.sites}
    for database in new.databases:
        if database.site not in sites:
            database.site = None
    new.excludes = old.excludes
    return new
