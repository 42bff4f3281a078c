"""Being connected to the right store."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager

from ..core.transfer_limits import parse_limit
from ..stores import open_store
from ..stores.base import Store, connected
from ..stores.identity import check_identity
from ..stores.retrying import RetryingStore
from ..stores.throttle import Throttle
from .orders import StoreOrder


def retrying_store(
    order: StoreOrder, stop: threading.Event, on_retry: Callable[[str], None]
) -> RetryingStore:
    """The store of an order, not connected yet; lost connections are taken up again."""
    throttle = Throttle([parse_limit(text) for text in order.limits], stop)
    return RetryingStore(open_store(order.spec()), stop, on_retry, throttle)


@contextmanager
def identified(
    order: StoreOrder, stop: threading.Event, on_retry: Callable[[str], None]
) -> Iterator[Store]:
    """Connect to a store; raises ``DamagedError`` when it is another one."""
    with connected(retrying_store(order, stop, on_retry)) as store:
        check_identity(store, order.store_id)
        yield store
