"""``fasciculus stores proposals``, ``accept`` and ``dismiss`` commands."""

from __future__ import annotations

from typing import Annotated

import typer

from ... import models
from .. import output
from ..parameters import AsJson, StoreName, Yes
from ..session import service

Hosts = Annotated[
    list[str] | None, typer.Option("--host", help="This host; may be repeated.", metavar="NAME")
]
Accounts = Annotated[
    list[str] | None,
    typer.Option("--account", help="This account; may be repeated.", metavar="NAME"),
]
Stores = Annotated[
    list[str] | None, typer.Option("--store", help="This store; may be repeated.", metavar="NAME")
]
Jobs = Annotated[
    list[str] | None, typer.Option("--job", help="This job; may be repeated.", metavar="NAME")
]
All = Annotated[bool, typer.Option("--all", help="Everything that it proposes.")]
OPTIONS = {
    "hosts": "--host",
    "accounts": "--account",
    "stores": "--store",
    "jobs": "--job",
    "homes": "--home",
}


def proposals(name: StoreName, as_json: AsJson = False) -> None:
    """List the hosts, accounts, stores and jobs proposed by a store."""
    with service() as client:
        rows = client.stores_proposals(name).items
    if as_json:
        return output.show_json(rows)
    output.show_table(
        rows,
        [
            ("KIND", lambda p: p.kind),
            ("NAME", lambda p: p.name),
            ("HOST", lambda p: p.host or "–"),
            ("HOME", lambda p: p.root or "–"),
            ("SETTINGS", lambda p: "as they were" if p.with_settings else "–"),
            ("MADE BY", lambda p: "this service" if p.vouched else "another, or unknown"),
        ],
        f"Store {name} proposes nothing. “fasciculus stores import {name}” reads its bundles.",
    )
    if rows:
        output.out.print(f"Accept all: fasciculus stores accept {name} --all", highlight=False)
    return None


def accept(
    name: StoreName,
    host: Hosts = None,
    account: Accounts = None,
    store: Stores = None,
    job: Jobs = None,
    all_: All = False,
    home: Annotated[
        list[str] | None,
        typer.Option(
            help="Another home for an account; may be repeated.", metavar="ACCOUNT=FOLDER"
        ),
    ] = None,
    as_json: AsJson = False,
) -> None:
    """Add hosts, accounts, stores and jobs proposed by a store.

    Settings are taken from a copy of the records, if the store has one that this service's key
    opens. Otherwise hosts have no connection. Jobs are added disabled.
    """
    choice = _choice(host, account, store, job, all_)
    choice.homes = dict(_home(text) for text in home or [])
    with service(OPTIONS) as client:
        made = client.stores_accept(name, choice)
    said = f"Added {', '.join(made.added)}." if made.added else "Nothing was added."
    output.done(made, said, as_json)
    if not as_json:
        for line in made.needed:
            output.say(f"To be set: {line}")
        for line in made.refused:
            output.complain(line)
    if made.refused:
        raise typer.Exit(output.TROUBLE)


def dismiss(
    name: StoreName,
    host: Hosts = None,
    account: Accounts = None,
    store: Stores = None,
    job: Jobs = None,
    all_: All = False,
    yes: Yes = False,
    as_json: AsJson = False,
) -> None:
    """Dismiss hosts, accounts, stores and jobs proposed by a store; its bundles stay in the
    records.
    """
    choice = _choice(host, account, store, job, all_)
    output.sure(
        f"Forget these proposals of store {name}? Importing again proposes them again.", yes
    )
    with service(OPTIONS) as client:
        client.stores_dismiss(name, choice)
    output.done({"dismissed": name}, "Forgotten.", as_json)


def _choice(
    hosts: list[str] | None,
    accounts: list[str] | None,
    stores: list[str] | None,
    jobs: list[str] | None,
    all_: bool,
) -> models.ProposalChoice:
    if bool(hosts or accounts or stores or jobs) == all_:
        raise output.wrong(
            "Choose the proposals.",
            "Name them with --host, --account, --store and --job, or use --all.",
        )
    return models.ProposalChoice(
        hosts=hosts or [], accounts=accounts or [], stores=stores or [], jobs=jobs or [], all=all_
    )


def _home(text: str) -> tuple[str, str]:
    account, equals, folder = text.partition("=")
    if not (account and equals and folder):
        raise output.wrong(f"“{text}” names no folder.", "Write ACCOUNT=FOLDER.", "--home")
    return account, folder
