"""``fasciculus stores`` commands."""

from __future__ import annotations

import time
from typing import TYPE_CHECKING, Annotated, Any

import typer

from ... import models
from .. import output
from ..kind_options import EXTRA, KindOptions, find_kind, parse_extra, show_kinds
from ..options import options_of
from ..output import size
from ..parameters import AsJson, NewStoreName, StoreName, SubjectOption, Yes
from ..people.keys import LOSS
from ..session import service
from ..steps import prove, show_tried
from .store_maintenance import (
    Background,
    Quiet,
    catch_up,
    copy,
    finish,
    import_,
    move,
    repack,
    repair,
    seal,
    transfers,
    verify,
)
from .store_options import common_fields, shared
from .store_proposals import accept, dismiss, proposals
from .store_usage import show_usage
from .uploads import upload

if TYPE_CHECKING:
    from ...client import Client

app = typer.Typer(help="Places for bundles.", no_args_is_help=True)
for command in (
    verify,
    upload,
    repair,
    repack,
    catch_up,
    copy,
    move,
    transfers,
    import_,
    proposals,
    accept,
    dismiss,
    seal,
):
    app.command(command.__name__.strip("_").replace("_", "-"))(command)

Kind = Annotated[str, typer.Option(help="Kind of store; “stores kinds” lists them.")]


@app.command("list")
def list_(as_json: AsJson = False) -> None:
    """List the stores."""
    with service() as client:
        rows = list(client.every(client.stores_list))
    if as_json:
        return output.show_json(rows)
    output.show_table(
        rows,
        [
            ("STORE", lambda s: s.name),
            ("KIND", lambda s: s.settings.kind),
            ("WHERE", lambda s: s.where),
            ("COPIES", lambda s: s.copies),
            ("STORED", lambda s: size(s.bytes)),
            ("FREE", lambda s: "–" if s.free is None else size(s.free)),
            ("FULL ON", lambda s: s.full_on or "–"),
            ("LACKS", lambda s: s.lag or "–"),
            ("DAMAGED", lambda s: s.damaged or "–"),
            ("STATE", _state),
            ("JOBS", lambda s: ", ".join(s.jobs) or "none"),
        ],
        "No stores yet. Add one: fasciculus stores add NAME --kind sftp --address …",
        right=["COPIES", "STORED", "FREE", "LACKS"],
    )
    return None


def _state(store: models.Store) -> str:
    if store.owner:
        return "read only"
    if store.access == "none":
        return "not connected"
    return "tried" if store.tried else "untried"


@app.command()
def show(name: StoreName, as_json: AsJson = False) -> None:
    """Show one store."""
    with service() as client:
        store = client.stores_show(name)
    if as_json:
        return output.show_json(store)
    output.show_fields(
        [
            ("store", store.name),
            ("kind", store.settings.kind),
            ("where", store.where),
            (
                "tried",
                output.moment(store.tried) if store.tried else "never; fasciculus stores try",
            ),
            *([("read only", f"belongs to {store.owner}")] if store.owner else []),
            *([("access", store.access)] if store.access else []),
            ("secrets set", ", ".join(store.secrets_set) or "none"),
            ("copies", store.copies),
            ("stored", size(store.bytes)),
            (
                "read through",
                f"every {store.verify_days} days" if store.verify_days else "never by itself",
            ),
            ("concurrent tasks", store.max_concurrent or "no limit"),
            (
                "damaged",
                f"{output.count(store.damaged, 'file')}; see: fasciculus damage list --store "
                f"{store.name}"
                if store.damaged
                else "nothing known",
            ),
            ("limits", ", ".join(store.limits) or "none"),
            ("sealed to", ", ".join(store.recipients) or "not sealed"),
            *([("queue", store.queue)] if store.queue else []),
            ("append-only", "yes" if store.append_only else "no"),
            ("if stolen", " ".join(store.if_stolen)),
            *(
                [("copied from", f"{store.copy_from}, {store.copy_timetable}")]
                if store.copy_from
                else []
            ),
            ("jobs", ", ".join(store.jobs) or "none"),
        ]
    )
    return None


@app.command()
def usage(name: StoreName, as_json: AsJson = False) -> None:
    """Show a store's usage, growth, cost, and when it will be full."""
    with service() as client:
        found = client.stores_usage(name)
    if as_json:
        return output.show_json(found)
    show_usage(found)
    return None


@app.command()
def simulate(name: StoreName, as_json: AsJson = False) -> None:
    """Simulate the usage of a store in the coming year, by the keep rules of its jobs."""
    with service() as client:
        found = client.stores_simulate(name)
    if as_json:
        return output.show_json(found)
    output.show_table(
        found.days[::30],
        [("DAY", lambda d: d.day.isoformat()), ("HOLDS AT MOST", lambda d: size(d.bytes))],
        "No job writes to it.",
        right=["HOLDS AT MOST"],
    )
    room = (
        "It does not report free space."
        if found.room is None
        else (
            f"It has room for {size(found.room)}: "
            + (f"not enough from {found.full_on} on." if found.full_on else "enough.")
        )
    )
    output.say(f"If every run of {', '.join(found.jobs) or 'its jobs'} succeeds. {room}")
    return None


@app.command()
def kinds(as_json: AsJson = False) -> None:
    """List the kinds of stores, with the options of each."""
    with service() as client:
        found = client.kinds_list().stores
    show_kinds([KindOptions(kind) for kind in found], as_json)


def _input(
    client: Client,
    name: str,
    kind: str,
    args: list[str],
    old: models.Store | None,
    options: dict[str, Any],
) -> models.StoreInput:
    known = client.kinds_list()
    of_kind = KindOptions(find_kind(known.stores, kind, known.refused))
    given = parse_extra(args, of_kind.names, options)
    settings = {"kind": kind, **of_kind.settings(given)}
    if old is not None:
        settings = {**old.settings.model_dump(), **settings}
    return models.StoreInput(
        name=name,
        settings=models.KindSettings(**settings),
        secrets=dict(of_kind.secrets(given)),
        **common_fields(old, options),
    )


@app.command(context_settings=EXTRA)
@options_of(shared)
def add(
    context: typer.Context,
    name: NewStoreName,
    kind: Kind = "",
    yes: Yes = False,
    take_in: Annotated[
        bool,
        typer.Option("--import", help="Also add its bundles to the records."),
    ] = False,
    as_json: AsJson = False,
    **options: Any,
) -> None:
    """Test a store, and add it if all steps succeed.

    Its further options depend on the kind: fasciculus stores kinds.
    """
    with service() as client:
        store = _input(client, name, kind, context.args, None, options)
        _explain_sealing(store, [], yes)
        if options["untried"]:
            made = client.stores_add(store, untried=True)
            output.done(made, _untried(made), as_json)
            return
        tried = client.stores_try_draft(store)
        prove(tried, as_json)
        made = client.stores_add(store)
        held = [step.text for step in tried.steps if step.name == "bundles"]
        said = " ".join([f"Added store {made.name}: {made.where}.", *held, *_foreign(made)])
        if take_in:
            output.say(said)
            finish(client, client.stores_import(name), False, as_json, False)
        output.done(made, said, as_json)


def _explain_sealing(store: models.StoreInput, before: list[str], yes: bool) -> None:
    """Warn about lost keys before bundles are sealed for the first time."""
    if store.recipients and not before:
        output.sure(f"{LOSS} Seal all bundles for {store.name} from now on?", yes)


def _foreign(store: models.Store) -> list[str]:
    if not store.owner:
        return []
    return [
        f"It belongs to {store.owner}, and is read only here until you claim it: fasciculus "
        f"stores claim {store.name}"
    ]


def _untried(store: models.Store) -> str:
    if store.access == "none":
        return f"Added store {store.name}. Its owner gives access: fasciculus stores connect " + (
            f"{store.name}"
        )
    return f"Added store {store.name}, untried. Try it: fasciculus stores try {store.name}"


@app.command(context_settings=EXTRA)
@options_of(shared)
def change(
    context: typer.Context,
    name: StoreName,
    yes: Yes = False,
    as_json: AsJson = False,
    **options: Any,
) -> None:
    """Test a store with other settings, and save them if all steps succeed."""
    untried = options["untried"]
    with service() as client:
        old = client.stores_show(name)
        store = _input(client, name, old.settings.kind, context.args, old, options)
        _explain_sealing(store, old.recipients, yes)
        if not untried:
            prove(client.stores_try_draft(store, saved=name), as_json)
        made = client.stores_change(name, store, untried=untried)
        output.done(made, f"Changed store {name}.", as_json)


@app.command()
def claim(name: StoreName, yes: Yes = False, as_json: AsJson = False) -> None:
    """Claim a store that another installation wrote to, which must have stopped."""
    with service() as client:
        store = client.stores_show(name)
        whose = f"It belongs to {store.owner}. " if store.owner else ""
        output.sure(f"{whose}Claim store {name}? The other service can no longer write to it.", yes)
        made = client.stores_claim(name)
    output.done(made, f"Store {name} belongs to this service now.", as_json)


@app.command()
def connect(
    name: StoreName,
    no_wait: Annotated[
        bool, typer.Option("--no-wait", help="Do not wait; print the code to confirm.")
    ] = False,
    as_json: AsJson = False,
) -> None:
    """Request access to a drive from its owner, and wait for it."""
    with service() as client:
        found = client.stores_connect(name)
        if not as_json:
            output.err.print(found.text, soft_wrap=True, highlight=False)
        while found.state == "waiting" and not no_wait:
            time.sleep(found.interval)
            found = client.stores_access(name)
    output.done(found, found.text, as_json)
    if found.state == "refused":
        raise typer.Exit(output.TROUBLE)


@app.command()
def disconnect(name: StoreName, as_json: AsJson = False) -> None:
    """Remove the access to a drive."""
    with service() as client:
        client.stores_disconnect(name)
    said = f"Store {name} has no access to its drive any more. Revoke it at the drive too."
    output.done({"disconnected": name}, said, as_json)


@app.command(context_settings=EXTRA)
def retire(
    context: typer.Context,
    name: StoreName,
    subject: SubjectOption = "",
    no_wait: Background = False,
    quiet: Quiet = False,
    as_json: AsJson = False,
) -> None:
    """Retire copies on an append-only store, with credentials that can remove files there.

    They are given by the options of its kind (fasciculus stores kinds), such as --user and
    --password-file, and are not kept.
    """
    with service() as client:
        store, known = client.stores_show(name), client.kinds_list()
        of_kind = KindOptions(find_kind(known.stores, store.settings.kind, known.refused))
        given = parse_extra(context.args, of_kind.names, [])
        started = client.stores_retire(
            name, subject, of_kind.settings(given), of_kind.secrets(given)
        )
        finish(client, started, no_wait, as_json, quiet)


@app.command("try")
def try_(name: StoreName, as_json: AsJson = False) -> None:
    """Test reaching, writing, reading and removing on a store."""
    with service() as client:
        tried = client.stores_try(name)
    show_tried(tried, as_json)


@app.command()
def remove(name: StoreName, yes: Yes = False, as_json: AsJson = False) -> None:
    """Remove a store from the records; its files stay."""
    with service() as client:
        store = client.stores_show(name)
        output.sure(
            f"Remove store {name}, with {output.count(store.copies, 'copy', 'copies')}, from the "
            "records? Its files stay.",
            yes,
        )
        client.stores_remove(name)
    output.done({"removed": name}, f"Removed store {name}. Its files stay.", as_json)
