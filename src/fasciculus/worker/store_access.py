"""Being connected to the right store."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress

from ..contracts.events import StoreSeen
from ..contracts.orders import StoreOrder
from ..core.errors import FasciculusError
from ..core.transfer_limits import parse_limit
from ..stores import open_store
from ..stores.base import Store, connected
from ..stores.identity import check_identity, check_ours
from ..stores.retrying import RetryingStore
from ..stores.throttle import Throttle
from .emitter import Emitter


def retrying_store(
    order: StoreOrder, stop: threading.Event, on_retry: Callable[[str], None]
) -> RetryingStore:
    """Return the store of an order, not connected yet; lost connections are taken up again."""
    return retrying(open_store(order.spec()), order, stop, on_retry)


def retrying(
    store: Store, order: StoreOrder, stop: threading.Event, on_retry: Callable[[str], None]
) -> RetryingStore:
    """Return a store, within the limits of its order; lost connections are taken up again."""
    throttle = Throttle([parse_limit(text) for text in order.limits], stop)
    return RetryingStore(store, stop, on_retry, throttle)


@contextmanager
def identified(order: StoreOrder, stop: threading.Event, emitter: Emitter) -> Iterator[Store]:
    """Connect to a store; raises ``DamagedError`` when it is another one."""
    with _connected(order, stop, emitter) as store:
        check_identity(store, order.store_id)
        yield store


@contextmanager
def owned(order: StoreOrder, stop: threading.Event, emitter: Emitter) -> Iterator[Store]:
    """Provide the same for writing and removing: raises also if another service writes to it."""
    with _connected(order, stop, emitter) as store:
        check_ours(store, order.store_id, order.owner_id)
        yield store


@contextmanager
def _connected(order: StoreOrder, stop: threading.Event, emitter: Emitter) -> Iterator[Store]:
    store = retrying_store(order, stop, emitter.info)
    with connected(store):
        try:
            yield store
        finally:
            emitter.emit(seen(store))


def seen(store: RetryingStore) -> StoreSeen:
    """Return what was moved to and from a store, and what it has free."""
    free = None
    with suppress(FasciculusError, OSError):
        free = store.free()
    return StoreSeen(store.spec.name, store.sent, store.received, free)
