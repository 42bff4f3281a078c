"""Looks at a host and proposes the rules by which its accounts are found, with what each finds."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import closing, suppress
from pathlib import Path

from ....config import Config
from ....core.discovery.accounts import HostFacts, assemble, rule_glob, rule_pattern
from ....core.discovery.web_server_config import VirtualHost, apache_hosts, nginx_hosts
from ....core.errors import FasciculusError
from ....core.formatting import format_count, format_list
from ....core.mail_config import domains_of_map, domains_of_passwd
from ....databases import server_engines
from ....databases.base import Engine
from ....hosts import open_host
from ....hosts.base import HostConnection
from ....hosts.path_patterns import expand
from ....kinds import Settings
from ....models import HostProposal, KindSettings, RuleProposal
from ....models.inventory.inventory import HostFields
from ....worker.database_access import database_access
from ... import outside
from ...discovery import read_facts
from ...tasks.orders.connections import host_order_from_fields

#: Where homes usually are; the first of them that has some is proposed.
_HOMES = (
    "/home/{account}",
    "/var/www/vhosts/{account}",
    "/srv/www/{account}",
    "/var/www/{account}",
)
#: Where document roots usually are, below a home.
_SITES = ("sites/{site}", "domains/{site}", "www/{site}", "web/{site}", "{site}")
_NGINX = ("/etc/nginx/sites-enabled/*", "/etc/nginx/conf.d/*.conf")
_APACHE = ("/etc/apache2/sites-enabled/*.conf", "/etc/httpd/conf.d/*.conf")
_MAPS = {
    "alias_map": ("/etc/postfix/virtual", "/etc/postfix/virtual_alias_maps", "/etc/postfix/valias"),
    "mailbox_map": ("/etc/postfix/vmailbox", "/etc/postfix/virtual_mailbox_maps"),
    "transport_map": ("/etc/postfix/transport",),
    "passwd_file": ("/etc/dovecot/users", "/etc/dovecot/passwd"),
}
_MAIL_HOMES = (
    "/var/vmail/{domain}/{user}",
    "/var/mail/vhosts/{domain}/{user}",
    "/home/vmail/{domain}/{user}",
)
_DKIM = ("/etc/opendkim/keys/{domain}", "/etc/dkim/{domain}")
_NO_ACCOUNTS = frozenset({"lost+found", "html", "vmail", "cgi-bin", "aquota.user"})
_SHOWN = 3


def propose_rules(config: Config, host: HostFields, secrets: Mapping[str, str]) -> HostProposal:
    """Return the proposals for a host; existing rules stay.

    Raises ``FasciculusError`` where the host cannot be reached.
    """
    with tempfile.TemporaryDirectory(dir=config.spool, prefix="looking-") as spool:
        return outside.try_out(_looked, spool, host, dict(secrets))


def _looked(spool: str, host: HostFields, secrets: dict[str, str]) -> HostProposal:
    spec = host_order_from_fields(host, secrets).spec()
    with closing(open_host(spec, Path(spool))) as connection, outside.trial_time():
        connection.connect()
        return Look(connection, host, secrets, spool).proposal()


class Look:
    """One look at one host."""

    def __init__(
        self, connection: HostConnection, host: HostFields, secrets: Mapping[str, str], spool: str
    ) -> None:
        self._host = host.model_copy(deep=True)
        self._connection, self._secrets, self._spool = connection, secrets, spool
        self._rows: list[RuleProposal] = []

    def proposal(self) -> HostProposal:
        """Return the host with the rules that were proposed, and what they find together."""
        for look in (self._homes, self._sites, self._web_servers, self._servers, self._mail):
            # What cannot be looked at is proposed by nobody, and costs the others nothing.
            with suppress(FasciculusError, OSError):
                look()
        return HostProposal(
            host=HostFields(**self._host.model_dump()), rules=self._rows, finds=self._finds()
        )

    def _note(self, field: str, value: str, finds: str) -> None:
        self._rows.append(RuleProposal(field=field, value=value, finds=finds))

    # Homes and sites -------------------------------------------------------------

    def _folders(self, rule: str) -> list[str]:
        return [
            path
            for path in expand(self._connection, rule_glob(rule))
            if self._connection.type_of(path) == "dir"
        ]

    def _homes(self) -> None:
        discovery = self._host.discovery
        for rule in () if discovery.homes else _HOMES:
            names = [os.path.basename(path) for path in self._folders(rule)]
            found = [name for name in names if name not in _NO_ACCOUNTS]
            if found:
                discovery.homes = [rule]
                discovery.leave_out = sorted({*discovery.leave_out, *set(names) & _NO_ACCOUNTS})
                self._note("discovery.homes", rule, _named(found, "account"))
                return

    def _sites(self) -> None:
        discovery = self._host.discovery
        for home in [] if discovery.sites else discovery.homes:
            for below in _SITES:
                rule = f"{home}/{below}"
                pattern = rule_pattern(rule)
                matches = (pattern.fullmatch(path) for path in self._folders(rule))
                sites = [match["site"] for match in matches if match and "." in match["site"][1:]]
                if sites:
                    discovery.sites = [*discovery.sites, rule]
                    self._note("discovery.sites", rule, _named(sites, "site"))

    def _web_servers(self) -> None:
        discovery = self._host.discovery
        homes = [path for rule in discovery.homes for path in self._folders(rule)]
        if not discovery.nginx:
            discovery.nginx = list(self._configured("nginx", _NGINX, nginx_hosts, homes))
        if not discovery.apache:
            discovery.apache = list(self._configured("apache", _APACHE, apache_hosts, homes))

    def _configured(
        self,
        name: str,
        patterns: Sequence[str],
        read: Callable[[str], Iterator[VirtualHost]],
        homes: list[str],
    ) -> Iterator[str]:
        """Yield the patterns whose files name document roots in some home."""
        for pattern in patterns:
            names: list[str] = []
            for path in expand(self._connection, pattern):
                with suppress(FasciculusError, OSError):
                    found = read(self._connection.read_text(path))
                    names += [
                        host.names[0]
                        for host in found
                        if any(f"{host.root}/".startswith(f"{home}/") for home in homes)
                    ]
            if names:
                self._note(f"discovery.{name}", pattern, _named(names, "site"))
                yield pattern

    # Database servers ------------------------------------------------------------

    def _servers(self) -> None:
        discovery = self._host.discovery
        if not discovery.sqlite and discovery.homes:
            discovery.sqlite = True
            self._note("discovery.sqlite", "on", "SQLite databases anywhere in the homes")
        known = {server.kind for server in self._host.servers}
        for engine in server_engines():
            if engine.name not in known:
                self._server(engine)

    def _server(self, engine: Engine) -> None:
        """Propose the first way to reach a server of an engine that lets us in."""
        refused: list[tuple[str, str]] = []
        for settings in engine.propose(self._connection):
            try:
                self._proposed(engine, settings)
            except FasciculusError as error:
                refused.append((settings.describe(), error.message))
            else:
                return
        hint = "Set it by hand, with a user that may read the databases."
        for place, reason in refused[:1]:
            self._note("servers", place, f"a server that lets nobody in so: {reason} {hint}")

    def _proposed(self, engine: Engine, settings: Settings) -> None:
        """Propose a server, with the rules by which its databases belong to accounts. Raises
        ``FasciculusError`` where it lets nobody in.
        """
        place = settings.describe()
        before = self._host.servers
        self._host.servers = [*before, KindSettings.model_validate(settings.model_dump())]
        try:
            order = host_order_from_fields(self._host, self._secrets)
            access = database_access(engine.name, order, self._connection, "", self._spool)
            names = [found.name for found in engine.discover(access, [])]
        except FasciculusError:
            self._host.servers = before
            raise
        self._note("servers", place, _named(names, "database"))
        accounts = [
            os.path.basename(p) for rule in self._host.discovery.homes for p in self._folders(rule)
        ]
        own = [name for name in names if name.startswith(tuple(f"{a}_" for a in accounts))]
        discovery = self._host.discovery
        if own and not discovery.database_prefix:
            discovery.database_prefix = "{account}_"
            self._note("discovery.database_prefix", "{account}_", _named(own, "database"))
        if len(own) < len(names) and not discovery.by_grants:
            discovery.by_grants = True
            self._note("discovery.by_grants", "on", "databases by the rights of the account's user")

    # Mail ------------------------------------------------------------------------

    def _mail(self) -> None:
        mail = self._host.mail
        domains: set[str] = set()
        for field, paths in _MAPS.items():
            for path in () if getattr(mail, field) else paths:
                if self._connection.type_of(path) != "file":
                    continue
                text = self._connection.read_text(path)
                named = domains_of_passwd(text) if field == "passwd_file" else domains_of_map(text)
                if named:
                    setattr(mail, field, path)
                    domains |= named
                    self._note(f"mail.{field}", path, _named(sorted(named), "mail domain"))
                    break
        for field, rules in (("home", _MAIL_HOMES), ("dkim", _DKIM)):
            for rule in () if getattr(mail, field) else rules:
                found = [
                    domain
                    for domain in sorted(domains)
                    if self._connection.type_of(_folder_of(rule, domain))
                ]
                if found:
                    setattr(mail, field, rule)
                    self._note(f"mail.{field}", rule, _named(found, "mail domain"))
                    break
        if domains and not self._host.discovery.mail:
            self._host.discovery.mail = True
            self._note("discovery.mail", "on", _named(sorted(domains), "mail domain"))

    # All together ------------------------------------------------------------------

    def _finds(self) -> str:
        """Return the total findings of the rules, in words."""
        rules = self._host.discovery
        if not rules.homes:
            return "No homes of accounts were found where they usually are. Name them by hand."
        order = host_order_from_fields(self._host, self._secrets)
        try:
            facts = read_facts(self._connection, self._host, order, self._spool)
        except (FasciculusError, OSError) as error:
            return f"The rules could not be tested: {error}"
        return _summary(facts, self._host)


def _summary(facts: HostFacts, host: HostFields) -> str:
    rules = host.discovery
    found = assemble(
        facts, rules.homes, rules.sites, rules.database_prefix, rules.by_grants, rules.leave_out
    )
    counts = (
        (len(found), "account"),
        (sum(len(account.sites) for account in found), "site"),
        (sum(len(account.databases) for account in found), "database"),
        (sum(len(account.mail_domains) for account in found), "mail domain"),
    )
    said = format_list([format_count(count, what) for count, what in counts if count])
    owned = {database.name for account in found for database in account.databases}
    bare = sorted(name for _, name in facts.databases if name not in owned)
    if bare:
        said += f"; {_named(bare, 'database')} that no rule gives to an account"
    return f"{said or 'Nothing'}."


def _folder_of(rule: str, domain: str) -> str:
    return rule.replace("{domain}", domain).partition("/{user}")[0]


def _named(names: Sequence[str], what: str) -> str:
    """Return a count with the first names, such as ``3 accounts: millpond, ferryline, …``."""
    shown = ", ".join(names[:_SHOWN]) + (", …" if len(names) > _SHOWN else "")
    return f"{format_count(len(names), what)}: {shown}" if names else format_count(0, what)
