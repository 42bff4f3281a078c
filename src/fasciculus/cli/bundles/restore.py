"""``fasciculus restore``: bring a bundle, or part of it, back."""

from __future__ import annotations

import os
from datetime import datetime
from typing import TYPE_CHECKING, Annotated

import typer

from ... import models
from ...core.instructions import restored_name
from ...core.restore.actions import Conflicts
from .. import output
from ..output import count, size
from ..parameters import AsJson, Yes, complete_stores
from ..progress import exit_code, follow_restore
from ..session import service
from . import relocations
from .bundle_choice import At, BundleText, chosen_bundle
from .restores import end_with, plan_words, show_plan

if TYPE_CHECKING:
    from ...client import Client

app = typer.Typer()

_SHOWN = 20
#: Options whose names are not those of the fields.
_OPTIONS = {
    "target": "--to",
    "paths": "--path",
    "databases": "--database",
    "tables": "--table",
    "mail_domains": "--mail-domain",
    "mailboxes": "--mailbox",
    "identity": "--key-file",
    "owners": "--map-owner",
    "account": "--into",
    "address": "--beside",
    "to_folder": "--to-folder",
    "texts": "--exchange",
    "files": "--exchange-in",
    "commands": "--before, --after-success or --always",
}


@app.command()
def restore(
    bundle: BundleText,
    at: At = None,
    in_place: Annotated[
        bool,
        typer.Option(
            "--in-place",
            help="Put files and databases back where they were; what they replace is set aside.",
        ),
    ] = False,
    plan: Annotated[
        bool, typer.Option("--plan", help="With --in-place: only show what would change.")
    ] = False,
    conflicts: Annotated[
        Conflicts,
        typer.Option(help="With --in-place: what becomes of a file that differs."),
    ] = Conflicts.REPLACE,
    remove_extra: Annotated[
        bool,
        typer.Option(
            "--remove-extra", help="With --in-place: also set aside what is not in the bundle."
        ),
    ] = False,
    compare_contents: Annotated[
        bool,
        typer.Option(
            "--compare-contents",
            help="With --in-place: compare contents instead of sizes and times.",
        ),
    ] = False,
    whole_account: Annotated[
        bool,
        typer.Option(
            "--whole-account",
            help="With --in-place, for a lost account: create its user, bring mail and missing "
            "system settings back too, and ask its sites.",
        ),
    ] = False,
    web_address: Annotated[
        str,
        typer.Option(
            help="With --whole-account: address of the web server; the host's by default.",
            metavar="ADDRESS:PORT",
        ),
    ] = "",
    bundle_first: Annotated[
        bool,
        typer.Option(
            "--bundle-first",
            help="With --in-place: make a bundle of the present state first.",
        ),
    ] = False,
    hold_page: Annotated[
        bool,
        typer.Option(
            "--hold-page",
            help="With --in-place: let the sites answer 503 during the exchange, and an undo.",
        ),
    ] = False,
    before: Annotated[
        list[str] | None,
        typer.Option(
            help="With --in-place: command on the host before the exchange; if it fails, nothing "
            "is changed.",
            metavar="COMMAND",
        ),
    ] = None,
    after_success: Annotated[
        list[str] | None,
        typer.Option(
            help="With --in-place: command on the host after the exchange, or after an undo.",
            metavar="COMMAND",
        ),
    ] = None,
    always: Annotated[
        list[str] | None,
        typer.Option(
            help="With --in-place: command on the host afterwards, in any case.",
            metavar="COMMAND",
        ),
    ] = None,
    into: Annotated[
        str,
        typer.Option(help="Restore in place into this account instead.", metavar="ACCOUNT"),
    ] = "",
    beside: Annotated[
        str,
        typer.Option(
            help="Restore a copy of a site next to it, with its own folder, databases and users, "
            "for this address.",
            metavar="ADDRESS",
        ),
    ] = "",
    site: Annotated[
        str, typer.Option(help="With --beside or --into: which site of the account.")
    ] = "",
    to_folder: Annotated[
        str,
        typer.Option(help="With --beside or --into: the folder below the account's home."),
    ] = "",
    exchange: Annotated[
        list[str] | None,
        typer.Option(
            help="With --beside or --into: a text to exchange in databases and configuration "
            "files; an empty NEW keeps it. May be repeated.",
            metavar="OLD=NEW",
        ),
    ] = None,
    exchange_in: Annotated[
        list[str] | None,
        typer.Option(
            help="With --beside or --into: exchange texts in these files instead of the usual "
            "configuration files; may be repeated.",
            metavar="PATTERN",
        ),
    ] = None,
    to: Annotated[str, typer.Option(help="An empty or new folder on the service's machine.")] = "",
    contents: Annotated[
        str, typer.Option(help="Only these kinds: files, databases, mail.", metavar="KIND,KIND")
    ] = "",
    path: Annotated[
        list[str] | None,
        typer.Option(
            help="Only at or below this path, or a pattern as in .gitignore; may be repeated."
        ),
    ] = None,
    full_layout: Annotated[
        bool,
        typer.Option(
            "--full-layout",
            help="With --to and --path: keep whole paths, such as files/sites/www.",
        ),
    ] = False,
    database: Annotated[
        list[str] | None,
        typer.Option(
            help="Load a MariaDB database under a new name; with --in-place NAME only, for this "
            "database instead of everything. May be repeated.",
            metavar="NAME[=NEW_NAME]",
        ),
    ] = None,
    table: Annotated[
        list[str] | None,
        typer.Option(
            help="Only this table of a database; may be repeated. Without --in-place or --database "
            "it goes to DATABASE_restored.",
            metavar="DATABASE.TABLE",
        ),
    ] = None,
    mail_domain: Annotated[
        list[str] | None,
        typer.Option(
            help="Merge this domain's mail settings into the host's files; may be repeated."
        ),
    ] = None,
    mailbox: Annotated[
        list[str] | None,
        typer.Option(
            help="Only this mailbox: its lines in the host's files, and its missing messages; may "
            "be repeated.",
            metavar="ADDRESS",
        ),
    ] = None,
    store: Annotated[
        str, typer.Option(help="The store to read from.", autocompletion=complete_stores)
    ] = "",
    resume: Annotated[
        bool,
        typer.Option("--resume", help="Continue an interrupted restore into that folder."),
    ] = False,
    special_modes: Annotated[
        bool,
        typer.Option(
            "--special-modes",
            help="Restore set-user-id bits, devices and system attributes even from a copy that "
            "the records do not vouch for.",
        ),
    ] = False,
    map_owner: Annotated[
        list[str] | None,
        typer.Option(
            help="New owner for the entries of a recorded user or group; may be repeated.",
            metavar="NAME=NAME_THERE",
        ),
    ] = None,
    key_file: Annotated[
        str,
        typer.Option(
            help="A file with a private key, if the bundle is sealed; “-” for standard input."
        ),
    ] = "",
    yes: Yes = False,
    as_json: AsJson = False,
) -> None:
    """Restore a bundle, or part of it: in place, or to an empty folder, new databases or the mail
    files.
    """
    kinds = [c.strip() for c in contents.split(",") if c.strip()]
    choice = relocations.Choice(
        into, beside, site, to_folder, exchange or [], exchange_in or []
    ).checked()
    in_place = in_place or choice.moves
    default = "files" if in_place else "databases" if table or database else ""
    wanted = kinds[0] if kinds else default
    tables = _tables(table or [])
    names = _database_names(database or [], tables, in_place)
    with service(_OPTIONS) as client:
        order = models.RestoreStart(
            bundle=chosen_bundle(client, bundle, at, wanted, store)
            if not whole_account
            else _chosen_whole(client, bundle, at, store),
            in_place=models.InPlace(
                conflicts=conflicts,
                remove_extra=remove_extra,
                compare_contents=compare_contents,
            )
            if in_place
            else None,
            plan_only=plan,
            whole_account=whole_account,
            web_address=web_address,
            target=os.path.abspath(to) if to else "",
            store=store,
            contents=kinds,
            paths=path or [],
            full_layout=full_layout,
            databases=names,
            tables=tables,
            mail_domains=mail_domain or [],
            mailboxes=mailbox or [],
            resume=resume,
            special_modes=special_modes,
            bundle_first=bundle_first,
            hold_page=hold_page,
            commands=_commands(before=before, after_success=after_success, always=always),
            owners=dict(_renamed(text, "--map-owner") for text in map_owner or []),
            identity=output.read_file("--key-file", key_file) if key_file else "",
        )
        if choice.moves:
            order = relocations.relocated(client, order, choice)
        if in_place and not _agreed(client, order, yes, as_json):
            return
        number = client.restores_start(order).id
        done = follow_restore(client, number)
    end_with(done, _restored(done), as_json)


def _commands(**given: list[str] | None) -> list[models.Command]:
    return [
        models.Command.model_validate({"when": when, "command": command})
        for when, commands in given.items()
        for command in commands or ()
    ]


def _chosen_whole(client: Client, bundle: str, at: datetime | None, store: str) -> int:
    """Return the bundle of a lost account, or of a host, which has no files."""
    is_host = any(row.name == bundle for row in client.every(client.hosts_list))
    return chosen_bundle(client, bundle, at, "system" if is_host else "files", store)


def _database_names(
    texts: list[str], tables: dict[str, list[str]], in_place: bool
) -> dict[str, str]:
    """Return the names that databases get, by their names in the bundle; in place their own."""
    if in_place:
        plain = [text for text in texts if "=" not in text]
        return dict(
            [*((name, name) for name in (*tables, *plain))]
            + [_renamed(text, "--database") for text in texts if "=" in text]
        )
    names = {name: restored_name(name) for name in tables}
    return names | dict(_renamed(text, "--database") for text in texts)


def _renamed(text: str, option: str) -> tuple[str, str]:
    old, equals, new = text.partition("=")
    if not (old and equals and new):
        raise output.wrong(f"“{text}” has no new name.", "Write NAME=NEW_NAME.", option)
    return old, new


def _tables(texts: list[str]) -> dict[str, list[str]]:
    found: dict[str, list[str]] = {}
    for text in texts:
        name, dot, table = text.partition(".")
        if not (name and dot and table):
            raise output.wrong(
                f"“{text}” has no database.",
                "Write DATABASE.TABLE, such as shop.orders.",
                "--table",
            )
        found.setdefault(name, []).append(table)
    return found


def _agreed(client: Client, order: models.RestoreStart, yes: bool, as_json: bool) -> bool:
    """Show the plan of a restore in place; return whether to continue."""
    planned = order.model_copy(update={"plan_only": True})
    done = follow_restore(client, client.restores_start(planned).id)
    lines = client.restores_plan(done.id, limit=_SHOWN + 1).items if done.plan else []
    if done.plan is None:
        output.complain(done.error)
        raise typer.Exit(exit_code(done.outcome))
    if as_json and order.plan_only:
        output.show_json(done)
        return False
    if not as_json:
        if order.relocation is not None:
            relocations.show_relocation(order)
        _show(client, done, lines)
    if order.plan_only:
        return False
    place = relocations.place_words(order.relocation) if order.relocation else "in place"
    output.sure(f"Restore {done.subject} {place} now?", yes)
    return True


def _show(client: Client, done: models.Restore, lines: list[models.RestorePlanLine]) -> None:
    found = client.bundles_show(done.bundle_id) if done.bundle_id else None
    when = f" of {output.moment(found.moment)}" if found else ""
    output.say(f"{done.subject} from bundle {done.bundle_id}{when}, on {done.store}:")
    show_plan(lines[:_SHOWN])
    if len(lines) > _SHOWN:
        output.say(f"… and more: fasciculus restores plan {done.id}")
    assert done.plan is not None
    for note in done.plan.notes:
        output.say(f"▲ {note}")
    free = f"; {size(done.plan.free_bytes)} free" if done.plan.free_bytes else ""
    took = f"; about {output.duration(done.plan.seconds)}" if done.plan.seconds else ""
    output.say(f"In all: {plan_words(done.plan)}{free}{took}.")


def _restored(done: models.Restore) -> str:
    """Return a sentence about what was restored."""
    if done.relocation is not None:
        return relocations.moved_words(done, done.relocation)
    parts = [f"Restored {count(done.entries, 'entry', 'entries')}, {size(done.bytes)}"]
    place = ", in place" if done.in_place else f", to {done.target}" if done.target else ""
    parts.append(f"{place}.")
    if done.databases:
        parts.append(f" Databases: {', '.join(done.databases.values())}.")
    if done.aside:
        parts.append(f" The replaced data is set aside; undo: fasciculus restores undo {done.id}")
    for name, tables in done.tables.items():
        if done.in_place or "." in tables[0]:
            # Tables in schemas are of PostgreSQL, which moves none to another database.
            break
        back = f"RENAME TABLE `{done.databases[name]}`.`{tables[0]}` TO `{name}`.`{tables[0]}`"
        parts.append(f" To use it, once the old one is out of the way: {back};")
    if done.mail_domains:
        parts.append(f" Mail settings of {', '.join(done.mail_domains)}.")
    if done.outcome == "warned":
        parts.append(f" See the warnings: fasciculus restores log {done.id}")
    return "".join(parts)
