"""``fasciculus accounts`` and ``fasciculus sites`` commands."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated

import typer

from ... import models
from .. import output
from ..output import ago, size, wrong
from ..parameters import AccountName, AsJson, NewAccountName, Yes
from ..session import service

app = typer.Typer(help="Customers' spaces: sites, databases, mail domains.", no_args_is_help=True)
sites_app = typer.Typer(help="Sites of all accounts.", no_args_is_help=True)

Words = Annotated[str, typer.Option("--find", help="Only names that contain this text.")]
Sites = Annotated[
    list[str] | None,
    typer.Option("--site", help="DOMAIN=DOCUMENT_ROOT; may be repeated.", metavar="DOMAIN=ROOT"),
]
DatabaseOption = Annotated[
    list[str] | None,
    typer.Option(
        "--database",
        help="A database, as in mariadb:shop, postgresql:shop, or sqlite:shop=PATH for a file "
        "below the home; may be repeated.",
        metavar="ENGINE:NAME[=PATH]",
    ),
]
MailDomains = Annotated[
    list[str] | None,
    typer.Option("--mail-domain", help="A mail domain; may be repeated.", metavar="DOMAIN"),
]

Excludes = Annotated[
    list[str] | None,
    typer.Option(
        help="Exclude this from every bundle, as in .gitignore; may be repeated.", metavar="PATTERN"
    ),
]


Contact = Annotated[
    str | None,
    typer.Option(
        help="Contact to notify about this account, if a job notifies contacts; “none” for nobody.",
        metavar="ADDRESS",
    ),
]
Tags = Annotated[
    list[str] | None,
    typer.Option(
        "--tag",
        help="Tag by which jobs can select it (tag:TAG); may be repeated; “none” for no tag.",
        metavar="TAG",
    ),
]
#: Options whose names are not those of the fields.
_OPTIONS = {
    "sites": "--site",
    "databases": "--database",
    "mail_domains": "--mail-domain",
    "excludes": "--exclude",
    "tags": "--tag",
}


@app.command("list")
def list_(
    find: Words = "",
    host: Annotated[str, typer.Option(help="Only of this host.")] = "",
    tag: Annotated[str, typer.Option(help="Only with this tag.")] = "",
    as_json: AsJson = False,
) -> None:
    """List the accounts."""
    with service() as client:
        rows = list(client.every(client.accounts_list, q=find, host=host, tag=tag))
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


def _when(account: models.Account) -> datetime | None:
    return datetime.fromisoformat(account.newest) if account.newest else None


@app.command()
def show(name: AccountName, as_json: AsJson = False) -> None:
    """Show one account with its sites, databases and mail domains."""
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
            ("contact", account.contact or "none"),
            ("tags", ", ".join(account.tags) or "none"),
            *([("missing since", account.gone_since[:10])] if account.gone_since else []),
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


def _database(text: str) -> models.Database:
    engine, colon, rest = text.partition(":")
    name, _, path = rest.partition("=")
    if not (colon and engine and name):
        raise wrong(
            f"--database {text}: the engine or the name is missing.",
            "Write --database mariadb:NAME, postgresql:NAME, or sqlite:NAME=PATH.",
        )
    return models.Database(engine=engine, name=name, path=path)


def _with(fields: models.AccountInput, options: dict[str, list[str] | None]) -> models.AccountInput:
    """Return an account with the given lists in place of the old ones."""
    if (sites := options["sites"]) is not None:
        fields.sites = [models.Site(name=name, root=root) for name, root in _pairs(sites, "site")]
    if (databases := options["databases"]) is not None:
        fields.databases = [_database(text) for text in databases]
    if (domains := options["mail_domains"]) is not None:
        fields.mail_domains = domains
    if (excludes := options["excludes"]) is not None:
        fields.excludes = excludes
    if (tags := options["tags"]) is not None:
        fields.tags = [] if tags == ["none"] else tags
    return fields


def _contact(given: str | None, old: str) -> str:
    return old if given is None else "" if given == "none" else given


@app.command()
def add(
    name: NewAccountName,
    host: Annotated[str, typer.Option(help="The host that it is on.")],
    home: Annotated[str, typer.Option(help="Its home folder.")],
    sites: Sites = None,
    database: DatabaseOption = None,
    mail_domains: MailDomains = None,
    exclude: Excludes = None,
    contact: Contact = None,
    tag: Tags = None,
    as_json: AsJson = False,
) -> None:
    """Add an account."""
    with service(_OPTIONS) as client:
        account = _with(
            models.AccountInput(name=name, host=host, home=home, contact=_contact(contact, "")),
            {
                "sites": sites,
                "databases": database,
                "mail_domains": mail_domains,
                "excludes": exclude,
                "tags": tag,
            },
        )
        made = client.accounts_add(account)
    covered = (
        f"covered by {', '.join(made.covered_by)}" if made.covered_by else "no job covers it yet"
    )
    output.done(made, f"Added account {made.name}; {covered}.", as_json)


@app.command()
def change(
    name: AccountName,
    home: Annotated[str | None, typer.Option(help="Its home folder.")] = None,
    sites: Sites = None,
    database: DatabaseOption = None,
    mail_domains: MailDomains = None,
    exclude: Excludes = None,
    contact: Contact = None,
    tag: Tags = None,
    as_json: AsJson = False,
) -> None:
    """Change an account. A list that you give replaces the old one; the others stay."""
    with service(_OPTIONS) as client:
        old = client.accounts_show(name)
        fields = old.model_dump(include=set(models.AccountInput.model_fields))
        account = _with(
            models.AccountInput(
                **{**fields, "home": home or old.home, "contact": _contact(contact, old.contact)}
            ),
            {
                "sites": sites,
                "databases": database,
                "mail_domains": mail_domains,
                "excludes": exclude,
                "tags": tag,
            },
        )
        made = client.accounts_change(name, account)
    output.done(made, f"Changed account {name}.", as_json)


@app.command()
def remove(
    name: AccountName,
    yes: Yes = False,
    with_bundles: Annotated[
        bool, typer.Option("--with-bundles", help="Also remove its bundles from all stores.")
    ] = False,
    as_json: AsJson = False,
) -> None:
    """Remove an account from the records. Its bundles stay unless you give --with-bundles."""
    with service() as client:
        account = client.accounts_show(name)
        going = (
            f"{output.count(account.bundles, 'bundle')} of it go from all stores"
            if with_bundles
            else "Its bundles stay"
        )
        output.sure(f"Remove account {name} from the records? {going}.", yes)
        client.accounts_remove(name, "remove" if with_bundles else "")
    said = "Its bundles were removed" if with_bundles else "Its bundles stay"
    output.done({"removed": name}, f"Removed account {name}. {said}.", as_json)


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
