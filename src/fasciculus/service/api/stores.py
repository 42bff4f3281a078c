"""Stores, and trying them."""

from __future__ import annotations

from ...core.errors import FasciculusError, SettingError
from ...models import Page, Store, StoreInput, TryResult, TryStep
from ...models.queries import SavedQuery, WordsQuery
from ...records import stores
from ...records.encryption import merged
from ...stores import open_store
from ...stores.base import StoreSpec, connected
from ...stores.identity import read_identity, write_identity
from ...stores.trying import try_store
from ..context import context, order_sources
from ..kind_settings import check_store
from ..operations import operation, page_request
from ..store_contents import contents_step
from ..tasks.orders.connections import manifest_key, store_order
from .auth import note

#: The setting that a step which fails points to, where the kind has it.
_FIELDS = {
    "host key": ("host_key",),
    "folder": ("folder",),
    "connect": ("address",),
    "sign in": ("password",),
}


@operation("GET", "/stores", "Stores", query=WordsQuery, response=Page[Store])
def stores_list(query: WordsQuery) -> Page[Store]:
    return stores.stores(context().records.reader, context().cipher, page_request(query), query.q)


@operation("GET", "/stores/{name}", "One store", response=Store)
def stores_show(name: str) -> Store:
    return stores.store(context().records.reader, context().cipher, name)


@operation(
    "POST", "/stores", "Add a store; it is tried first", body=StoreInput, response=Store, status=201
)
def stores_add(body: StoreInput) -> Store:
    prepared = prepare(body, None)
    with context().records.write() as db:
        stores.save_store(db, context().cipher, body, *prepared)
    return _saved(body.name, "added store")


@operation(
    "PUT", "/stores/{name}", "Change a store; it is tried first", body=StoreInput, response=Store
)
def stores_change(name: str, body: StoreInput) -> Store:
    stores.store(context().records.reader, context().cipher, name)
    prepared = prepare(body, name)
    with context().records.write() as db:
        stores.save_store(db, context().cipher, body, *prepared, name)
    return _saved(body.name, "changed store")


@operation(
    "DELETE", "/stores/{name}", "Remove a store from the records; what is on it is not touched"
)
def stores_remove(name: str) -> None:
    with context().records.write() as db:
        stores.remove_store(db, name)
    note("forgot store", name)
    context().events.changed("stores")


@operation(
    "POST",
    "/stores/try",
    "Try a store as it is described, before saving it",
    query=SavedQuery,
    body=StoreInput,
    response=TryResult,
)
def stores_try_draft(body: StoreInput, query: SavedQuery) -> TryResult:
    return _try(_spec(body, query.saved or None), "" if query.saved else None)


@operation("POST", "/stores/{name}/try", "Try a saved store", response=TryResult)
def stores_try(name: str) -> TryResult:
    order = store_order(order_sources(), name)
    return _try(order.spec(), order.store_id)


def _spec(body: StoreInput, saved: str | None) -> StoreSpec:
    """How to reach a store that is not saved yet, with the secrets it has already."""
    settings = check_store(body)
    old = stores.secrets(context().records.reader, context().cipher, saved) if saved else {}
    return StoreSpec(body.name, settings, merged(old, body.secrets))


def _try(spec: StoreSpec, store_id: str | None) -> TryResult:
    """Try a store; of one that is new (``store_id`` is None), say what it holds already."""
    try:
        store = open_store(spec)
    except FasciculusError as error:
        step = TryStep(name="settings", ok=False, text=error.message, way_out=error.way_out)
        return TryResult(ok=False, steps=[step])
    try:
        steps = try_store(store, store_id)
        if store_id is None and all(step.ok for step in steps):
            held = contents_step(store, manifest_key(context().cipher))
            steps += [held] if held is not None else []
    finally:
        store.close()
    return TryResult(
        ok=all(step.ok for step in steps),
        steps=[
            TryStep(name=step.name, ok=step.ok, text=step.text, way_out=step.way_out)
            for step in steps
        ],
        host_key=getattr(store, "seen_key", ""),
    )


def prepare(body: StoreInput, saved: str | None) -> tuple[str, str]:
    """Prove that a store works and mark it as ours. Returns where it is, in words, and its id."""
    db = context().records.reader
    expected = stores.id_of(db, saved) if saved else None
    spec = _spec(body, saved)
    tried = _try(spec, expected or "")
    if not tried.ok:
        failed = next(step for step in tried.steps if not step.ok)
        raise SettingError(failed.text, failed.way_out, field=_field_of(failed.name, spec))
    with connected(open_store(spec)) as store:
        write_identity(store, expected or stores.new_id())
        found = read_identity(store)
    if taken := stores.name_of_id(db, found, saved):
        raise SettingError(
            f"That folder is the store “{taken}” already.",
            "Name another folder.",
            field=_field_of("folder", spec),
        )
    return spec.settings.describe(), found


def _field_of(step: str, spec: StoreSpec) -> str | None:
    fields = type(spec.settings).model_fields
    for name in _FIELDS.get(step, ()):
        if name in fields:
            return f"settings.{name}"
    return f"secrets.{_FIELDS[step][0]}" if step == "sign in" else None


def _saved(name: str, action: str) -> Store:
    note(action, name)
    context().events.changed("stores")
    return stores_show(name)
