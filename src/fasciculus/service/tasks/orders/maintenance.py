"""The orders for verifying, mending and repacking."""

from __future__ import annotations

import os
from typing import TypedDict

import msgspec

from ....core.bundle.manifest import PieceRecord
from ....core.errors import SettingError
from ....models import MaintenanceTask
from ....records import maintenance
from ....records.maintenance import RecordedCopy
from ....worker.orders import (
    CopyOrder,
    MendOrder,
    RepackOrder,
    StoreOrder,
    SubjectOrder,
    VerifyOrder,
)
from .connections import OrderSources, store_order

_LEAST_PIECE = 64 * 1024 * 1024


class _Common(TypedDict):
    subject: SubjectOrder
    store: StoreOrder
    bundles: list[CopyOrder]
    spool: str


def maintenance_order(
    sources: OrderSources, task: MaintenanceTask
) -> VerifyOrder | MendOrder | RepackOrder:
    """What a worker needs to know for one maintenance task."""
    db, config = sources.db, sources.config
    subject = (task.subject_kind, task.subject)
    named = {"kind": task.subject_kind, "name": task.subject, "host": "", "root": ""}
    copies = maintenance.copies_on(db, task.store, subject)
    common: _Common = {
        "subject": msgspec.convert(named, SubjectOrder),
        "store": store_order(sources, task.store),
        "bundles": _copies(sources, task, copies),
        "spool": str(config.spool / f"maintenance-{task.id}"),
    }
    damaged = maintenance.damaged_files(db, subject, [task.store])
    options = maintenance.options(db, task.id)
    match task.kind:
        case "verify":
            return VerifyOrder(**common, deep=options.deep, suspects=damaged)
        case "mend":
            others = maintenance.other_stores(db, task.store, subject)
            return MendOrder(
                **common,
                files=damaged,
                sources=[store_order(sources, name) for name in others],
                pieces=_pieces(copies, damaged),
            )
        case "repack":
            return RepackOrder(
                **common,
                over=options.over / 100,
                dry_run=options.dry_run,
                listings=str(config.under_way / f"maintenance-{task.id}"),
                piece_size=_piece_size(copies),
                threads=config.threads or os.cpu_count() or 2,
                spool_limit=config.spool_limit,
            )
    raise SettingError(f"There is no maintenance “{task.kind}”.", "Choose verify, mend or repack.")


def _copies(
    sources: OrderSources, task: MaintenanceTask, copies: list[RecordedCopy]
) -> list[CopyOrder]:
    subject = (task.subject_kind, task.subject)
    return [
        CopyOrder(
            name=copy.bundle,
            listing_sha256=copy.manifest.listing_sha256,
            listing=str(
                sources.config.listing(
                    *subject, f"{copy.bundle}@{task.store}" if copy.own else copy.bundle
                )
            ),
        )
        for copy in copies
        if task.bundle in ("", copy.bundle)
    ]


def _pieces(copies: list[RecordedCopy], damaged: list[str]) -> list[PieceRecord]:
    """The damaged pieces as the records know them."""
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
