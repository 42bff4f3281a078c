"""Looks whether copies are whole, and says what is harmed where they are not."""

from __future__ import annotations

import hashlib
import shutil
import threading
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import TypeVar

from ...bundles.files import fetch_listing, unsealed
from ...contracts.events import CopyVerified, DamageCleared, DamageFound, Progress
from ...contracts.orders import VerifyOrder
from ...contracts.results import VerifyResult
from ...core.bundle.damage_impact import DamageImpact
from ...core.bundle.entry import Entry
from ...core.bundle.layout import MANIFEST, SUMS
from ...core.bundle.listing import read_listing
from ...core.bundle.manifest import Manifest
from ...core.bundle.reader import BundleReader
from ...core.errors import DamagedError, MissingError
from ...core.formatting import format_count, format_size
from ...stores.base import Store
from ..emitter import Emitter
from ..store_access import identified
from .known_copies import current_manifest, known_copies, listing_at_hand

_CHUNK = 1024 * 1024
_EVERY = 16 * 1024 * 1024
_NAMED = 200
_T = TypeVar("_T")


@dataclass(slots=True)
class _Piece:
    bytes: int
    sha256: str
    bundles: list[str] = field(default_factory=list)


class VerifyTask:
    """Carries out one :class:`VerifyOrder`. It only reads, and may run at the same time as a backup
    of the subject.
    """

    def __init__(self, order: VerifyOrder, emitter: Emitter, stop: threading.Event) -> None:
        self._order, self._emitter, self._stop = order, emitter, stop
        self._subject = order.subject.ref()
        self._spool = Path(order.spool)
        self._damages: dict[str, DamageFound] = {}
        self._sound: set[str] = set()
        #: Bundles whose manifest on the store is missing or altered.
        self._unclear: set[str] = set()
        self._progress = Progress("reading" if order.deep else "checking")

    def run(self) -> VerifyResult:
        """Look through the copies. Raises ``FasciculusError`` when the store cannot be read at
        all.
        """
        self._spool.mkdir(parents=True, exist_ok=True, mode=0o700)
        try:
            with identified(self._order.store, self._stop, self._emitter) as store:
                return self._look(store)
        finally:
            shutil.rmtree(self._spool, ignore_errors=True)

    def _look(self, store: Store) -> VerifyResult:
        manifests = self._manifests(store)
        pieces: dict[str, _Piece] = {}
        for manifest in manifests.values():
            for record in manifest.pieces:
                piece = pieces.setdefault(record.name, _Piece(record.bytes, record.sha256))
                piece.bundles.append(manifest.name)
        if self._order.deep:
            self._progress.total = sum(piece.bytes for piece in pieces.values())
        for manifest in manifests.values():
            self._listing_and_sums(store, manifest)
        self._pieces(store, pieces)
        self._name_harm(store, manifests)
        self._tell(manifests)
        read = f", {format_size(self._progress.bytes)} read" if self._order.deep else ""
        what = (
            f"{format_count(len(self._order.bundles), 'bundle')} in "
            f"{format_count(len(pieces), 'piece')}{read}"
        )
        if not self._damages:
            return VerifyResult(
                outcome="done",
                summary=f"{what}: {self._sound_by(store)}.",
                entries=len(pieces),
                bytes=self._progress.bytes,
            )
        harmed = {name for damage in self._damages.values() for name in damage.bundles}
        return VerifyResult(
            outcome="warned",
            summary=f"{what}: {format_count(len(self._damages), 'file')} missing or altered, "
            "which harms "
            f"{format_count(len(harmed), 'bundle')}.",
            entries=len(pieces),
            bytes=self._progress.bytes,
        )

    def _sound_by(self, store: Store) -> str:
        """By what the copies are known to be sound."""
        if self._order.deep:
            return "intact"
        if store.digests_itself:
            return "sizes agree, and so do the digests that the store knows; contents not read"
        return "sizes agree; contents not read"

    def _damage(self, file: str, reason: str, bundles: list[str]) -> None:
        self._damages[file] = DamageFound(file, reason, bundles)

    # Bundle by bundle ----------------------------------------------------------

    def _manifests(self, store: Store) -> dict[str, Manifest]:
        found = {}
        recorded = known_copies(self._order, self._emitter)
        for held in self._order.bundles:
            file = f"bundles/{held.name}/{MANIFEST}"
            try:
                found[held.name] = current_manifest(
                    self._order, store, held.name, recorded, self._emitter
                )
                self._sound.add(file)
            except (MissingError, DamagedError) as error:
                reason = "missing" if isinstance(error, MissingError) else "altered"
                self._damage(file, reason, [held.name])
                self._unclear.add(held.name)
                # Its pieces are looked at all the same: they are what repairing it would rely on.
                if (kept := recorded.kept_manifest(held.name)) is not None:
                    found[held.name] = kept[0]
        return found

    def _listing_and_sums(self, store: Store, manifest: Manifest) -> None:
        folder = f"bundles/{manifest.name}"
        for name, wanted in (
            (manifest.listing, manifest.stored_listing.sha256),
            (SUMS, hashlib.sha256(manifest.sums()).hexdigest()),
        ):
            file = f"{folder}/{name}"
            try:
                digest = self._digest(store, file)
            except MissingError:
                if not self._is_retired(store, manifest.name):
                    self._damage(file, "missing", [manifest.name])
                continue
            if digest == wanted:
                self._sound.add(file)
            else:
                self._damage(file, "altered", [manifest.name])

    def _digest(self, store: Store, file: str, report: bool = False) -> str:
        """Return the SHA-256 of a file's bytes, read here."""
        digest = hashlib.sha256()
        before, told_at = self._progress.bytes, self._progress.bytes
        try:
            with store.open(f"{self._subject.folder}/{file}") as source:
                while chunk := source.read(_CHUNK):
                    digest.update(chunk)
                    if report:
                        self._progress.bytes += len(chunk)
                        if self._progress.bytes - told_at > _EVERY:
                            told_at = self._progress.bytes
                            self._emitter.emit(self._progress)
        except Exception:
            # It is read again from its beginning.
            self._progress.bytes = before
            raise
        return digest.hexdigest()

    # Pieces --------------------------------------------------------------------

    def _pieces(self, store: Store, pieces: dict[str, _Piece]) -> None:
        held = {item.name: item.size for item in store.items(self._subject.pieces)}
        for name, piece in sorted(pieces.items()):
            file = f"pieces/{name}"
            try:
                reason, compared = self._state(store, file, piece, held.get(name))
            except MissingError:
                reason, compared = "missing", True
            self._progress.entries += 1
            self._emitter.emit(self._progress)
            # A concurrent run may have retired the bundles that needed it.
            if reason and not all(self._is_retired(store, bundle) for bundle in piece.bundles):
                self._damage(file, reason, piece.bundles)
            elif not reason and compared:
                self._sound.add(file)

    def _state(self, store: Store, file: str, piece: _Piece, size: int | None) -> tuple[str, bool]:
        """Return what is wrong with a piece, and whether its bytes were compared, not its size
        alone.
        """
        if size is None:
            return "missing", True
        if size != piece.bytes:
            return f"is {size:,} bytes instead of {piece.bytes:,}", True
        digest: str | None = None
        if self._order.deep:
            digest = self._digest(store, file, report=True)
        elif store.digests_itself:
            digest = store.sha256(f"{self._subject.folder}/{file}")
        if digest is None:
            return "", False
        return "" if digest == piece.sha256 else "altered", True

    def _is_retired(self, store: Store, bundle: str) -> bool:
        """Return whether a bundle that existed before has vanished: a concurrent run retired it."""
        path = f"{self._subject.bundle(bundle)}/{MANIFEST}"
        return bundle not in self._unclear and store.size(path) is None

    # What is harmed ------------------------------------------------------------

    def _name_harm(self, store: Store, manifests: dict[str, Manifest]) -> None:
        broken = {
            file.removeprefix("pieces/"): damage
            for file, damage in self._damages.items()
            if file.startswith("pieces/")
        }
        if not broken:
            return
        missing = {name for name, damage in broken.items() if damage.reason == "missing"}
        named: dict[str, set[str]] = {name: set() for name in broken}
        with BundleReader(unsealed(store), self._subject, self._spool) as reader:
            harm = DamageImpact(reader, broken.keys() - missing, missing)
            for manifest in manifests.values():
                if not any(piece.name in broken for piece in manifest.pieces):
                    continue
                for entry, at_fault in harm.of(self._entries(store, manifest)):
                    for name in at_fault:
                        self._name(broken[name], named[name], entry)

    @staticmethod
    def _name(damage: DamageFound, named: set[str], entry: Entry) -> None:
        text = entry.name.decode("utf-8", "backslashreplace")
        if text in named:
            return
        named.add(text)
        damage.harmed += 1
        if damage.harmed <= _NAMED:
            damage.files.append(text)

    def _entries(self, store: Store, manifest: Manifest) -> Iterator[Entry]:
        """Yield a bundle's entries: from the listing next to the records, otherwise from the
        store's.
        """
        path = listing_at_hand(self._order.bundles, manifest)
        if path is None:
            path = self._spool / "listing"
            try:
                fetch_listing(store, self._subject, manifest, path)
            except (DamagedError, MissingError):
                return
        with path.open("rb") as raw:
            yield from read_listing(raw)

    def _tell(self, manifests: dict[str, Manifest]) -> None:
        for damage in self._damages.values():
            self._emitter.emit(damage)
            self._emitter.warn(
                f"{damage.file}: {damage.reason}; harms "
                f"{format_count(len(damage.bundles), 'bundle')}, "
                f"{format_count(damage.harmed, 'entry', 'entries')}"
            )
        for file in self._order.suspects:
            if file in self._sound:
                self._emitter.emit(DamageCleared(file))
        harmed = {name for damage in self._damages.values() for name in damage.bundles}
        for held in self._order.bundles:
            if held.name in manifests or held.name in harmed:
                # Where nobody knows its pieces, it was not read.
                deep = self._order.deep and held.name in manifests
                self._emitter.emit(CopyVerified(held.name, deep, held.name not in harmed))
