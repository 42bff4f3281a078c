"""``fasciculus hosts``"""

from __future__ import annotations

from typing import Annotated, Any

import typer

from ..models import (
    Host,
    HostSecrets,
    MariaDbServer,
    Proposed,
)
from . import output
from .options import options_of
from .output import service, wrong
from .steps import show_tried

app = typer.Typer(help="Servers where accounts live.", no_args_is_help=True)

Name = Annotated[str, typer.Argument(help="The host's name.", show_default=False)]
AsJson = Annotated[bool, typer.Option("--json", help="JSON, for programs.")]

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
                lambda h: (
                    (h.mariadb.socket or f"{h.mariadb.address}:{h.mariadb.port}")
                    if h.mariadb
                    else "none"
                ),
            ),
            ("MAIL", lambda h: h.mail.alias_map or "none"),
        ],
        "No host yet. Add this machine: fasciculus hosts add NAME",
        right=["ACCOUNTS"],
    )
    return None


@app.command()
def show(name: Name, as_json: AsJson = False) -> None:
    """Show one host."""
    with service() as client:
        host = client.hosts_show(name)
    if as_json:
        return output.show_json(host)
    server, mail, finding = host.mariadb, host.mail, host.finding
    fields = [
        ("host", host.name),
        ("where", host.where),
        ("accounts", host.accounts),
        ("tasks at once", host.at_once),
        ("database server", f"{server.user}@{server.socket or server.address}" if server else ""),
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


Address = Annotated[
    str | None, typer.Option(help="Address of a host over SSH; without it, this machine.")
]
Port = Annotated[int | None, typer.Option(help="Its SSH port.")]
User = Annotated[str | None, typer.Option(help="User to sign in as.")]
HostKey = Annotated[
    str | None,
    typer.Option(help="Accepted fingerprint of its host key, SHA256:…; “hosts try” shows it."),
]
PasswordFile = Annotated[
    typer.FileText | None,
    typer.Option(
        help="File with the SSH password (“-” for standard input); never an option, which others "
        "could see."
    ),
]
KeyFile = Annotated[typer.FileText | None, typer.Option(help="File with the private key.")]
PassphraseFile = Annotated[
    typer.FileText | None, typer.Option(help="File with the key's passphrase.")
]
AtOnce = Annotated[int | None, typer.Option(help="How many tasks it takes side by side.")]
DbSocket = Annotated[str | None, typer.Option(help="Socket of its MariaDB server.")]
DbAddress = Annotated[
    str | None, typer.Option(help="Address of its MariaDB server, instead of a socket.")
]
DbPort = Annotated[int | None, typer.Option(help="Port of its MariaDB server.")]
DbUser = Annotated[str | None, typer.Option(help="User to read databases with.")]
DbPasswordFile = Annotated[
    typer.FileText | None,
    typer.Option(
        help="File with that user's password (“-” for standard input); never an option, which "
        "others could see."
    ),
]
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
LeaveOut = Annotated[
    list[str] | None, typer.Option(help="An account that is none; may be repeated.")
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


def _set(fields: dict[str, Any], part: str, options: dict[str, Any]) -> None:
    fields[part] = {
        **fields[part],
        **{key: value for key, value in options.items() if value is not None},
    }


def _changed(client_host: Host, **o: Any) -> Host:
    fields = client_host.model_dump(exclude={"secrets", "secrets_set", "accounts", "where"})
    for key in (
        "address",
        "port",
        "user",
        "host_key",
        "at_once",
        "system",
        "account_system",
        "hold_flag",
    ):
        if o[key] is not None:
            fields[key] = o[key]
    fields["kind"] = "ssh" if fields["address"] else "local"
    server = dict(fields["mariadb"] or {})
    server.update(
        {
            key[3:]: o[key]
            for key in ("db_socket", "db_address", "db_port", "db_user")
            if o[key] is not None
        }
    )
    fields["mariadb"] = MariaDbServer(**server) if server else None
    _set(
        fields,
        "mail",
        {
            "alias_map": o["alias_map"],
            "mailbox_map": o["mailbox_map"],
            "transport_map": o["transport_map"],
            "passwd_file": o["passwd_file"],
            "home": o["mail_home"],
            "dkim": o["dkim"],
            "refresh": o["refresh"],
        },
    )
    _set(
        fields,
        "finding",
        {
            "homes": o["homes"],
            "sites": o["roots"],
            "nginx": o["nginx"],
            "apache": o["apache"],
            "database_prefix": o["db_prefix"],
            "by_grants": o["by_grants"],
            "sqlite": o["find_sqlite"],
            "mail": o["find_mail"],
            "leave_out": o["leave_out"],
            "automatic": o["automatic"],
            "forget_after": o["forget_after"],
        },
    )
    given = {
        "mariadb_password": o["db_password_file"].read().rstrip("\n")
        if o["db_password_file"]
        else None,
        "password": o["password_file"].read().rstrip("\n") if o["password_file"] else None,
        "private_key": o["key_file"].read() if o["key_file"] else None,
        "passphrase": o["passphrase_file"].read().rstrip("\n") if o["passphrase_file"] else None,
    }
    return Host(**fields, secrets=HostSecrets(**given) if any(given.values()) else None)


def _shared(
    address: Address = None,
    port: Port = None,
    user: User = None,
    host_key: HostKey = None,
    password_file: PasswordFile = None,
    key_file: KeyFile = None,
    passphrase_file: PassphraseFile = None,
    at_once: AtOnce = None,
    db_socket: DbSocket = None,
    db_address: DbAddress = None,
    db_port: DbPort = None,
    db_user: DbUser = None,
    db_password_file: DbPasswordFile = None,
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
    leave_out: LeaveOut = None,
    automatic: Automatic = None,
    forget_after: ForgetAfter = None,
) -> None:
    """The options of ``add`` and ``change``."""


@app.command()
@options_of(_shared)
def add(name: Name, **options: Any) -> None:
    """Try this machine, or one over SSH, and add it as a host when all steps succeed."""
    with service() as client:
        host = _changed(Host(name=name), **options)
        _prove(client.hosts_try_draft(host))
        output.out.print(f"Added host {client.hosts_add(host).name}.")


@app.command()
@options_of(_shared)
def change(name: Name, **options: Any) -> None:
    """Change a host; what is not named stays."""
    with service() as client:
        host = _changed(client.hosts_show(name), **options)
        _prove(client.hosts_try_draft(host, saved=name))
        client.hosts_change(name, host)
        output.out.print(f"Changed host {name}.")


def _prove(tried: Any) -> None:
    """Nothing is saved that does not answer."""
    if not tried.ok:
        show_tried(tried)


@app.command("try")
def try_(name: Name, as_json: AsJson = False) -> None:
    """Prove each step: the name resolves, the key matches, the sign-in works, databases and homes
    answer.
    """
    with service() as client:
        tried = client.hosts_try(name)
    show_tried(tried, as_json)


@app.command()
def find(name: Name, as_json: AsJson = False) -> None:
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


def _words(row: Proposed) -> str:
    shown = ", ".join(row.changes[:_SHOWN]) or "an empty account"
    return shown + (f" and {len(row.changes) - _SHOWN} more" if len(row.changes) > _SHOWN else "")


@app.command("take-over")
def take_over(
    name: Name,
    account: Annotated[
        list[str] | None, typer.Option(help="Only this one; may be repeated.")
    ] = None,
    all_: Annotated[bool, typer.Option("--all", help="All that was found.")] = False,
) -> None:
    """Take over accounts that were found: add the new, change the changed, mark the gone."""
    if bool(account) == all_:
        raise wrong("Say which accounts to take over.", "Name them with --account, or use --all.")
    with service() as client:
        count = client.hosts_take_over(name, None if all_ else account).count
        output.out.print(
            f"Took over {count} account{'s' if count != 1 else ''} of {name}.", highlight=False
        )


@app.command()
def remove(
    name: Name, yes: Annotated[bool, typer.Option("--yes", help="Do not ask.")] = False
) -> None:
    """Remove a host that has no accounts."""
    output.sure(f"Remove host {name}?", yes)
    with service() as client:
        client.hosts_remove(name)
        output.out.print(f"Removed host {name}.")
