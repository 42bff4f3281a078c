"""Short operations on a store, each in a separate process (see ``outside.py``)."""

from __future__ import annotations

import hashlib
import tempfile
from collections.abc import Callable, Sequence
from dataclasses import replace
from pathlib import Path

from ...bundles.files import fetch_listing
from ...bundles.recorded_copies import RecordedCopies
from ...bundles.records_copies import remove_old_copies
from ...bundles.retiring import remove_bundle, sweep
from ...contracts.orders import StoreOrder
from ...core.bundle.manifest import PieceRecord
from ...core.errors import DamagedError
from ...core.subject import Subject
from ...stores import open_store
from ...stores.base import connected
from ...stores.identity import check_ours
from ...stores.reading import read_all

_PATIENCE = 30.0


def check_store(order: StoreOrder) -> None:
    """Raise unless a store answers and is the one that it was."""
    spec = replace(order.spec(), stall_timeout=_PATIENCE)
    with connected(open_store(spec)) as store:
        check_ours(store, order.store_id, order.owner_id)


def put_records(order: StoreOrder, local: Path, folder: str, kept: int) -> None:
    """Bring a copy of the records to a store, and remove the oldest beyond a number."""
    with connected(open_store(order.spec())) as store:
        check_ours(store, order.store_id, order.owner_id)
        # A store may take the very file that is put; others are to have it too.
        store.put_bytes(local.read_bytes(), f"{folder}/{local.name}")
        if not order.append_only:
            remove_old_copies(store, folder, kept)


def remove_copies(
    write: Callable[[bytes], None], order: StoreOrder, subject: Subject, names: Sequence[str]
) -> None:
    """Remove bundles' folders from a store, and write the name of each removed one."""
    with connected(open_store(order.spec())) as store:
        check_ours(store, order.store_id, order.owner_id)
        for name in names:
            remove_bundle(store, subject, name)
            write(name.encode())


def sweep_pieces(order: StoreOrder, subject: Subject) -> list[str]:
    """Remove the pieces that no bundle of ``order.recorded`` needs, and return warnings."""
    said: list[str] = []
    known = RecordedCopies(order.recorded, subject, order.key, said.append)
    with (
        connected(open_store(order.spec())) as store,
        tempfile.TemporaryDirectory() as spool,
    ):
        check_ours(store, order.store_id, order.owner_id)
        sweep(store, subject, known, Path(spool))
    return said


def fetch_recorded_listing(order: StoreOrder, subject: Subject, bundle: str, target: Path) -> None:
    """Bring the listing of a copy here, as the records know it."""
    known = RecordedCopies(order.recorded, subject, order.key)
    with connected(open_store(order.spec())) as store:
        fetch_listing(store, subject, known.manifest(store, bundle), target)


def read_pieces(order: StoreOrder, subject: Subject, pieces: Sequence[PieceRecord]) -> list[bytes]:
    """Read small pieces whole, each held to its digest."""
    rows = []
    with connected(open_store(order.spec())) as store:
        for piece in pieces:
            data = read_all(store, subject.piece(piece.name), piece.bytes)
            if hashlib.sha256(data).hexdigest() != piece.sha256:
                raise DamagedError(f"{piece.name} is damaged on store “{order.name}”.")
            rows.append(data)
    return rows
