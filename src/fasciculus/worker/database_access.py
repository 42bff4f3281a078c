"""The inputs of database engines, from an order."""

from __future__ import annotations

from pathlib import Path

from ..contracts.orders import HostOrder
from ..core.errors import FasciculusError
from ..databases import ENGINES
from ..databases.base import DatabaseAccess, DatabaseHost


def database_access(
    engine: str, order: HostOrder, host: DatabaseHost, root: str, spool: str
) -> DatabaseAccess:
    """Return where an engine finds the databases of an order's subject."""
    settings = ENGINES.get(engine).settings
    server = order.servers.get(engine)
    if settings is None:
        return DatabaseAccess(host, None, root, Path(spool))
    if server is None:
        raise FasciculusError(
            f"Host {order.name} has no {ENGINES.get(engine).title} server set.",
            "Give its socket or address in the host's settings.",
        )
    return DatabaseAccess(host, server.spec(settings), root, Path(spool))
