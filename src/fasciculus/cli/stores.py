"""``fasciculus stores``"""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated

import typer

from .. import models
from . import output
from .kind_options import EXTRA, KindOptions, find_kind, parse_extra, show_kinds
from .output import size
from .parameters import AsJson, NewStoreName, StoreName, Yes
from .session import service
from .steps import prove, show_tried
from .store_maintenance import mend, repack, verify

if TYPE_CHECKING:
    from ..client import Client

app = typer.Typer(help="Places where bundles are kept.", no_args_is_help=True)
for command in (verify, mend, repack):
    app.command()(command)

VerifyDays = Annotated[
    int | None,
    typer.Option(
        help="Read every copy through once in so many days, in the background; 0 for never.",
        min=0,
        max=3650,
    ),
]
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
            ("DAMAGED", lambda s: s.damaged or "–"),
            ("JOBS", lambda s: ", ".join(s.jobs) or "none"),
        ],
        "No store yet. Add one: fasciculus stores add NAME --kind sftp --address …",
        right=["COPIES", "STORED"],
    )
    return None


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
            ("secrets set", ", ".join(store.secrets_set) or "none"),
            ("copies", store.copies),
            ("stored", size(store.bytes)),
            (
                "read through",
                f"every {store.verify_days} days" if store.verify_days else "never by itself",
            ),
            (
                "damaged",
                f"{output.count(store.damaged, 'file')}; see: fasciculus damage list --store "
                f"{store.name}"
                if store.damaged
                else "nothing known",
            ),
            ("jobs", ", ".join(store.jobs) or "none"),
        ]
    )
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
    verify_days: int | None,
    old: models.Store | None = None,
) -> models.StoreInput:
    options = KindOptions(find_kind(client.kinds_list().stores, kind))
    given = parse_extra(args, options.names)
    settings = {"kind": kind, **options.settings(given)}
    if old is not None:
        settings = {**old.settings.model_dump(), **settings}
    if verify_days is None:
        verify_days = old.verify_days if old is not None else 30
    return models.StoreInput(
        name=name,
        settings=models.KindSettings(**settings),
        verify_days=verify_days,
        secrets=dict(options.secrets(given)),
    )


@app.command(context_settings=EXTRA)
def add(
    context: typer.Context,
    name: NewStoreName,
    kind: Kind = "",
    verify_days: VerifyDays = None,
    as_json: AsJson = False,
) -> None:
    """Try a store, and add it when all steps succeed.

    Its further options depend on the kind: fasciculus stores kinds.
    """
    with service() as client:
        store = _input(client, name, kind, context.args, verify_days)
        tried = client.stores_try_draft(store)
        prove(tried, as_json)
        made = client.stores_add(store)
        held = [step.text for step in tried.steps if step.name == "bundles"]
        said = " ".join([f"Added store {made.name}: {made.where}.", *held])
        output.done(made, said, as_json)


@app.command(context_settings=EXTRA)
def change(
    context: typer.Context, name: StoreName, verify_days: VerifyDays = None, as_json: AsJson = False
) -> None:
    """Try a store with other settings, and keep them when all steps succeed."""
    with service() as client:
        old = client.stores_show(name)
        store = _input(client, name, old.settings.kind, context.args, verify_days, old)
        prove(client.stores_try_draft(store, saved=name), as_json)
        output.done(client.stores_change(name, store), f"Changed store {name}.", as_json)


@app.command("try")
def try_(name: StoreName, as_json: AsJson = False) -> None:
    """Prove that a store can be reached, written, read and cleared."""
    with service() as client:
        tried = client.stores_try(name)
    show_tried(tried, as_json)


@app.command()
def remove(name: StoreName, yes: Yes = False, as_json: AsJson = False) -> None:
    """Remove a store from the records; nothing on it is touched."""
    with service() as client:
        store = client.stores_show(name)
        output.sure(
            f"Remove store {name}, with {output.count(store.copies, 'copy', 'copies')}, from the "
            "records? Nothing on it is touched.",
            yes,
        )
        client.stores_remove(name)
    output.done({"removed": name}, f"Removed store {name}. Nothing on it was touched.", as_json)
