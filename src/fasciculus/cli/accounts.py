"""``fasciculus accounts`` and ``fasciculus sites``"""

from __future__ import annotations

from datetime import datetime
from typing import Annotated

import typer

from ..models import Account, Database, Site
from . import output
from .output import (
    ago,
    service,
    size,
    wrong,
)

app = typer.Typer(help="Customers' spaces: sites, databases, mail domains.", no_args_is_help=True)
sites_app = typer.Typer(help="Sites of all accounts.", no_args_is_help=True)

Name = Annotated[str, typer.Argument(help="The account's name.", show_default=False)]
AsJson = Annotated[bool, typer.Option("--json", help="JSON, for programs.")]
Words = Annotated[str, typer.Option("--find", help="Only those whose name holds this.")]
Sites = Annotated[
    list[str] | None,
    typer.Option("--site", help="DOMAIN=DOCUMENT_ROOT; may be repeated.", metavar="DOMAIN=ROOT"),
]
Sqlite = Annotated[
    list[str] | None,
    typer.Option(
        help="NAME=PATH of an SQLite database below the home; may be repeated.", metavar="NAME=PATH"
    ),
]
MariaDbConnection = Annotated[
    list[str] | None,
    typer.Option("--mariadb", help="Name of a MariaDB database; may be repeated.", metavar="NAME"),
]
MailDomains = Annotated[
    list[str] | None,
    typer.Option("--mail-domain", help="A mail domain; may be repeated.", metavar="DOMAIN"),
]

Excludes = Annotated[
    list[str] | None,
    typer.Option(
        help="Leave this out of every bundle, as in .gitignore; may be repeated.", metavar="PATTERN"
    ),
]


@app.command("list")
def list_(
    find: Words = "",
    host: Annotated[str, typer.Option(help="Only of this host.")] = "",
    as_json: AsJson = False,
) -> None:
    """List the accounts."""
    with service() as client:
        rows = list(client.every(client.accounts_list, q=find, host=host))
    if as_json:
        return output.show_json(rows)
    output.show_table(
        rows,
        [
            ("ACCOUNT", lambda a: a.name),
            ("HOST", lambda a: a.host),
            ("SITES", lambda a: len(a.sites)),
            ("DATABASES", lambda a: len(a.databases)),
            ("MAIL", lambda a: len(a.mail_domains)),
            ("COVERED BY", lambda a: ", ".join(a.covered_by) or "▲ no job"),
            ("NEWEST COPY", lambda a: ago(_when(a))),
            ("SIZE", lambda a: size(a.newest_bytes)),
            ("BUNDLES", lambda a: a.bundles),
        ],
        "No account yet. Add one: fasciculus accounts add NAME --host HOST --home FOLDER",
        right=["SITES", "DATABASES", "MAIL", "SIZE", "BUNDLES"],
    )
    return None


def _when(account: Account) -> datetime | None:
    return datetime.fromisoformat(account.newest) if account.newest else None


@app.command()
def show(name: Name, as_json: AsJson = False) -> None:
    """Show one account with all that is in it."""
    with service() as client:
        account = client.accounts_show(name)
    if as_json:
        return output.show_json(account)
    output.show_fields(
        [
            ("account", account.name),
            ("host", account.host),
            ("home", account.home),
            ("sites", "\n".join(f"{s.name}  {s.root}" for s in account.sites) or "none"),
            (
                "databases",
                "\n".join(f"{d.engine} {d.name}  {d.path}".rstrip() for d in account.databases)
                or "none",
            ),
            ("mail domains", "\n".join(account.mail_domains) or "none"),
            ("left out", "\n".join(account.excludes) or "nothing"),
            *([("gone since", account.gone_since[:10])] if account.gone_since else []),
            ("covered by", ", ".join(account.covered_by) or "no job"),
            ("newest copy", f"{output.moment(_when(account))}, {size(account.newest_bytes)}"),
            ("bundles", account.bundles),
        ]
    )
    return None


def _pairs(values: list[str], what: str) -> list[tuple[str, str]]:
    pairs = []
    for value in values:
        name, equals, rest = value.partition("=")
        if not (equals and name and rest):
            raise wrong(
                f"--{what} {value}: an equals sign with a text on both sides is missing.",
                f"Write --{what} NAME=PATH.",
            )
        pairs.append((name, rest))
    return pairs


def _built(
    name: str,
    host: str,
    home: str,
    sites: list[str] | None,
    sqlite: list[str] | None,
    mariadb: list[str] | None,
    domains: list[str] | None,
    excludes: list[str] | None,
    old: Account | None,
) -> Account:
    keep = old.databases if old else []
    lite = (
        [Database(engine="sqlite", name=n, path=p) for n, p in _pairs(sqlite, "sqlite")]
        if sqlite is not None
        else [d for d in keep if d.engine == "sqlite"]
    )
    maria = (
        [Database(engine="mariadb", name=n) for n in mariadb]
        if mariadb is not None
        else [d for d in keep if d.engine == "mariadb"]
    )
    return Account(
        name=name,
        host=host,
        home=home,
        sites=[Site(name=n, root=r) for n, r in _pairs(sites, "site")]
        if sites is not None
        else (old.sites if old else []),
        databases=[*lite, *maria],
        mail_domains=domains if domains is not None else (old.mail_domains if old else []),
        excludes=excludes if excludes is not None else (old.excludes if old else []),
        gone_since=old.gone_since if old else None,
    )


@app.command()
def add(
    name: Name,
    host: Annotated[str, typer.Option(help="The host it lives on.")],
    home: Annotated[str, typer.Option(help="Its home folder.")],
    sites: Sites = None,
    sqlite: Sqlite = None,
    mariadb: MariaDbConnection = None,
    mail_domains: MailDomains = None,
    exclude: Excludes = None,
) -> None:
    """Add an account."""
    with service() as client:
        account = _built(name, host, home, sites, sqlite, mariadb, mail_domains, exclude, None)
        made = client.accounts_add(account)
        output.out.print(
            f"Added account {made.name}; "
            + (
                f"covered by {', '.join(made.covered_by)}."
                if made.covered_by
                else "no job covers it yet."
            )
        )


@app.command()
def change(
    name: Name,
    home: Annotated[str | None, typer.Option(help="Its home folder.")] = None,
    sites: Sites = None,
    sqlite: Sqlite = None,
    mariadb: MariaDbConnection = None,
    mail_domains: MailDomains = None,
    exclude: Excludes = None,
) -> None:
    """Change an account; a list that is named replaces the old one, the others stay."""
    with service() as client:
        old = client.accounts_show(name)
        account = _built(
            name, old.host, home or old.home, sites, sqlite, mariadb, mail_domains, exclude, old
        )
        client.accounts_change(name, account)
        output.out.print(f"Changed account {name}.")


@app.command()
def remove(
    name: Name,
    yes: Annotated[bool, typer.Option("--yes", help="Do not ask.")] = False,
    with_bundles: Annotated[
        bool, typer.Option("--with-bundles", help="Remove its bundles from all stores too.")
    ] = False,
) -> None:
    """Forget an account; its bundles stay unless --with-bundles says otherwise."""
    with service() as client:
        account = client.accounts_show(name)
        going = (
            f"{account.bundles} bundles of it are removed from all stores"
            if with_bundles
            else "Its bundles stay"
        )
        output.sure(f"Forget account {name}? {going}.", yes)
        client.accounts_remove(name, "remove" if with_bundles else "")
        output.out.print(
            f"Removed account {name}. "
            f"{'Its bundles are gone' if with_bundles else 'Its bundles stay'}."
        )


@sites_app.command("list")
def sites_list(find: Words = "", as_json: AsJson = False) -> None:
    """List the sites of all accounts."""
    with service() as client:
        rows = list(client.every(client.sites_list, q=find))
    if as_json:
        return output.show_json(rows)
    output.show_table(
        rows,
        [
            ("SITE", lambda s: s.name),
            ("ACCOUNT", lambda s: s.account),
            ("HOST", lambda s: s.host),
            ("DOCUMENT ROOT", lambda s: s.root),
            ("COVERED BY", lambda s: ", ".join(s.covered_by) or "▲ no job"),
        ],
        "No site yet. Sites are added with their account: fasciculus accounts add --site …",
    )
    return None
