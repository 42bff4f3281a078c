"""Being connected to a store that is the right one."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

from ..core.errors import DamagedError
from ..stores import open_store
from ..stores.base import Connected, Store, read_mark
from .orders import StoreOrder


@contextmanager
def connected(order: StoreOrder) -> Iterator[Store]:
    """Connect to a store; :class:`DamagedError` when another one's mark lies there."""
    with Connected(open_store(order.spec())) as store:
        check_mark(store, order.store_id)
        yield store


def check_mark(store: Store, store_id: str) -> None:
    """Raise :class:`DamagedError` unless the store at hand is the one with that id."""
    if read_mark(store) != store_id:
        raise DamagedError(
            f"The folder of store “{store.spec.name}” belongs to another store.",
            "Is the right disk mounted, the right folder named?",
        )
