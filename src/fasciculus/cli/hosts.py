"""``fasciculus hosts``"""

from __future__ import annotations

from typing import Annotated

import typer

from ..models import Host, HostSecrets, MariaDbServer
from . import output
from .output import service
from .tried import show_tried

app = typer.Typer(help="Servers where accounts live.", no_args_is_help=True)

Name = Annotated[str, typer.Argument(help="The host's name.", show_default=False)]
AsJson = Annotated[bool, typer.Option("--json", help="JSON, for programs.")]


@app.command("list")
def list_(as_json: AsJson = False) -> None:
    """List the hosts."""
    with service() as client:
        rows = list(client.every(client.hosts_list))
    if as_json:
        return output.show_json(rows)
    output.show_table(rows, [
        ("HOST", lambda h: h.name), ("ACCOUNTS", lambda h: h.accounts),
        ("DATABASE SERVER", lambda h: (h.mariadb.socket or f"{h.mariadb.address}:{h.mariadb.port}")
         if h.mariadb else "none"), ("MAIL", lambda h: h.alias_map or "none"),
    ], "No host yet. Add this machine: fasciculus hosts add NAME", right=["ACCOUNTS"])
    return None


@app.command()
def show(name: Name, as_json: AsJson = False) -> None:
    """Show one host."""
    with service() as client:
        host = client.hosts_show(name)
    if as_json:
        return output.show_json(host)
    server = host.mariadb
    output.show_fields([
        ("host", host.name), ("kind", "this machine"), ("accounts", host.accounts),
        ("database server", f"{server.user}@{server.socket or server.address}" if server else "none"),
        ("alias map", host.alias_map or "none"), ("passwd-file", host.passwd_file or "none"),
        ("mail homes", host.mail_home or "none"), ("secrets set", ", ".join(host.secrets_set) or "none"),
    ])
    return None


DbSocket = Annotated[str | None, typer.Option(help="Socket of its MariaDB server.")]
DbAddress = Annotated[str | None, typer.Option(help="Address of its MariaDB server, instead of a socket.")]
DbPort = Annotated[int | None, typer.Option(help="Port of its MariaDB server.")]
DbUser = Annotated[str | None, typer.Option(help="User to read databases with.")]
DbPasswordFile = Annotated[typer.FileText | None, typer.Option(
    help="File with that user's password (“-” for standard input); never an option, which others could see.")]
AliasMap = Annotated[str | None, typer.Option(help="Postfix virtual alias map.")]
PasswdFile = Annotated[str | None, typer.Option(help="Dovecot passwd-file.")]
MailHome = Annotated[str | None, typer.Option(help="Home of a mailbox, with {domain} and {user} in it.")]


def _changed(host: Host, socket: str | None, address: str | None, port: int | None, user: str | None,
             password: typer.FileText | None, alias_map: str | None, passwd_file: str | None,
             mail_home: str | None) -> Host:
    fields = host.model_dump(exclude={"secrets", "secrets_set", "accounts"})
    for key, value in (("alias_map", alias_map), ("passwd_file", passwd_file), ("mail_home", mail_home)):
        if value is not None:
            fields[key] = value
    server = dict(fields["mariadb"] or {})
    server.update({key: value for key, value in (
        ("socket", socket), ("address", address), ("port", port), ("user", user)) if value is not None})
    fields["mariadb"] = MariaDbServer(**server) if server else None
    secrets = None
    if password is not None:
        secrets = HostSecrets(mariadb_password=password.read().rstrip("\n"))
    return Host(**fields, secrets=secrets)


@app.command()
def add(name: Name, db_socket: DbSocket = None, db_address: DbAddress = None, db_port: DbPort = None,
        db_user: DbUser = None, db_password_file: DbPasswordFile = None, alias_map: AliasMap = None,
        passwd_file: PasswdFile = None, mail_home: MailHome = None) -> None:
    """Add this machine as a host."""
    with service() as client:
        host = _changed(Host(name=name), db_socket, db_address, db_port, db_user, db_password_file,
                        alias_map, passwd_file, mail_home)
        output.out.print(f"Added host {client.hosts_add(host).name}.")


@app.command()
def change(name: Name, db_socket: DbSocket = None, db_address: DbAddress = None,
           db_port: DbPort = None, db_user: DbUser = None, db_password_file: DbPasswordFile = None,
           alias_map: AliasMap = None, passwd_file: PasswdFile = None,
           mail_home: MailHome = None) -> None:
    """Change a host; what is not named stays."""
    with service() as client:
        host = _changed(client.hosts_show(name), db_socket, db_address, db_port, db_user,
                        db_password_file, alias_map, passwd_file, mail_home)
        client.hosts_change(name, host)
        output.out.print(f"Changed host {name}.")


@app.command("try")
def try_(name: Name, as_json: AsJson = False) -> None:
    """Prove that its databases and mail files answer."""
    with service() as client:
        tried = client.hosts_try(name)
    show_tried(tried, as_json)


@app.command()
def remove(name: Name, yes: Annotated[bool, typer.Option("--yes", help="Do not ask.")] = False) -> None:
    """Remove a host that has no accounts."""
    output.sure(f"Remove host {name}?", yes)
    with service() as client:
        client.hosts_remove(name)
        output.out.print(f"Removed host {name}.")
