"""Paths of a subject's folder that are never packed as files."""

from __future__ import annotations

import os
from collections.abc import Iterable, Iterator

from ...contracts.orders import BackupOrder, PreviewOrder
from ...core.selection import ExcludedPaths
from ...databases import ENGINES
from ...databases.base import DatabaseRef


def excluded_paths(
    order: BackupOrder | PreviewOrder, root: bytes, is_local: bool
) -> frozenset[bytes]:
    """Return the service's own files, local stores, and the databases that go in as copies.

    Paths are relative to ``root``, a folder of the order's host; ``is_local`` says whether that is
    this machine.
    """
    copied = (
        list(_database_files(os.fsencode(order.subject.root), order.databases))
        if "databases" in order.contents
        else []
    )
    if not is_local:
        # The service's own paths mean nothing on another host.
        return frozenset(p[len(root) + 1 :] for p in copied if p.startswith(root + b"/"))
    return ExcludedPaths([*order.own_folders, *order.excluded, *copied]).below(root)


def _database_files(base: bytes, databases: Iterable[DatabaseRef]) -> Iterator[bytes]:
    for database in databases:
        for path in ENGINES.get(database.engine).files(database):
            yield base + b"/" + os.fsencode(path)
