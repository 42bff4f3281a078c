"""Hosts and stores that stay connected from one order to the next."""

from __future__ import annotations

import hashlib
from contextlib import suppress
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec

from ..contracts.orders import BackupOrder, HostOrder, Order, StoreOrder
from ..hosts import KINDS as host_kinds
from ..hosts import open_host
from ..stores import KINDS as store_kinds
from ..stores import open_store

if TYPE_CHECKING:
    from ..hosts.base import HostConnection
    from ..stores.base import Store

_encoder = msgspec.json.Encoder(enc_hook=str)


def shared_key(order: Order) -> str:
    """Return a key of orders that one worker may execute in sequence; empty for an order that needs
    its own worker.

    They need the same host and stores, by the same secrets, and leave no process behind: commands
    of this machine could.
    """
    if not isinstance(order, BackupOrder):
        return ""
    is_elsewhere = host_kinds.stays_connected(order.host.kind)
    if not is_elsewhere and (order.commands or order.notes):
        return ""
    keys = [_host_key(order.host), *map(_store_key, order.stores)]
    return hashlib.sha256(b"".join(keys)).hexdigest()


def _host_key(order: HostOrder) -> bytes:
    return hashlib.sha256(_encoder.encode(order)).digest()


def _store_key(order: StoreOrder) -> bytes:
    """Return a digest of all that says how a store is reached, without what is of one subject."""
    bare = StoreOrder(
        name=order.name,
        settings=order.settings,
        secrets=order.secrets,
        stall_timeout=order.stall_timeout,
        read_back=order.read_back,
        append_only=order.append_only,
        tokens=order.tokens,
        tokens_key=order.tokens_key,
        identities=order.identities,
        store_id=order.store_id,
    )
    return hashlib.sha256(_encoder.encode(bare)).digest()


class Connections:
    """The open connections of a worker. The next order finds it connected, where it needs the same
    host and stores; :meth:`close` ends all of it.
    """

    def __init__(self) -> None:
        self._hosts: dict[bytes, HostConnection] = {}
        self._stores: dict[bytes, Store] = {}
        self._kinds: dict[bytes, str] = {}

    def host(self, order: HostOrder, spool: Path) -> HostConnection:
        """Return the host of an order, whose temporary files go into ``spool``; connected
        or not.
        """
        key = _host_key(order)
        if (known := self._hosts.get(key)) is not None:
            known.spool_in(spool)
            return known
        host = self._hosts[key] = open_host(order.spec(), spool)
        self._kinds[key] = order.kind
        return host

    def store(self, order: StoreOrder) -> Store:
        """Return the store of an order, connected or not."""
        key = _store_key(order)
        store = self._stores.get(key)
        if store is None:
            store = self._stores[key] = open_store(order.spec())
        return store

    def release(self) -> None:
        """End, after an order, what cannot stay connected, such as a disk that is unmounted."""
        for key, host in list(self._hosts.items()):
            if not host_kinds.stays_connected(self._kinds[key]):
                host.close()
                del self._hosts[key]
        for key, store in list(self._stores.items()):
            if not store_kinds.stays_connected(store.spec.settings.kind):
                store.close()
                del self._stores[key]

    def close(self) -> None:
        """End all connections."""
        for host in self._hosts.values():
            with suppress(Exception):
                host.close()
        for store in self._stores.values():
            with suppress(Exception):
                store.close()
        self._hosts.clear()
        self._stores.clear()
