"""The options of ``fasciculus hosts add`` and ``change``, in groups, and the fields they set."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Any

import typer

from ... import models
from ..kind_options import KindOptions, find_kind, parse_extra

if TYPE_CHECKING:
    from ...client import Client

_MAIL_GROUP = "Mail"
_SYSTEM_GROUP = "System settings"
_HOLD_GROUP = "Hold page"
_DISCOVERY_GROUP = "Account discovery"

MaxConcurrent = Annotated[
    int | None, typer.Option(help="Maximum number of tasks at the same time.")
]
AliasMap = Annotated[
    str | None, typer.Option(help="Postfix virtual alias map.", rich_help_panel=_MAIL_GROUP)
]
MailboxMap = Annotated[
    str | None, typer.Option(help="Postfix virtual mailbox map.", rich_help_panel=_MAIL_GROUP)
]
TransportMap = Annotated[
    str | None, typer.Option(help="Postfix transport map.", rich_help_panel=_MAIL_GROUP)
]
PasswdFile = Annotated[
    str | None, typer.Option(help="Dovecot passwd-file.", rich_help_panel=_MAIL_GROUP)
]
MailHome = Annotated[
    str | None,
    typer.Option(
        help="Home of a mailbox, with {domain} and {user} in it.", rich_help_panel=_MAIL_GROUP
    ),
]
Queue = Annotated[
    str | None,
    typer.Option(
        help="The queue of the workers near it, for its tasks; “none” for the service's machine."
    ),
]
Dkim = Annotated[
    str | None,
    typer.Option(
        help="File or folder of a domain's DKIM keys, with {domain} in it.",
        rich_help_panel=_MAIL_GROUP,
    ),
]
Refresh = Annotated[
    list[str] | None,
    typer.Option(
        help="Command to run after restoring mail settings, such as “postmap FILE”; may be "
        "repeated.",
        rich_help_panel=_MAIL_GROUP,
    ),
]
System = Annotated[
    list[str] | None,
    typer.Option(
        help="Pattern of the host's own settings, as in /etc/nginx; may be repeated.",
        rich_help_panel=_SYSTEM_GROUP,
    ),
]
AccountSystem = Annotated[
    list[str] | None,
    typer.Option(
        help="Pattern of an account's settings, with {account} in it; may be repeated.",
        rich_help_panel=_SYSTEM_GROUP,
    ),
]
SystemRefresh = Annotated[
    list[str] | None,
    typer.Option(
        help="Command after an account's settings were restored, such as “systemctl reload nginx”; "
        "may be repeated.",
        rich_help_panel=_SYSTEM_GROUP,
    ),
]
HoldFlag = Annotated[
    str | None,
    typer.Option(
        help="Flag file of a site's hold page, with {site} or {account} in it.",
        rich_help_panel=_HOLD_GROUP,
    ),
]
Homes = Annotated[
    list[str] | None,
    typer.Option(
        help="Pattern of home folders, such as /home/{account}; may be repeated.",
        rich_help_panel=_DISCOVERY_GROUP,
    ),
]
Roots = Annotated[
    list[str] | None,
    typer.Option(
        help="Pattern of document roots, such as /home/{account}/sites/{site}; may be repeated.",
        rich_help_panel=_DISCOVERY_GROUP,
    ),
]
Nginx = Annotated[
    list[str] | None,
    typer.Option(
        help="Files of nginx virtual hosts; may be repeated.", rich_help_panel=_DISCOVERY_GROUP
    ),
]
Apache = Annotated[
    list[str] | None,
    typer.Option(
        help="Files of Apache virtual hosts; may be repeated.", rich_help_panel=_DISCOVERY_GROUP
    ),
]
DbPrefix = Annotated[
    str | None,
    typer.Option(
        help="Prefix of an account's databases, such as {account}_.",
        rich_help_panel=_DISCOVERY_GROUP,
    ),
]
ByGrants = Annotated[
    bool | None,
    typer.Option(
        "--by-grants/--no-by-grants",
        help="Find an account's databases by the grants of the user with the same name.",
        rich_help_panel=_DISCOVERY_GROUP,
    ),
]
FindSqlite = Annotated[
    bool | None,
    typer.Option(
        "--find-sqlite/--no-find-sqlite",
        help="Find SQLite databases below the homes.",
        rich_help_panel=_DISCOVERY_GROUP,
    ),
]
FindMail = Annotated[
    bool | None,
    typer.Option(
        "--find-mail/--no-find-mail",
        help="Find mail domains in the mail files.",
        rich_help_panel=_DISCOVERY_GROUP,
    ),
]
NotAccount = Annotated[
    list[str] | None,
    typer.Option(
        help="A folder that is not an account; may be repeated.",
        rich_help_panel=_DISCOVERY_GROUP,
    ),
]
Automatic = Annotated[
    bool | None,
    typer.Option(
        "--automatic/--no-automatic",
        help="Accept new and changed accounts every hour.",
        rich_help_panel=_DISCOVERY_GROUP,
    ),
]
ForgetAfter = Annotated[
    int | None,
    typer.Option(
        help="Days after which a deleted account and its bundles are forgotten; 0 for never.",
        rich_help_panel=_DISCOVERY_GROUP,
    ),
]


def _set(fields: dict[str, Any], part: str, options: dict[str, Any]) -> None:
    fields[part] = {
        **fields[part],
        **{key: value for key, value in options.items() if value is not None},
    }


def host_of(
    client: Client, name: str, kind: str, args: list[str], old: models.HostFields, o: dict[str, Any]
) -> models.HostInput:
    """Return the host that the options describe, based on the old one; ``args`` are the options of
    its kind.
    """
    kinds = client.kinds_list()
    connection = KindOptions(find_kind(kinds.hosts, kind))
    servers = {info.name: KindOptions(info, f"{info.name}-") for info in kinds.databases}
    known = [*connection.names, *(option for server in servers.values() for option in server.names)]
    given = parse_extra(args, known, o)
    fields = old.model_dump(include=set(models.HostFields.model_fields))
    fields["name"] = name
    before = fields["connection"] if fields["connection"]["kind"] == kind else {}
    fields["connection"] = {**before, "kind": kind, **connection.settings(given)}
    secrets: dict[str, str] = connection.secrets(given)
    for engine, options in servers.items():
        _set_server(fields["servers"], engine, options.settings(given))
        for key, value in options.secrets(given).items():
            secrets[f"{engine}_{key}"] = value
    if o["queue"] == "none":
        o["queue"] = ""
    for key in _PLAIN:
        if o[key] is not None:
            fields[key] = o[key]
    _set(fields, "mail", {key: o[option] for key, option in _MAIL.items()})
    _set(fields, "discovery", {key: o[option] for key, option in _DISCOVERY.items()})
    return models.HostInput(**fields, secrets=dict(secrets))


def _set_server(servers: list[dict[str, Any]], engine: str, settings: dict[str, Any]) -> None:
    if not settings:
        return
    for server in servers:
        if server["kind"] == engine:
            server.update(settings)
            return
    servers.append({"kind": engine, **settings})


#: Options with the names of fields.
_PLAIN = ("max_concurrent", "queue", "system", "account_system", "system_refresh", "hold_flag")
#: Fields of mail and discovery, and the options that set them.
_MAIL = {
    "alias_map": "alias_map",
    "mailbox_map": "mailbox_map",
    "transport_map": "transport_map",
    "passwd_file": "passwd_file",
    "home": "mail_home",
    "dkim": "dkim",
    "refresh": "refresh",
}
_DISCOVERY = {
    "homes": "homes",
    "sites": "roots",
    "nginx": "nginx",
    "apache": "apache",
    "database_prefix": "db_prefix",
    "by_grants": "by_grants",
    "sqlite": "find_sqlite",
    "mail": "find_mail",
    "leave_out": "not_account",
    "automatic": "automatic",
    "forget_after": "forget_after",
}


def shared(
    max_concurrent: MaxConcurrent = None,
    queue: Queue = None,
    alias_map: AliasMap = None,
    mailbox_map: MailboxMap = None,
    transport_map: TransportMap = None,
    passwd_file: PasswdFile = None,
    mail_home: MailHome = None,
    dkim: Dkim = None,
    refresh: Refresh = None,
    system: System = None,
    account_system: AccountSystem = None,
    system_refresh: SystemRefresh = None,
    hold_flag: HoldFlag = None,
    homes: Homes = None,
    roots: Roots = None,
    nginx: Nginx = None,
    apache: Apache = None,
    db_prefix: DbPrefix = None,
    by_grants: ByGrants = None,
    find_sqlite: FindSqlite = None,
    find_mail: FindMail = None,
    not_account: NotAccount = None,
    automatic: Automatic = None,
    forget_after: ForgetAfter = None,
) -> None:
    """Take the options of ``add`` and ``change``."""
