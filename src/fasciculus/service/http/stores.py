"""Stores, and trying them."""

from __future__ import annotations

from pathlib import Path

from ...core.bundle.layout import is_store_id
from ...core.permissions import Permission
from ...models import (
    AcceptedProposals,
    Page,
    ProposalChoice,
    Store,
    StoreAccess,
    StoreInput,
    StoreProposal,
    StoreUsage,
    TryResult,
)
from ...models.queries import SavedQuery, UntriedQuery, WordsQuery
from ...records import store_proposals, stores
from ...records.stores import ProvedStore
from ...stores import KINDS
from ..background import old_versions
from ..context import context, order_inputs
from ..operations import operation, page_request
from ..store_check import claim_store, draft_spec, mark, prove, try_spec, unproved
from ..store_facts import usage
from ..store_proposals import accept, chosen
from ..tasks.orders.connections import store_order
from .auth import note


@operation("GET", "/stores", "Stores", Permission.VIEW, query=WordsQuery, response=Page[Store])
def stores_list(query: WordsQuery) -> Page[Store]:
    found = stores.stores(context().records.reader, context().cipher, page_request(query), query.q)
    found.items = [_with_status(store) for store in found.items]
    return found


@operation("GET", "/stores/{name}", "One store", Permission.VIEW, response=Store)
def stores_show(name: str) -> Store:
    return _with_status(stores.store(context().records.reader, context().cipher, name))


@operation(
    "POST",
    "/stores",
    "Add a store; it is tried first",
    Permission.ADMINISTER,
    query=UntriedQuery,
    body=StoreInput,
    response=Store,
    status=201,
)
def stores_add(body: StoreInput, query: UntriedQuery) -> Store:
    proved = _proved(body, query, None)
    with context().records.write() as db:
        stores.save_store(db, context().cipher, body, proved)
    return _saved(body.name, "added store")


@operation(
    "PUT",
    "/stores/{name}",
    "Change a store; it is tried first",
    Permission.ADMINISTER,
    query=UntriedQuery,
    body=StoreInput,
    response=Store,
)
def stores_change(name: str, body: StoreInput, query: UntriedQuery) -> Store:
    stores.store(context().records.reader, context().cipher, name)
    proved = _proved(body, query, name)
    with context().records.write() as db:
        stores.save_store(db, context().cipher, body, proved, name)
    return _saved(body.name, "changed store")


@operation(
    "DELETE",
    "/stores/{name}",
    "Remove a store from the records; what is on it is not touched",
    Permission.ADMINISTER,
)
def stores_remove(name: str) -> None:
    store_id = stores.id_of(context().records.reader, name)
    with context().records.write() as db:
        stores.remove_store(db, name)
    if store_id and is_store_id(store_id):
        context().config.tokens(store_id).unlink(missing_ok=True)
    note("forgot store", name)
    context().events.changed("stores")


@operation(
    "POST",
    "/stores/try",
    "Test a store before saving it",
    Permission.ADMINISTER,
    query=SavedQuery,
    body=StoreInput,
    response=TryResult,
)
def stores_try_draft(body: StoreInput, query: SavedQuery) -> TryResult:
    sources, saved = order_inputs(), query.saved or None
    return try_spec(sources, draft_spec(sources, body, saved), "" if saved else None)


@operation(
    "POST", "/stores/{name}/try", "Try a saved store", Permission.OPERATE, response=TryResult
)
def stores_try(name: str) -> TryResult:
    sources = order_inputs()
    order = store_order(sources, name)
    fresh = stores.untried(sources.db, [name])
    tried = try_spec(sources, order.spec(), "" if fresh else order.store_id)
    if tried.ok:
        proved = mark(sources, order.spec(), order.store_id, name)
        if order.tokens and proved.store_id != order.store_id:
            Path(order.tokens).rename(sources.config.tokens(proved.store_id))
        with context().records.write() as db:
            stores.has_worked(db, name, proved.store_id, proved.owner)
        context().events.changed("stores")
    return tried


@operation(
    "GET",
    "/stores/{name}/proposals",
    "Hosts, accounts and jobs proposed by a store, until they are accepted",
    Permission.VIEW,
    response=Page[StoreProposal],
)
def stores_proposals(name: str) -> Page[StoreProposal]:
    db = context().records.reader
    stores.store(db, context().cipher, name)
    rows = [store_proposals.shown(row) for row in store_proposals.proposals(db, name)]
    return Page(items=rows, total=len(rows))


@operation(
    "POST",
    "/stores/{name}/proposals",
    "Accept proposals of a store: hosts without a connection, accounts, disabled jobs",
    Permission.ADMINISTER,
    body=ProposalChoice,
    response=AcceptedProposals,
)
def stores_accept(name: str, body: ProposalChoice) -> AcceptedProposals:
    with context().records.write() as db:
        stores.store(db, context().cipher, name)
        made = accept(db, context().cipher, name, body)
    note("accepted proposals", f"of store {name}: {'; '.join(made.added) or 'none'}")
    for family in ("hosts", "accounts", "jobs", "stores"):
        context().events.changed(family)
    context().scheduler.refresh()
    return made


@operation(
    "POST",
    "/stores/{name}/proposals/dismiss",
    "Dismiss proposals of a store; its bundles stay in the records",
    Permission.ADMINISTER,
    body=ProposalChoice,
)
def stores_dismiss(name: str, body: ProposalChoice) -> None:
    with context().records.write() as db:
        stores.store(db, context().cipher, name)
        store_proposals.remove(db, name, chosen(db, name, body))
    note("dismissed proposals", f"of store {name}")
    context().events.changed("stores")


@operation(
    "GET",
    "/stores/{name}/usage",
    "Usage, growth and cost of a store, and the day it will be full",
    Permission.VIEW,
    response=StoreUsage,
)
def stores_usage(name: str) -> StoreUsage:
    db = context().records.reader
    shown = _with_status(stores.store(db, context().cipher, name))
    return usage(db, shown, old_versions.of_store(context().records, name))


@operation(
    "POST",
    "/stores/{name}/claim",
    "Claim a store that another installation wrote to",
    Permission.ADMINISTER,
    response=Store,
    former=("/stores/{name}/take-over",),
)
def stores_claim(name: str) -> Store:
    sources = order_inputs()
    before = stores.store(sources.db, context().cipher, name)
    order = store_order(sources, name)
    claim_store(sources, order.spec())
    with context().records.write() as db:
        stores.has_worked(db, name, order.store_id, "")
    note("took over store", f"{name} of {before.owner or 'this service'}")
    return _saved(name, "changed store")


@operation(
    "POST",
    "/stores/{name}/access",
    "Ask the owner of a drive for access",
    Permission.ADMINISTER,
    response=StoreAccess,
)
def stores_connect(name: str) -> StoreAccess:
    asked = context().access.ask(store_order(order_inputs(), name))
    note("asked for access", name)
    return asked


@operation(
    "GET",
    "/stores/{name}/access",
    "State of the access to a drive",
    Permission.VIEW,
    response=StoreAccess,
)
def stores_access(name: str) -> StoreAccess:
    return context().access.state(store_order(order_inputs(), name))


@operation("DELETE", "/stores/{name}/access", "Forget the access to a drive", Permission.ADMINISTER)
def stores_disconnect(name: str) -> None:
    context().access.forget(store_order(order_inputs(), name))
    note("disconnected", name)
    context().events.changed("stores")


def _proved(body: StoreInput, query: UntriedQuery, saved: str | None) -> ProvedStore:
    return (unproved if query.untried else prove)(order_inputs(), body, saved)


def _with_status(store: Store) -> Store:
    """With what is computed of it, and whether a drive's tokens are there."""
    status = context().statuses.all().get(store.name)
    if status is not None:
        store.full_on, store.lag = status.full_on, status.lag
        store.month_price, store.oldest_read = status.month_price, status.oldest_read
    if KINDS.get(store.settings.kind).access is not None:
        found = context()
        store_id = stores.id_of(found.records.reader, store.name) or ""
        given = is_store_id(store_id) and found.config.tokens(store_id).exists()
        store.access = "given" if given else "none"
    return store


def _saved(name: str, action: str) -> Store:
    note(action, name)
    context().scheduler.refresh()
    context().events.changed("stores")
    return stores_show(name)
