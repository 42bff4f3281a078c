"""Rewrites pieces without what no bundle needs any more.

The new pieces are on the store before any bundle is turned to them; then each bundle gets a listing
under a new name and, as one write, the ``bundle.json`` that names it; old pieces go last. Stopped
anywhere, every bundle is whole, and the next pass continues."""

from __future__ import annotations

import shutil
import threading
from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING

import orjson
from msgspec.structs import replace

from ...bundles.files import fetch_listing, unsealed
from ...bundles.retiring import complete, sweep
from ...contracts.events import Progress
from ...contracts.orders import RepackOrder
from ...contracts.results import RepackResult
from ...core.bundle.codecs import codec
from ...core.bundle.entry import Entry
from ...core.bundle.layout import (
    KINDS,
    bundle_of,
    kind_and_number,
)
from ...core.bundle.listing import read_lines
from ...core.bundle.manifest import Manifest, PieceRecord
from ...core.bundle.reader import BundleReader
from ...core.bundle.writer import BundleWriter
from ...core.errors import DamagedError, FasciculusError, StoreFullError
from ...core.formatting import format_count, format_size
from ...stores.base import Store, connected
from ..backup.upload import Spool, Uploader
from ..emitter import Emitter
from ..errors import NoStoreLeftError, error_text
from ..sealing import sealer_to
from ..store_access import owned, retrying_store
from .known_copies import known_copies, listing_at_hand, own_manifest
from .switch_listing import rewrite, switch_listing
from .usage import PieceUsage, UsageTotals

if TYPE_CHECKING:
    from ...core.bundle.seal.sealing import Sealer

_WHOLE = 1024 * 1024


class RepackTask:
    """Carries out one :class:`RepackOrder`. Nothing else may work on the subject's copies
    meanwhile.
    """

    def __init__(self, order: RepackOrder, emitter: Emitter, stop: threading.Event) -> None:
        self._order, self._emitter, self._stop = order, emitter, stop
        self._subject = order.subject.ref()
        self._spool = Path(order.spool)
        self._progress = Progress("analysing")
        self._listings: dict[str, Path] = {}
        self._recorded = known_copies(order, emitter)
        self._sealer: Sealer | None = None

    def run(self) -> RepackResult:
        """Repack what is worth it. Raises ``FasciculusError`` before anything was removed."""
        self._spool.mkdir(parents=True, exist_ok=True, mode=0o700)
        try:
            with owned(self._order.store, self._stop, self._emitter) as store:
                if not self._order.dry_run:
                    if not store.replaces_at_once():
                        raise FasciculusError(
                            f"Store “{store.spec.name}” cannot replace a file in one step, so "
                            "that a "
                            "bundle could be lost half way.",
                            "Let a full bundle be made instead; older copies retire in time.",
                        )
                    for name in sweep(store, self._subject, self._recorded, self._spool):
                        self._emitter.info(f"cleared {name}, which an interrupted work left")
                return self._repack(store)
        finally:
            shutil.rmtree(self._spool, ignore_errors=True)

    def _repack(self, store: Store) -> RepackResult:
        manifests = [self._manifest(store, name) for name in complete(store, self._subject)]
        # What is repacked stays sealed to the keys that it is sealed to.
        self._sealer = sealer_to(manifests[-1].sealed_to if manifests else [])
        with PieceUsage(self._spool / "contents.sqlite") as usage:
            for manifest in manifests:
                self._emitter.emit(self._progress)
                with self._listing(store, manifest).open("rb") as raw:
                    self._progress.entries += usage.take(read_lines(raw))
            found = usage.choose(manifests, self._order.over)
            if self._order.dry_run or not found.chosen:
                return found.result(found.sentence(), len(found.chosen), found.frees)
            self._progress.total = found.lives
            free = store.free()
            if free is not None and free < found.needs:
                raise StoreFullError(
                    f"Store “{store.spec.name}” has {format_size(free)} free, and the new pieces "
                    "need "
                    f"about {format_size(found.needs)} before the old ones go.",
                    "Free space there, or repack one subject at a time (--subject).",
                )
            new = self._pack(store, usage, found, manifests)
            self._progress.stage = "switching"
            for manifest in manifests:
                if any(piece.name in found.chosen for piece in manifest.pieces):
                    self._turn(store, usage, manifest, {piece.name: piece for piece in new})
        before = sum(item.size for item in store.items(self._subject.pieces))
        self._recorded.forget([manifest.name for manifest in manifests])
        sweep(store, self._subject, self._recorded, self._spool)
        freed = before - sum(item.size for item in store.items(self._subject.pieces))
        spent = sum(piece.bytes for piece in new)
        return found.result(
            f"{format_count(len(found.chosen), 'piece')} of {format_size(freed)} became "
            f"{format_count(len(new), 'piece')} of {format_size(spent)}: "
            f"{format_size(freed - spent)} "
            "are free again.",
            len(new),
            freed - spent,
            freed=freed - spent,
        )

    def _manifest(self, store: Store, name: str) -> Manifest:
        return own_manifest(self._order, store, name, self._recorded, self._emitter)

    def _listing(self, store: Store, manifest: Manifest) -> Path:
        """Return a bundle's listing, from next to the records if it is the same."""
        if manifest.name not in self._listings:
            self._listings[manifest.name] = listing_at_hand(
                self._order.bundles, manifest
            ) or fetch_listing(store, self._subject, manifest, self._spool / f"{manifest.name}.zst")
        return self._listings[manifest.name]

    # New pieces ------------------------------------------------------------------

    def _pack(
        self, store: Store, usage: PieceUsage, found: UsageTotals, manifests: list[Manifest]
    ) -> list[PieceRecord]:
        self._progress.stage = "packing"
        uploader = Uploader(store, self._subject, self._stop, self._pushed)
        room = Spool(
            self._spool, self._order.spool_limit, self._order.piece_size, [uploader], self._stop
        )
        bundle = max(bundle_of(name) for name in found.chosen)
        uploader.start()
        writer = BundleWriter(
            bundle,
            codec(manifests[-1].compression),
            room,
            usage,
            piece_size=self._order.piece_size,
            threads=self._order.threads,
            on_packed=self._packed,
            numbers=_last_numbers(bundle, manifests),
            sealer=self._sealer,
        )
        ended = False
        try:
            # Another connection: the uploader's is used by its own thread.
            reading = retrying_store(self._order.store, self._stop, self._emitter.info)
            with (
                connected(reading),
                BundleReader(unsealed(reading), self._subject, self._spool) as reader,
            ):
                for kind in KINDS:
                    for entry in usage.moving(kind):
                        self._add(writer, entry, reader)
            pieces = writer.finish()
            for piece in pieces:
                piece.holds = writer.used[piece.name]
            ended = uploader.join()
        except NoStoreLeftError:
            pass
        finally:
            if not ended:
                writer.abandon()
                uploader.join(timeout=20)
        if uploader.failure is not None:
            raise FasciculusError(error_text(uploader.failure), "Complete copies are untouched.")
        if self._stop.is_set():
            raise NoStoreLeftError
        return pieces

    def _add(self, writer: BundleWriter, entry: Entry, reader: BundleReader) -> None:
        parts, digest = entry.parts, entry.digest
        old = replace(entry, parts=parts)
        entry.parts = []
        self._progress.bytes += entry.size
        if entry.size <= _WHOLE:
            writer.add(entry, b"".join(reader.contents(old)))
        else:
            writer.add_stream(entry, _Chunks(reader.contents(old)), self._emitter.warn)
        if entry.digest != digest:
            raise DamagedError(f"{entry.text}: its bytes are not what the listing says.")

    def _pushed(self, count: int) -> None:
        self._progress.pushed += count

    def _packed(self, count: int) -> None:
        self._progress.packed += count
        self._emitter.emit(self._progress)

    # Turning the bundles to them ---------------------------------------------------

    def _turn(
        self, store: Store, usage: PieceUsage, manifest: Manifest, new: dict[str, PieceRecord]
    ) -> None:
        """Give a bundle the listing that names the new places of its bytes."""
        local = self._spool / "listing"
        used: dict[str, int] = {}
        listing = self._listing(store, manifest)
        rewrite(listing, local, lambda line: _moved(line, usage, used))
        pieces = [
            replace(piece, used=used[piece.name])
            for piece in manifest.pieces
            if used.get(piece.name)
        ]
        known = {piece.name for piece in pieces}
        pieces += [
            replace(new[name], brought=False, used=count)
            for name, count in used.items()
            if name not in known and name in new
        ]
        pieces += [
            replace(record, brought=False, used=used[record.name])
            for record in usage.others(used.keys() - known - new.keys())
        ]
        pieces.sort(key=lambda piece: (piece.brought, piece.name))
        switch_listing(
            store,
            self._subject,
            replace(manifest, pieces=pieces),
            local,
            Path(self._order.listings),
            self._sealer,
            self._order.store.key,
            self._emitter,
        )


def _last_numbers(bundle: str, manifests: list[Manifest]) -> dict[str, int]:
    """By kind of contents, the last number that a piece of a bundle has."""
    numbers: dict[str, int] = {}
    for manifest in manifests:
        for piece in manifest.pieces:
            if bundle_of(piece.name) == bundle:
                kind, number = kind_and_number(piece.name)
                numbers[kind] = max(numbers.get(kind, 0), number)
    return numbers


def _moved(line: bytes, usage: PieceUsage, used: dict[str, int]) -> bytes:
    """Return a listing's line with the places where its bytes are now; counts what is used of each
    piece.
    """
    if b'"at"' not in line:
        return line
    row = orjson.loads(line)
    parts = usage.place_of(row)
    if parts is not None:
        row["at"] = [[p.piece, p.frame, p.length, p.offset, p.size] for p in parts]
    if "link" not in row and "link_base64" not in row:
        for at in row["at"]:
            used[at[0]] = used.get(at[0], 0) + at[4]
    return line if parts is None else orjson.dumps(row)


class _Chunks:
    """An iterator of chunks as something to be read."""

    def __init__(self, chunks: Iterator[bytes]) -> None:
        self._chunks, self._rest = chunks, b""

    def read(self, count: int, /) -> bytes:
        if not self._rest:
            self._rest = next(self._chunks, b"")
        data, self._rest = self._rest[:count], self._rest[count:]
        return data
