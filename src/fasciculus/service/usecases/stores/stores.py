"""Stores, and trying them."""

from __future__ import annotations

from pathlib import Path

from ....core import stolen_credentials
from ....core.bundle.layout import is_store_id
from ....models import (
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
from ....models.queries import SavedQuery, UntriedQuery, WordsQuery
from ....records.paging import page_request
from ....records.stores import store_proposals, stores
from ....records.stores.stores import ProvedStore
from ....stores import KINDS
from ...background import old_versions
from ...tasks.orders.connections import store_order
from ..caller import Caller
from .check import claim_store, draft_spec, mark, prove, try_spec, unproved
from .facts import guarded, usage
from .proposals import accept, chosen


def stores_list(caller: Caller, query: WordsQuery) -> Page[Store]:
    """Return stores."""
    found = stores.stores(caller.reader, caller.cipher, page_request(query), query.q)
    found.items = [_with_status(caller, store) for store in found.items]
    return found


def stores_show(caller: Caller, name: str) -> Store:
    """Return one store."""
    return _with_status(caller, stores.store(caller.reader, caller.cipher, name))


def stores_add(caller: Caller, body: StoreInput, query: UntriedQuery) -> Store:
    """Add a store; it is tried first."""
    proved = _proved(caller, body, query, None)
    with caller.write() as db:
        stores.save_store(db, caller.cipher, body, proved)
    return _saved(caller, body.name, "added store")


def stores_change(caller: Caller, name: str, body: StoreInput, query: UntriedQuery) -> Store:
    """Change a store; it is tried first."""
    stores.store(caller.reader, caller.cipher, name)
    proved = _proved(caller, body, query, name)
    with caller.write() as db:
        stores.save_store(db, caller.cipher, body, proved, name)
    return _saved(caller, body.name, "changed store")


def stores_remove(caller: Caller, name: str) -> None:
    """Remove a store from the records; what is on it is not touched."""
    store_id = stores.id_of(caller.reader, name)
    with caller.write() as db:
        stores.remove_store(db, name)
    if store_id and is_store_id(store_id):
        caller.config.tokens(store_id).unlink(missing_ok=True)
    caller.note("forgot store", name)
    caller.changed("stores")


def stores_try_draft(caller: Caller, body: StoreInput, query: SavedQuery) -> TryResult:
    """Test a store before saving it."""
    sources, saved = caller.order_inputs(), query.saved or None
    return try_spec(sources, draft_spec(sources, body, saved), "" if saved else None)


def stores_try(caller: Caller, name: str) -> TryResult:
    """Try a saved store."""
    sources = caller.order_inputs()
    order = store_order(sources, name)
    fresh = stores.untried(sources.db, [name])
    tried = try_spec(sources, order.spec(), "" if fresh else order.store_id)
    if tried.ok:
        proved = mark(sources, order.spec(), order.store_id, name)
        if order.tokens and proved.store_id != order.store_id:
            Path(order.tokens).rename(sources.config.tokens(proved.store_id))
        with caller.write() as db:
            stores.has_worked(db, name, proved.store_id, proved.owner)
        caller.changed("stores")
    return tried


def stores_proposals(caller: Caller, name: str) -> Page[StoreProposal]:
    """Return hosts, accounts and jobs proposed by a store, until they are accepted."""
    db = caller.reader
    stores.store(db, caller.cipher, name)
    rows = [store_proposals.shown(row) for row in store_proposals.proposals(db, name)]
    return Page(items=rows, total=len(rows))


def stores_accept(caller: Caller, name: str, body: ProposalChoice) -> AcceptedProposals:
    """Accept proposals of a store: hosts without a connection, accounts, disabled jobs."""
    with caller.write() as db:
        stores.store(db, caller.cipher, name)
        made = accept(db, caller.cipher, name, body)
    caller.note("accepted proposals", f"of store {name}: {'; '.join(made.added) or 'none'}")
    for family in ("hosts", "accounts", "jobs", "stores"):
        caller.changed(family)
    caller.service.scheduler.refresh()
    return made


def stores_dismiss(caller: Caller, name: str, body: ProposalChoice) -> None:
    """Dismiss proposals of a store; its bundles stay in the records."""
    with caller.write() as db:
        stores.store(db, caller.cipher, name)
        store_proposals.remove(db, name, chosen(db, name, body))
    caller.note("dismissed proposals", f"of store {name}")
    caller.changed("stores")


def stores_usage(caller: Caller, name: str) -> StoreUsage:
    """Return usage, growth and cost of a store, and the day it will be full."""
    db = caller.reader
    shown = _with_status(caller, stores.store(db, caller.cipher, name))
    return usage(db, shown, old_versions.of_store(caller.records, name))


def stores_claim(caller: Caller, name: str) -> Store:
    """Claim a store that another installation wrote to."""
    sources = caller.order_inputs()
    before = stores.store(sources.db, caller.cipher, name)
    order = store_order(sources, name)
    claim_store(sources, order.spec())
    with caller.write() as db:
        stores.has_worked(db, name, order.store_id, "")
    caller.note("took over store", f"{name} of {before.owner or 'this service'}")
    return _saved(caller, name, "changed store")


def stores_connect(caller: Caller, name: str) -> StoreAccess:
    """Ask the owner of a drive for access."""
    asked = caller.service.access.ask(store_order(caller.order_inputs(), name))
    caller.note("asked for access", name)
    return asked


def stores_access(caller: Caller, name: str) -> StoreAccess:
    """Return state of the access to a drive."""
    return caller.service.access.state(store_order(caller.order_inputs(), name))


def stores_disconnect(caller: Caller, name: str) -> None:
    """Forget the access to a drive."""
    caller.service.access.forget(store_order(caller.order_inputs(), name))
    caller.note("disconnected", name)
    caller.changed("stores")


def _proved(
    caller: Caller, body: StoreInput, query: UntriedQuery, saved: str | None
) -> ProvedStore:
    return (unproved if query.untried else prove)(caller.order_inputs(), body, saved)


def _with_status(caller: Caller, store: Store) -> Store:
    """With what is computed of it, and whether a drive's tokens are there."""
    status = caller.service.statuses.recent().get(store.name)
    if status is not None:
        store.full_on, store.lag = status.full_on, status.lag
        store.month_price, store.oldest_read = status.month_price, status.oldest_read
    store.if_stolen = stolen_credentials.of_store(guarded(store))
    if KINDS.get(store.settings.kind).access is not None:
        found = caller.service
        store_id = stores.id_of(found.records.reader, store.name) or ""
        given = is_store_id(store_id) and found.config.tokens(store_id).exists()
        store.access = "given" if given else "none"
    return store


def _saved(caller: Caller, name: str, action: str) -> Store:
    caller.note(action, name)
    caller.service.scheduler.refresh()
    caller.changed("stores")
    return stores_show(caller, name)
