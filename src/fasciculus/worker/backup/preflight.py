"""Checks before anything is written."""

from __future__ import annotations

import shutil
from collections.abc import Callable
from pathlib import Path

from ...contracts.orders import BackupOrder, StoreOrder
from ...core.errors import (
    ConnectionLostError,
    FasciculusError,
    MissingError,
    StoreFullError,
    UnreachableError,
)
from ...core.formatting import format_size
from ...databases import ENGINES
from ...hosts.base import HostConnection
from ..database_access import database_access

_SMALLEST = 8 * 1024 * 1024
_HEADROOM = 64 * 1024 * 1024


def check_sources(
    order: BackupOrder, host: HostConnection, warn: Callable[[str], None]
) -> dict[str, str]:
    """Return what is to be read answers, before anything is written.

    Return why the databases of an engine cannot be read, by its name: that costs them, and not the
    files and mail of the subject. Raises what costs all of it.
    """
    try:
        host.connect()
    except UnreachableError as error:
        # An address does not show which of many hosts it is.
        named = f"Host “{order.host.name}”: " if order.host.name else ""
        raise type(error)(named + error.message, error.hint, error.field) from error
    if order.subject.root and host.type_of(order.subject.root) != "dir":
        what = "document root" if order.subject.kind == "site" else "home folder"
        raise MissingError(
            f"The {what} {order.subject.root} of {order.subject.kind} {order.subject.name} "
            "does not exist.",
            f"Correct the {order.subject.kind}, or bring the folder back.",
        )
    for site, root in order.subject.site_roots.items():
        if host.type_of(root) != "dir":
            warn(f"site {site}: its document root {root} does not exist")
    failed = _failed_databases(order, host) if "databases" in order.contents else {}
    if failed and set(order.contents) <= {"databases", "notes"}:
        raise FasciculusError(" ".join(failed.values()))
    if "mail" in order.contents and order.mail:
        for path in filter(
            None,
            (
                order.mail.alias_map,
                order.mail.mailbox_map,
                order.mail.transport_map,
                order.mail.passwd_file,
            ),
        ):
            host.read_text(path)
    return failed


def _failed_databases(order: BackupOrder, host: HostConnection) -> dict[str, str]:
    wanted = {database.engine for database in order.databases}
    if order.all_databases:
        wanted |= order.host.servers.keys()
        if not order.host.servers:
            raise FasciculusError(
                f"Host {order.subject.host} has no database server set.",
                "Give its socket or address in the host's settings.",
            )
    failed = {}
    for name in sorted(wanted):
        databases = [database for database in order.databases if database.engine == name]
        try:
            access = database_access(name, order.host, host, order.subject.root, order.spool)
            ENGINES.get(name).check(access, databases)
        except ConnectionLostError:
            # The connection to the host itself: worth another try of all.
            raise
        except FasciculusError as error:
            failed[name] = error.sentence()
    return failed


def piece_size_for(order: BackupOrder, spool: Path, info: Callable[[str], None]) -> int:
    """Return the size of pieces that the spool has room for; ``StoreFullError`` when it
    has none.
    """
    free = shutil.disk_usage(spool).free
    fits = min(order.spool_limit, free - _HEADROOM) // 3
    if fits < _SMALLEST:
        raise StoreFullError(
            f"The spool {spool.parent} has only {format_size(free)} free.",
            "Free space on that disk, or move the spool (FASCICULUS_SPOOL).",
        )
    if fits < order.piece_size:
        info(f"pieces of {format_size(fits)}, since the spool has no room for more")
        return fits
    return order.piece_size


def check_space(store: StoreOrder, free: int | None, order: BackupOrder) -> None:
    """Raise ``StoreFullError`` where a bundle as large as the last one would not fit.

    ``free`` is None where the store does not tell.
    """
    left = None if free is None else free - store.reserve
    if left is None or left >= max(order.expected_packed, 1 if store.reserve else 0):
        return
    spare = f", of which {format_size(store.reserve)} are to stay free" if store.reserve else ""
    took = (
        f"; the last bundle of {order.subject.name} took {format_size(order.expected_packed)}"
        if order.expected_packed
        else ""
    )
    raise StoreFullError(
        f"Store “{store.name}” has {format_size(free or 0)} free{spare}{took}.",
        "Free space there, or keep fewer copies.",
    )
