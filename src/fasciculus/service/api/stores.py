"""Stores, and trying them."""

from __future__ import annotations

from ...core.errors import FasciculusError, SettingError
from ...core.steps import Step
from ...models import (
    Page,
    Store,
    Tried,
    TryStep,
)
from ...records import stores
from ...records.encryption import merged
from ...stores import open_store
from ...stores.base import (
    Connected,
    StoreSpec,
    mark,
    read_mark,
    try_out,
)
from ..context import context
from ..operations import arg, operation, paging
from ..tasks import orders
from .auth import note


@operation(
    "GET",
    "/stores",
    "Stores",
    gives=Page[Store],
    paged=True,
    query={"q": "words that the name holds"},
)
def stores_list() -> Page[Store]:
    return stores.stores(context().records.reader, context().cipher, paging(), arg("q"))


@operation("GET", "/stores/{name}", "One store", gives=Store)
def stores_show(name: str) -> Store:
    return stores.store(context().records.reader, context().cipher, name)


@operation(
    "POST", "/stores", "Add a store; it is tried first", takes=Store, gives=Store, status=201
)
def stores_add(body: Store) -> Store:
    found = prepare(body, None)
    with context().records.write() as db:
        stores.save_store(db, context().cipher, body, found)
    return _saved(body.name, "added store")


@operation("PUT", "/stores/{name}", "Change a store; it is tried first", takes=Store, gives=Store)
def stores_change(name: str, body: Store) -> Store:
    stores.store(context().records.reader, context().cipher, name)
    found = prepare(body, name)
    with context().records.write() as db:
        stores.save_store(db, context().cipher, body, found, name)
    return _saved(body.name, "changed store")


@operation("DELETE", "/stores/{name}", "Forget a store; what lies on it is not touched")
def stores_remove(name: str) -> None:
    with context().records.write() as db:
        stores.remove_store(db, name)
    note("forgot store", name)
    context().events.changed("stores")


@operation(
    "POST",
    "/stores/try",
    "Try a store as it is described, before saving it",
    takes=Store,
    gives=Tried,
)
def stores_try_draft(body: Store) -> Tried:
    old = arg("saved")
    return _tried(_spec(body, old or None), None)


@operation("POST", "/stores/{name}/try", "Try a saved store", gives=Tried)
def stores_try(name: str) -> Tried:
    db = context().records.reader
    order = orders.store_order(db, context().cipher, name)
    return _tried(order.spec(), order.store_id)


def _spec(body: Store, saved: str | None) -> StoreSpec:
    """How to reach a store that is not saved yet, with the secrets it has already."""
    db, cipher = context().records.reader, context().cipher
    old = stores.secrets(db, cipher, saved) if saved else {}
    given = body.secrets.model_dump() if body.secrets else {}
    return StoreSpec(
        body.name, body.kind, orders.settings_of(body.model_dump()), merged(old, given)
    )


def _tried(spec: StoreSpec, store_id: str | None) -> Tried:
    try:
        store = open_store(spec)
    except FasciculusError as error:
        step = TryStep(name="settings", ok=False, text=error.message, way_out=error.way_out)
        return Tried(ok=False, steps=[step])
    try:
        steps = try_out(store, store_id)
    finally:
        store.close()
    return Tried(
        ok=all(step.ok for step in steps),
        steps=[_step(step) for step in steps],
        host_key=getattr(store, "seen_key", ""),
    )


def _step(step: Step) -> TryStep:
    return TryStep(name=step.name, ok=step.ok, text=step.text, way_out=step.way_out)


def prepare(body: Store, saved: str | None) -> str:
    """Prove that the store works, mark it, and give its id."""
    db = context().records.reader
    expected = stores.mark_of(db, saved) if saved else None
    spec = _spec(body, saved)
    tried = _tried(spec, expected)
    if not tried.ok:
        failed = next(step for step in tried.steps if not step.ok)
        field = {
            "host key": "host_key",
            "folder": "path" if body.kind == "folder" else "folder",
            "connect": "address",
            "sign in": "password",
        }.get(failed.name)
        raise SettingError(failed.text, failed.way_out, field=field)
    store = open_store(spec)
    with Connected(store):
        mark(store, expected or stores.new_mark())
        found = read_mark(store)
    taken = db.execute(
        "SELECT name FROM store WHERE mark=? AND name IS NOT ?", (found, saved)
    ).fetchone()
    if taken:
        raise SettingError(
            f"That folder is the store “{taken['name']}” already.",
            "Name another folder.",
            field="path" if body.kind == "folder" else "folder",
        )
    return found


def _saved(name: str, action: str) -> Store:
    note(action, name)
    context().events.changed("stores")
    return stores_show(name)
