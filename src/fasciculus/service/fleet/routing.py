"""Routing of orders: to this machine, or to a worker of a queue."""

from __future__ import annotations

from pathlib import Path

from ...contracts.artifacts import Artifact
from ...contracts.orders import (
    BackupOrder,
    HostOrder,
    ImportOrder,
    MaintenanceOrder,
    Order,
    RestoreOrder,
    StoreOrder,
)
from ...worker.pool import Worker, Workers
from .fleet import Fleet, subject_of
from .worker import FleetWorker


class RoutedWorkers:
    """Workers of this machine and of others."""

    def __init__(self, local: Workers, fleet: Fleet) -> None:
        self._local, self._fleet = local, fleet

    def start(self, order: Order) -> Worker:
        """Give an order to a worker. Raises ``FasciculusError`` if there is none."""
        # Without a broker there are no others, whatever hosts and stores name.
        queue = queue_for(order) if self._fleet.config.broker else ""
        if queue:
            return FleetWorker(self._fleet, queue, order)
        self._fleet.wait_until_free(subject_of(order))
        return self._local.start(order)

    def collect(self, left: Artifact, place: Path) -> bool:
        """Bring what a task left to its place; that of a task elsewhere has arrived here."""
        return self._local.collect(left, place)

    def close(self) -> None:
        """Close it; harmless if it is closed already."""
        self._local.close()


def queue_for(order: Order) -> str:
    """Return the queue of the workers for an order, empty for this machine.

    A host or store that only this machine can reach keeps the order here. Otherwise the host's
    queue counts, then that of the first store with one.
    """
    if isinstance(order, RestoreOrder) and order.drill is not None:
        return ""
    host, stores = _host(order), _stores(order)
    if any(store.is_here for store in stores) or (host is not None and host.kind == "local"):
        return ""
    named = [host.queue if host is not None else "", *(store.queue for store in stores)]
    return next(filter(None, named), "")


def _host(order: Order) -> HostOrder | None:
    return None if isinstance(order, ImportOrder | MaintenanceOrder) else order.host


def _stores(order: Order) -> list[StoreOrder]:
    if isinstance(order, BackupOrder):
        return order.stores
    if isinstance(order, ImportOrder | RestoreOrder):
        return [order.store]
    if isinstance(order, MaintenanceOrder):
        return [order.store, *getattr(order, "sources", [])]
    return []
