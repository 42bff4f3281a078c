"""``fasciculus hosts``"""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Any

import typer

from .. import models
from . import output
from .kind_options import EXTRA, KindOptions, find_kind, parse_extra, show_kinds
from .options import options_of
from .output import wrong
from .parameters import AsJson, HostName, NewHostName, Yes
from .session import service
from .steps import prove, show_tried

if TYPE_CHECKING:
    from ..client import Client

app = typer.Typer(help="Servers where accounts live.", no_args_is_help=True)


_KINDS = {"new": ("+", "green"), "changed": ("~", "yellow"), "gone": ("–", "red")}
_SHOWN = 6


@app.command("list")
def list_(as_json: AsJson = False) -> None:
    """List the hosts."""
    with service() as client:
        rows = list(client.every(client.hosts_list))
    if as_json:
        return output.show_json(rows)
    output.show_table(
        rows,
        [
            ("HOST", lambda h: h.name),
            ("WHERE", lambda h: h.where),
            ("ACCOUNTS", lambda h: h.accounts),
            (
                "DATABASE SERVER",
                lambda h: ", ".join(server.kind for server in h.servers) or "none",
            ),
            ("MAIL", lambda h: h.mail.alias_map or "none"),
        ],
        "No host yet. Add this machine: fasciculus hosts add NAME",
        right=["ACCOUNTS"],
    )
    return None


@app.command()
def show(name: HostName, as_json: AsJson = False) -> None:
    """Show one host."""
    with service() as client:
        host = client.hosts_show(name)
    if as_json:
        return output.show_json(host)
    mail, finding = host.mail, host.finding
    fields = [
        ("host", host.name),
        ("where", host.where),
        ("accounts", host.accounts),
        ("tasks at once", host.at_once or "as many as suit its kind"),
        *((f"{server.kind} server", _server(server)) for server in host.servers),
        ("alias map", mail.alias_map),
        ("mailbox map", mail.mailbox_map),
        ("transport map", mail.transport_map),
        ("passwd-file", mail.passwd_file),
        ("mail homes", mail.home),
        ("DKIM keys", mail.dkim),
        ("after mail came back", "\n".join(mail.refresh)),
        ("system settings", "\n".join(host.system)),
        ("of an account", "\n".join(host.account_system)),
        ("hold flag", host.hold_flag),
        ("homes are", "\n".join(finding.homes)),
        ("document roots are", "\n".join([*finding.sites, *finding.nginx, *finding.apache])),
        ("secrets set", ", ".join(host.secrets_set)),
    ]
    output.show_fields([(key, value) for key, value in fields if value not in ("", [])])
    return None


Kind = Annotated[
    str,
    typer.Option(help="How it is reached; “hosts kinds” lists the kinds. This machine by default."),
]
AtOnce = Annotated[int | None, typer.Option(help="How many tasks it takes side by side.")]
AliasMap = Annotated[str | None, typer.Option(help="Postfix virtual alias map.")]
MailboxMap = Annotated[str | None, typer.Option(help="Postfix virtual mailbox map.")]
TransportMap = Annotated[str | None, typer.Option(help="Postfix transport map.")]
PasswdFile = Annotated[str | None, typer.Option(help="Dovecot passwd-file.")]
MailHome = Annotated[
    str | None, typer.Option(help="Home of a mailbox, with {domain} and {user} in it.")
]
Dkim = Annotated[
    str | None, typer.Option(help="File or folder of a domain's DKIM keys, with {domain} in it.")
]
Refresh = Annotated[
    list[str] | None,
    typer.Option(
        help="Command to run after mail settings came back, as in “postmap FILE”; may be repeated."
    ),
]
System = Annotated[
    list[str] | None,
    typer.Option(help="Pattern of the host's own settings, as in /etc/nginx; may be repeated."),
]
AccountSystem = Annotated[
    list[str] | None,
    typer.Option(help="Pattern of an account's settings, with {account} in it; may be repeated."),
]
HoldFlag = Annotated[
    str | None,
    typer.Option(help="Flag file of a site's hold page, with {site} or {account} in it."),
]
Homes = Annotated[
    list[str] | None,
    typer.Option(help="Where accounts live, as in /home/{account}; may be repeated."),
]
Roots = Annotated[
    list[str] | None,
    typer.Option(
        help="Where document roots are, as in /home/{account}/sites/{site}; may be repeated."
    ),
]
Nginx = Annotated[
    list[str] | None, typer.Option(help="Files of nginx virtual hosts; may be repeated.")
]
Apache = Annotated[
    list[str] | None, typer.Option(help="Files of Apache virtual hosts; may be repeated.")
]
DbPrefix = Annotated[
    str | None, typer.Option(help="How an account's databases begin, as in {account}_.")
]
ByGrants = Annotated[
    bool | None,
    typer.Option(
        "--by-grants/--no-by-grants",
        help="An account has the databases that the user of its name may use.",
    ),
]
FindSqlite = Annotated[
    bool | None,
    typer.Option(
        "--find-sqlite/--no-find-sqlite", help="Look for SQLite databases below the homes."
    ),
]
FindMail = Annotated[
    bool | None,
    typer.Option("--find-mail/--no-find-mail", help="Take mail domains out of the mail files."),
]
NotAccount = Annotated[
    list[str] | None,
    typer.Option(help="A folder found as an account that is none; may be repeated."),
]
Automatic = Annotated[
    bool | None,
    typer.Option("--automatic/--no-automatic", help="Take over what is new or changed every hour."),
]
ForgetAfter = Annotated[
    int | None,
    typer.Option(
        help="Days after which an account that is gone is forgotten, with its bundles; 0 never."
    ),
]


def _server(server: models.KindSettings) -> str:
    settings = server.model_dump(exclude={"kind"})
    return ", ".join(f"{key} {value}" for key, value in settings.items() if value)


def _set(fields: dict[str, Any], part: str, options: dict[str, Any]) -> None:
    fields[part] = {
        **fields[part],
        **{key: value for key, value in options.items() if value is not None},
    }


def _input(
    client: Client, name: str, kind: str, args: list[str], old: models.HostFields, o: dict[str, Any]
) -> models.HostInput:
    kinds = client.kinds_list()
    connection = KindOptions(find_kind(kinds.hosts, kind))
    servers = {info.name: KindOptions(info, f"{info.name}-") for info in kinds.databases}
    known = [*connection.names, *(option for server in servers.values() for option in server.names)]
    given = parse_extra(args, known)
    fields = old.model_dump(include=set(models.HostFields.model_fields))
    fields["name"] = name
    before = fields["connection"] if fields["connection"]["kind"] == kind else {}
    fields["connection"] = {**before, "kind": kind, **connection.settings(given)}
    secrets: dict[str, str] = connection.secrets(given)
    for engine, options in servers.items():
        _set_server(fields["servers"], engine, options.settings(given))
        for key, value in options.secrets(given).items():
            secrets[f"{engine}_{key}"] = value
    for key in ("at_once", "system", "account_system", "hold_flag"):
        if o[key] is not None:
            fields[key] = o[key]
    _set(fields, "mail", {key: o[option] for key, option in _MAIL.items()})
    _set(fields, "finding", {key: o[option] for key, option in _FINDING.items()})
    return models.HostInput(**fields, secrets=dict(secrets))


def _set_server(servers: list[dict[str, Any]], engine: str, settings: dict[str, Any]) -> None:
    if not settings:
        return
    for server in servers:
        if server["kind"] == engine:
            server.update(settings)
            return
    servers.append({"kind": engine, **settings})


#: Fields of mail and finding, and the options that set them.
_MAIL = {
    "alias_map": "alias_map",
    "mailbox_map": "mailbox_map",
    "transport_map": "transport_map",
    "passwd_file": "passwd_file",
    "home": "mail_home",
    "dkim": "dkim",
    "refresh": "refresh",
}
_FINDING = {
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


def _shared(
    at_once: AtOnce = None,
    alias_map: AliasMap = None,
    mailbox_map: MailboxMap = None,
    transport_map: TransportMap = None,
    passwd_file: PasswdFile = None,
    mail_home: MailHome = None,
    dkim: Dkim = None,
    refresh: Refresh = None,
    system: System = None,
    account_system: AccountSystem = None,
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
    """The options of ``add`` and ``change``."""


@app.command()
def kinds(as_json: AsJson = False) -> None:
    """List how hosts are reached, and their database servers, with the options of each."""
    with service() as client:
        found = client.kinds_list()
    servers = [KindOptions(info, f"{info.name}-") for info in found.databases]
    show_kinds([*(KindOptions(info) for info in found.hosts), *servers], as_json)


@app.command(context_settings=EXTRA)
@options_of(_shared)
def add(
    context: typer.Context,
    name: NewHostName,
    kind: Kind = "",
    as_json: AsJson = False,
    **options: Any,
) -> None:
    """Try this machine, or one over SSH, and add it as a host when all steps succeed.

    Further options depend on the kind and on the database servers: fasciculus hosts kinds.
    """
    with service() as client:
        reached = kind or (
            "ssh" if any(a.startswith("--address") for a in context.args) else "local"
        )
        host = _input(client, name, reached, context.args, models.HostFields(name=name), options)
        prove(client.hosts_try_draft(host), as_json)
        made = client.hosts_add(host)
        output.done(made, f"Added host {made.name}: {made.where}.", as_json)


@app.command(context_settings=EXTRA)
@options_of(_shared)
def change(
    context: typer.Context, name: HostName, kind: Kind = "", as_json: AsJson = False, **options: Any
) -> None:
    """Change a host; what is not named stays."""
    with service() as client:
        old = client.hosts_show(name)
        reached = kind or old.connection.kind
        host = _input(client, name, reached, context.args, old, options)
        prove(client.hosts_try_draft(host, saved=name), as_json)
        output.done(client.hosts_change(name, host), f"Changed host {name}.", as_json)


@app.command("try")
def try_(name: HostName, as_json: AsJson = False) -> None:
    """Try every step to reach a host, its homes and its databases."""
    with service() as client:
        tried = client.hosts_try(name)
    show_tried(tried, as_json)


@app.command()
def find(name: HostName, as_json: AsJson = False) -> None:
    """Find the host's accounts by its rules, as a difference to what is known."""
    with service() as client:
        rows = client.hosts_find(name).items
    if as_json:
        return output.show_json(rows)
    for row in rows:
        mark, style = _KINDS[row.kind]
        output.out.print(
            f"{mark} {row.account.name}: {row.kind}; {_words(row)}",
            style=style,
            soft_wrap=True,
            highlight=False,
            markup=False,
        )
    if rows:
        output.out.print(
            f"Take over all of it: fasciculus hosts take-over {name} --all", highlight=False
        )
    else:
        output.out.print("Everything that was found is known already.")
    return None


def _words(row: models.Proposed) -> str:
    shown = ", ".join(row.changes[:_SHOWN]) or "an empty account"
    return shown + (f" and {len(row.changes) - _SHOWN} more" if len(row.changes) > _SHOWN else "")


@app.command("take-over")
def take_over(
    name: HostName,
    account: Annotated[
        list[str] | None, typer.Option(help="Only this one; may be repeated.")
    ] = None,
    all_: Annotated[bool, typer.Option("--all", help="All that was found.")] = False,
    as_json: AsJson = False,
) -> None:
    """Take over accounts that were found: add the new, change the changed, mark the gone."""
    if bool(account) == all_:
        raise wrong("Say which accounts to take over.", "Name them with --account, or use --all.")
    with service() as client:
        taken = client.hosts_take_over(name, None if all_ else account)
    said = f"Took over {output.count(taken.count, 'account')} of {name}."
    output.done(taken, said, as_json)


@app.command()
def remove(name: HostName, yes: Yes = False, as_json: AsJson = False) -> None:
    """Remove a host that has no accounts."""
    output.sure(f"Remove host {name}?", yes)
    with service() as client:
        client.hosts_remove(name)
    output.done({"removed": name}, f"Removed host {name}.", as_json)
