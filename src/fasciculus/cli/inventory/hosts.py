"""``fasciculus hosts`` commands."""

from __future__ import annotations

from typing import Annotated, Any

import typer

from ... import models
from .. import output
from ..kind_options import EXTRA, KindOptions, show_kinds
from ..options import options_of
from ..output import wrong
from ..parameters import AsJson, HostName, NewHostName, Yes
from ..session import service
from ..steps import prove, show_tried
from .host_options import host_of, shared

app = typer.Typer(help="Servers that host accounts.", no_args_is_help=True)


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
        "No hosts yet. Add this machine: fasciculus hosts add NAME",
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
    mail, discovery = host.mail, host.discovery
    fields = [
        ("host", host.name),
        ("where", host.where),
        ("accounts", host.accounts),
        ("concurrent tasks", host.max_concurrent or "default for its kind"),
        *([("queue", host.queue)] if host.queue else []),
        *((f"{server.kind} server", _server(server)) for server in host.servers),
        ("alias map", mail.alias_map),
        ("mailbox map", mail.mailbox_map),
        ("transport map", mail.transport_map),
        ("passwd-file", mail.passwd_file),
        ("mail homes", mail.home),
        ("DKIM keys", mail.dkim),
        ("after restoring mail", "\n".join(mail.refresh)),
        ("system settings", "\n".join(host.system)),
        ("of an account", "\n".join(host.account_system)),
        ("after restoring them", "\n".join(host.system_refresh)),
        ("hold flag", host.hold_flag),
        ("homes are", "\n".join(discovery.homes)),
        ("document roots are", "\n".join(discovery.sites)),
        ("nginx sites are in", "\n".join(discovery.nginx)),
        ("Apache sites are in", "\n".join(discovery.apache)),
        ("secrets set", ", ".join(host.secrets_set)),
    ]
    output.show_fields([(key, value) for key, value in fields if value not in ("", [])])
    return None


Kind = Annotated[
    str,
    typer.Option(help="Kind of connection; “hosts kinds” lists them. Default: this machine."),
]


def _server(server: models.KindSettings) -> str:
    settings = server.model_dump(exclude={"kind"})
    return ", ".join(f"{key} {value}" for key, value in settings.items() if value)


@app.command()
def kinds(as_json: AsJson = False) -> None:
    """List the kinds of connections and database servers, with the options of each."""
    with service() as client:
        found = client.kinds_list()
    servers = [KindOptions(info, f"{info.name}-") for info in found.databases]
    show_kinds([*(KindOptions(info) for info in found.hosts), *servers], as_json)


@app.command(context_settings=EXTRA)
@options_of(shared)
def add(
    context: typer.Context,
    name: NewHostName,
    kind: Kind = "",
    proposed: Annotated[
        bool,
        typer.Option("--proposed", help="Inspect the host and add it with the proposed rules."),
    ] = False,
    as_json: AsJson = False,
    **options: Any,
) -> None:
    """Test this machine, or another one over SSH, and add it as a host if all steps succeed.

    Further options depend on the kind and on the database servers: fasciculus hosts kinds.
    """
    with service() as client:
        reached = kind or (
            "ssh" if any(a.startswith("--address") for a in context.args) else "local"
        )
        host = host_of(client, name, reached, context.args, models.HostFields(name=name), options)
        prove(client.hosts_try_draft(host), as_json)
        if proposed:
            found = client.hosts_propose(host)
            if not as_json:
                _show_proposal(found)
            host = _with_rules(host, found)
        made = client.hosts_add(host)
        output.done(made, f"Added host {made.name}: {made.where}.", as_json)
        if not (as_json or proposed or host.discovery.homes):
            output.out.print(
                f"It has no discovery rules. Propose some: fasciculus hosts propose {made.name} "
                "--save",
                highlight=False,
                soft_wrap=True,
            )


@app.command()
def propose(
    name: HostName,
    save: Annotated[bool, typer.Option("--save", help="Save the proposed rules.")] = False,
    as_json: AsJson = False,
) -> None:
    """Inspect a host and propose discovery rules; existing rules stay."""
    with service() as client:
        old = client.hosts_show(name)
        host = models.HostInput(**old.model_dump(include=set(models.HostFields.model_fields)))
        found = client.hosts_propose(host, saved=name)
        if as_json:
            output.show_json(found)
        else:
            _show_proposal(found)
        if save:
            client.hosts_change(name, _with_rules(host, found))
        elif found.rules and not as_json:
            output.out.print(f"Set them: fasciculus hosts propose {name} --save", highlight=False)


def _with_rules(host: models.HostInput, found: models.HostProposal) -> models.HostInput:
    return models.HostInput(**found.host.model_dump(), secrets=host.secrets)


def _show_proposal(found: models.HostProposal) -> None:
    output.show_table(
        found.rules,
        [("RULE", lambda r: r.field), ("VALUE", lambda r: r.value), ("FINDS", lambda r: r.finds)],
        "No further rules were found.",
    )
    output.out.print(f"Together: {found.finds}", highlight=False, soft_wrap=True)


@app.command(context_settings=EXTRA)
@options_of(shared)
def change(
    context: typer.Context, name: HostName, kind: Kind = "", as_json: AsJson = False, **options: Any
) -> None:
    """Change a host. Options you omit keep their value."""
    with service() as client:
        old = client.hosts_show(name)
        reached = kind or old.connection.kind
        if reached == "unconnected":
            # The default connection of a host that another installation knew.
            reached = "ssh"
        host = host_of(client, name, reached, context.args, old, options)
        prove(client.hosts_try_draft(host, saved=name), as_json)
        output.done(client.hosts_change(name, host), f"Changed host {name}.", as_json)


@app.command("try")
def try_(name: HostName, as_json: AsJson = False) -> None:
    """Test every step of reaching a host, its homes and its databases."""
    with service() as client:
        tried = client.hosts_try(name)
    show_tried(tried, as_json)


@app.command()
def find(name: HostName, as_json: AsJson = False) -> None:
    """Find accounts by the host's rules and list the differences to the known ones."""
    with service() as client:
        rows = client.hosts_find(name).items
        rest = client.hosts_unmatched(name)
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
            f"Accept everything: fasciculus hosts accept {name} --all", highlight=False
        )
    else:
        output.out.print("No changes: all accounts found are known.")
    for what, why in (
        *((f"database {row}", "no rule assigns it to an account") for row in rest.databases),
        *((f"server name {row}", "it has no domain, so it is no site") for row in rest.names),
    ):
        output.out.print(f"? {what}: {why}", highlight=False, markup=False, soft_wrap=True)
    return None


def _words(row: models.Proposed) -> str:
    shown = ", ".join(row.changes[:_SHOWN]) or "an empty account"
    return shown + (f" and {len(row.changes) - _SHOWN} more" if len(row.changes) > _SHOWN else "")


@app.command("accept")
def accept(
    name: HostName,
    account: Annotated[
        list[str] | None, typer.Option(help="Only this account; may be repeated.")
    ] = None,
    all_: Annotated[bool, typer.Option("--all", help="Everything that was found.")] = False,
    as_json: AsJson = False,
) -> None:
    """Accept accounts that were found: add new ones, update changed ones, mark deleted ones."""
    if bool(account) == all_:
        raise wrong("Choose the accounts to accept.", "Name them with --account, or use --all.")
    with service() as client:
        taken = client.hosts_accept(name, None if all_ else account)
    said = f"Accepted {output.count(taken.count, 'account')} of {name}."
    output.done(taken, said, as_json)


@app.command()
def remove(name: HostName, yes: Yes = False, as_json: AsJson = False) -> None:
    """Remove a host that has no accounts."""
    output.sure(f"Remove host {name}?", yes)
    with service() as client:
        client.hosts_remove(name)
    output.done({"removed": name}, f"Removed host {name}.", as_json)
