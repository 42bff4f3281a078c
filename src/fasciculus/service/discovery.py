"""Reads off a host which accounts it has, and takes them over."""

from __future__ import annotations

import tempfile
from contextlib import closing
from pathlib import Path

from ..config import Config
from ..contracts.orders import HostOrder
from ..core.discovery.accounts import (
    DiscoveredAccount,
    DiscoveredDatabase,
    HostFacts,
    Proposal,
    assemble,
    difference,
    rule_glob,
    rule_pattern,
    unmatched,
)
from ..core.discovery.web_server_config import apache_hosts, nginx_hosts
from ..core.errors import FasciculusError, SettingError
from ..core.mail_config import domains_of_map, domains_of_passwd
from ..databases import ENGINES, server_engines
from ..hosts import open_host
from ..hosts.base import HostConnection
from ..hosts.path_patterns import expand
from ..models import (
    Account,
    AccountInput,
    Database,
    Site,
)
from ..models.inventory.inventory import HostFields
from ..records import discoveries, inventory
from ..records.db import Records, now
from ..records.secret_cipher import SecretCipher
from ..worker.database_access import database_access
from . import outside
from .tasks.orders.connections import OrderInputs, host_order

#: Seconds that looking through a host may take.
_DEADLINE = 900.0


def proposals(config: Config, records: Records, cipher: SecretCipher, name: str) -> list[Proposal]:
    """Return the accounts that are new, changed or deleted on a host, by its rules."""
    db = records.reader
    host = inventory.host(db, cipher, name)
    rules = host.discovery
    if not rules.homes:
        raise SettingError(
            f"Host “{name}” has no rule that says where its accounts are.",
            "Give one, such as /home/{account}.",
            field="discovery.homes",
        )
    order = host_order(OrderInputs(config, db, cipher), name)
    fields = HostFields(**host.model_dump(include=set(HostFields.model_fields)))
    with tempfile.TemporaryDirectory(dir=config.spool, prefix="discovery-") as spool:
        facts, hidden = outside.call_within(_DEADLINE, _look, spool, fields, order)
    found = assemble(
        facts, rules.homes, rules.sites, rules.database_prefix, rules.by_grants, rules.leave_out
    )
    with records.write() as writer:
        inventory.save_unmatched(writer, name, unmatched(facts, found))
        inventory.save_hidden(writer, name, hidden)
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
    rows = difference(found, known)
    with records.write() as writer:
        discoveries.save(writer, name, [(row.kind, row.account.name) for row in rows])
    return rows


def _look(spool: str, host: HostFields, order: HostOrder) -> tuple[HostFacts, str]:
    """Return the accounts of a host, and a sentence about databases that its user may not see."""
    with closing(open_host(order.spec(), Path(spool))) as connection:
        connection.connect()
        facts = read_facts(connection, host, order, spool)
        hidden = []
        for engine in server_engines():
            if engine.name in order.servers:
                access = database_access(engine.name, order, connection, "", spool)
                hidden.append(engine.hidden(access))
    return facts, " ".join(filter(None, hidden))


def _known(account: Account, with_files: bool) -> DiscoveredAccount:
    """Return a known account as it would be found; what no rule looks for is not missed."""
    return DiscoveredAccount(
        account.name,
        account.home,
        {site.name: site.root for site in account.sites},
        {
            DiscoveredDatabase(d.engine, d.name, d.path, d.site or "")
            for d in account.databases
            if with_files or not d.path
        },
        set(account.mail_domains),
    )


def read_facts(
    connection: HostConnection, host: HostFields, order: HostOrder, spool: str
) -> HostFacts:
    """Return the facts about a host that its rules need."""
    rules = host.discovery
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
    if rules.database_prefix or rules.by_grants:
        _server_databases(connection, order, spool, facts, rules.by_grants)
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
        homes = [path for rule in rules.homes for path in expand(connection, rule_glob(rule))]
        _database_files(connection, order, spool, facts, homes)
    return facts


def _server_databases(
    connection: HostConnection, order: HostOrder, spool: str, facts: HostFacts, by_grants: bool
) -> None:
    for engine in server_engines():
        if engine.name not in order.servers:
            continue
        access = database_access(engine.name, order, connection, "", spool)
        facts.databases += [(engine.name, found.name) for found in engine.discover(access, [])]
        if by_grants:
            for user, names in engine.grants(access).items():
                facts.grants.setdefault(user, set()).update((engine.name, n) for n in names)


def _database_files(
    connection: HostConnection, order: HostOrder, spool: str, facts: HostFacts, homes: list[str]
) -> None:
    for engine in ENGINES.all():
        if engine.settings is None:
            access = database_access(engine.name, order, connection, "", spool)
            found = engine.discover(access, homes)
            facts.database_files += [(engine.name, database.path) for database in found]


def accept(records: Records, host: str, wanted: list[Proposal]) -> int:
    """Add, change or mark as gone what was proposed; all of it or nothing. Returns how many."""
    with records.write() as db:
        for proposal in wanted:
            found = proposal.account
            if proposal.kind == "gone":
                inventory.mark_gone(db, found.name, now())
                continue
            try:
                old = inventory.account(db, found.name)
            except FasciculusError:
                inventory.save_account(db, as_account(found, host))
                continue
            if old.host != host:
                raise SettingError(
                    f"Account “{found.name}” is on host {old.host} already.",
                    f"Exclude it on {host}, or remove the other one.",
                    field="accounts",
                )
            inventory.save_account(db, _merged(old, as_account(found, host)), old.name)
            inventory.mark_gone(db, old.name, None)
        discoveries.accepted(db, host, [proposal.account.name for proposal in wanted])
    return len(wanted)


def as_account(found: DiscoveredAccount, host: str) -> AccountInput:
    """Return a found account as an input model."""
    return AccountInput(
        name=found.name,
        host=host,
        home=found.home,
        sites=[Site(name=name, root=root) for name, root in sorted(found.sites.items())],
        databases=[
            Database(
                engine=d.engine,
                name=d.name,
                path=d.path,
                site=d.site or None,
            )
            for d in sorted(found.databases, key=lambda d: (d.engine, d.name))
        ],
        mail_domains=sorted(found.mail_domains),
    )


def _merged(old: Account, new: AccountInput) -> AccountInput:
    """Return the new state, with what a person said of the account kept."""
    known = {(d.engine, d.path or d.name): d for d in old.databases}
    new.databases = [known.get((d.engine, d.path or d.name), d) for d in new.databases]
    sites = {site.name for site in new.sites}
    for database in new.databases:
        if database.site not in sites:
            database.site = None
    new.excludes, new.contact, new.tags = old.excludes, old.contact, old.tags
    return new
