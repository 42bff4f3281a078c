"""What of a subject's folder is never packed as files."""

from __future__ import annotations

import os
from collections.abc import Iterable

from ...core.selection import ExcludedPaths
from ..orders import BundleOrder, DatabaseOrder, PreviewOrder

_SQLITE_SIDES = ("", "-wal", "-shm", "-journal")


def left_out(order: BundleOrder | PreviewOrder, root: bytes) -> frozenset[bytes]:
    """The service's own files, local stores, and the databases that go in as copies, below a
    folder.

    Paths are relative to ``root``, a folder of the order's host.
    """
    copied = (
        list(_sqlite_files(os.fsencode(order.subject.root), order.databases))
        if "databases" in order.contents
        else []
    )
    if order.host.address:
        # The service's own paths mean nothing on another host.
        return frozenset(p[len(root) + 1 :] for p in copied if p.startswith(root + b"/"))
    return ExcludedPaths([*order.left_out, *copied]).below(root)


def _sqlite_files(base: bytes, databases: Iterable[DatabaseOrder]) -> Iterable[bytes]:
    for database in databases:
        if database.engine == "sqlite":
            for side in _SQLITE_SIDES:
                yield base + b"/" + os.fsencode(database.path + side)
