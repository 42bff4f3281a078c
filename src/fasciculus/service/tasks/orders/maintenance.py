"""The orders for verifying, repairing and repacking."""

from __future__ import annotations

import os
from typing import TypedDict

import msgspec

from ....contracts.artifacts import Artifact
from ....contracts.orders import (
    CopyOrder,
    ImportOrder,
    Order,
    RepackOrder,
    RepairOrder,
    ResealOrder,
    RetireOrder,
    StoreOrder,
    SubjectOrder,
    TransferOrder,
    VerifyOrder,
)
from ....core.bundle.manifest import PieceRecord
from ....core.errors import SettingError
from ....core.subject import Subject
from ....models import MaintenanceTask
from ....records import transfers
from ....records.bundles import damage
from ....records.runs import maintenance
from ....records.runs.maintenance import RecordedCopy
from ....records.stores import stores
from .artifacts import spool, under_way
from .connections import OrderInputs, recorded_copies, recorded_copy, store_order
from .retiring import StoreCredentials, all_series, retiring_store

_LEAST_PIECE = 64 * 1024 * 1024


#: Where stores keep copies of the records, and what the newest of them is called here.
RECORDS_FOLDER = "records"
RECORDS_COPY = "told.records"
#: How many copies of the records a store keeps.
RECORDS_KEPT = 14


class _Common(TypedDict):
    subject: SubjectOrder
    store: StoreOrder
    bundles: list[CopyOrder]
    spool: Artifact


def maintenance_order(
    sources: OrderInputs, task: MaintenanceTask, credentials: StoreCredentials | None = None
) -> Order:
    """Return the order for one maintenance task; retiring needs separate credentials."""
    if task.kind == "import":
        return ImportOrder(
            store=store_order(sources, task.store),
            spool=spool(sources.config, f"maintenance-{task.id}"),
            records=under_way(sources.config, f"maintenance-{task.id}/{RECORDS_COPY}"),
            records_folder=RECORDS_FOLDER,
        )
    db, config = sources.db, sources.config
    subject = Subject.of(task.subject_kind, task.subject)
    named = {"kind": task.subject_kind, "name": task.subject, "host": "", "root": ""}
    copies = maintenance.copies_on(db, task.store, subject)
    store = (
        retiring_store(sources, task.store, credentials)
        if task.kind == "retire"
        else store_order(sources, task.store)
    )
    store.recorded = [recorded_copy(config, task.store, subject, copy) for copy in copies]
    common: _Common = {
        "subject": msgspec.convert(named, SubjectOrder),
        "store": store,
        "bundles": [copy for copy in store.recorded if task.bundle in ("", copy.name)],
        "spool": spool(config, f"maintenance-{task.id}"),
    }
    damaged = damage.damaged_files(db, subject, [task.store])
    options = maintenance.options(db, task.id)
    match task.kind:
        case "verify":
            return VerifyOrder(**common, deep=options.deep, suspects=damaged)
        case "repair":
            others = maintenance.other_stores(db, task.store, subject)
            return RepairOrder(
                **common,
                files=damaged,
                sources=[_other_store(sources, name, subject) for name in others],
                pieces=_pieces(copies, damaged),
            )
        case "repack":
            return RepackOrder(
                **common,
                over=options.over / 100,
                dry_run=options.dry_run,
                listings=under_way(config, f"maintenance-{task.id}"),
                piece_size=_piece_size(copies),
                threads=config.threads or os.cpu_count() or 2,
                spool_limit=config.spool_limit,
            )
        case "retire":
            return RetireOrder(
                **common,
                series=all_series(sources, task.store, subject),
                records_folder=RECORDS_FOLDER,
                records_kept=RECORDS_KEPT,
            )
        case "reseal":
            return ResealOrder(
                **common,
                seal_to=sorted(stores.fields(db, task.store).recipients),
                listings=under_way(config, f"maintenance-{task.id}"),
            )
        case "transfer":
            return _transfer(sources, task, common)
    raise SettingError(
        f"There is no maintenance “{task.kind}”.", "Choose verify, repair, repack or transfer."
    )


def _transfer(sources: OrderInputs, task: MaintenanceTask, common: _Common) -> TransferOrder:
    db, subject = sources.db, Subject.of(task.subject_kind, task.subject)
    if task.source:
        names, found = [task.source], transfers.missing(db, task.store, task.source, subject)
    else:
        names = maintenance.other_stores(db, task.store, subject)
        found = transfers.missed(db, task.store, subject)
    others = [_other_store(sources, name, subject) for name in names]
    known = {copy.name: copy for other in others for copy in other.recorded}
    common["bundles"] = [known[name] for name in found.get(subject, []) if name in known]
    brought = transfers.on_both(db, task.store, task.source, subject) if task.move else {}
    return TransferOrder(**common, sources=others, move=task.move, brought=brought.get(subject, []))


def _other_store(sources: OrderInputs, name: str, subject: Subject) -> StoreOrder:
    store = store_order(sources, name)
    store.recorded = recorded_copies(sources, name, subject)
    return store


def _pieces(copies: list[RecordedCopy], damaged: list[str]) -> list[PieceRecord]:
    """Return the damaged pieces as the records know them."""
    files = set(damaged)
    found = {
        piece.name: piece
        for copy in copies
        for piece in copy.manifest.pieces
        if f"pieces/{piece.name}" in files
    }
    return [found[name] for name in sorted(found)]


def _piece_size(copies: list[RecordedCopy]) -> int:
    """No smaller than the pieces that are there."""
    sizes = [piece.bytes for copy in copies for piece in copy.manifest.pieces]
    return max([_LEAST_PIECE, *sizes])
