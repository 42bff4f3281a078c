"""Seals the bundles on a store, or reseals them to other keys.

Bundle by bundle, oldest first: its pieces go to the store under new names, then it is turned to a
listing that names those; old pieces go last. If interrupted anywhere, every bundle is intact, and
the next pass continues with the first that is not sealed as required.
"""

from __future__ import annotations

import hashlib
import re
import shutil
import threading
from pathlib import Path

import orjson
from msgspec.structs import replace

from ...bundles.files import fetch_listing
from ...bundles.retiring import complete, sweep
from ...contracts.events import Progress
from ...contracts.orders import ResealOrder
from ...contracts.results import ResealResult
from ...core.bundle.layout import SUFFIX
from ...core.bundle.manifest import Manifest, PieceRecord
from ...core.bundle.seal.age import open_sealed
from ...core.errors import DamagedError, FasciculusError
from ...core.formatting import format_count, format_size
from ...stores.base import Store
from ...stores.confirmation import confirm
from ..emitter import Emitter
from ..fetching import fetch
from ..sealing import sealer_to
from ..store_access import owned
from .known_copies import known_copies, listing_at_hand, own_manifest
from .switch_listing import rewrite, switch_listing

_CHUNK = 1024 * 1024
_SEALED = re.compile(r"(?:\.(\d+))?\.age$")


class ResealTask:
    """Carries out one :class:`ResealOrder`. Nothing else may work on the subject's copies
    meanwhile.
    """

    def __init__(self, order: ResealOrder, emitter: Emitter, stop: threading.Event) -> None:
        self._order, self._emitter, self._stop = order, emitter, stop
        self._subject = order.subject.ref()
        self._spool = Path(order.spool)
        self._sealer = sealer_to(order.seal_to)
        self._progress = Progress("sealing")
        self._recorded = known_copies(order, emitter)
        #: By the name of the old piece, the one that holds the same.
        self._new: dict[str, PieceRecord] = {}

    def run(self) -> ResealResult:
        """Seal what is not sealed as it should be. Bundles without their key are unchanged, and
        reported.
        """
        self._spool.mkdir(parents=True, exist_ok=True, mode=0o700)
        try:
            with owned(self._order.store, self._stop, self._emitter) as store:
                if not store.replaces_at_once():
                    raise FasciculusError(
                        f"Store “{store.spec.name}” cannot replace a file in one step, so that a "
                        "bundle could be lost half way.",
                        "Start a full bundle instead; older copies retire in time.",
                    )
                sweep(store, self._subject, self._recorded, self._spool)
                return self._reseal(store)
        finally:
            shutil.rmtree(self._spool, ignore_errors=True)

    def _reseal(self, store: Store) -> ResealResult:
        manifests = [self._manifest(store, name) for name in complete(store, self._subject)]
        wanted = sorted(self._order.seal_to)
        todo = []
        for manifest in manifests:
            if sorted(manifest.sealed_to) != wanted:
                todo.append(manifest)
                continue
            # What an earlier pass has sealed is not sealed again.
            for piece in manifest.pieces:
                self._new[_plain_name(piece.name)] = piece
        self._progress.total = sum({p.name: p.bytes for m in todo for p in m.pieces}.values())
        done = 0
        for manifest in todo:
            if self._stop.is_set():
                break
            self._bundle(store, manifest)
            done += 1
        self._recorded.forget([manifest.name for manifest in manifests])
        sweep(store, self._subject, self._recorded, self._spool)
        how = f"sealed to {format_count(len(wanted), 'key')}" if wanted else "stored in the clear"
        return ResealResult(
            outcome="done",
            summary=f"{format_count(done, 'bundle')} {how}, "
            f"{format_size(self._progress.pushed)} sent.",
            entries=done,
            bytes=self._progress.pushed,
        )

    def _manifest(self, store: Store, name: str) -> Manifest:
        return own_manifest(self._order, store, name, self._recorded, self._emitter)

    def _bundle(self, store: Store, manifest: Manifest) -> None:
        local = self._spool / "listing"
        listing = listing_at_hand(self._order.bundles, manifest) or fetch_listing(
            store, self._subject, manifest, self._spool / "old-listing"
        )
        new = {piece.name: self._piece(store, piece) for piece in manifest.pieces}
        rewrite(listing, local, lambda line: _renamed(line, new))
        pieces = [
            replace(piece, name=found.name, bytes=found.bytes, sha256=found.sha256)
            for piece in manifest.pieces
            for found in (new[piece.name],)
        ]
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
        self._emitter.info(f"{manifest.name}: turned to {format_count(len(pieces), 'new piece')}")

    def _piece(self, store: Store, piece: PieceRecord) -> PieceRecord:
        """Return the piece that holds the same, sealed as it should be."""
        plain = _plain_name(piece.name)
        if plain in self._new:
            return self._new[plain]
        name = self._name_of(piece.name)
        local, sealed = self._spool / "plain", self._spool / name
        self._fetch(store, piece, local)
        if self._sealer is not None:
            size, digest = self._sealer.seal(local, sealed)
            local.unlink()
        else:
            local.rename(sealed)
            size = sealed.stat().st_size
            with sealed.open("rb") as raw:
                digest = hashlib.file_digest(raw, "sha256").hexdigest()
        path = self._subject.piece(name)
        store.put(sealed, path, self._sent)
        sealed.unlink(missing_ok=True)
        confirm(store, path, size, digest)
        found = self._new[plain] = replace(piece, name=name, bytes=size, sha256=digest)
        return found

    def _fetch(self, store: Store, piece: PieceRecord, local: Path) -> None:
        """Bring a piece here in the clear, and check it."""
        sealed = piece.name.endswith(SUFFIX)
        came = self._spool / f"sealed{SUFFIX}" if sealed else local
        # Anyone with the public key can seal something else: the stored bytes must be ours.
        if fetch(store, self._subject.piece(piece.name), came, piece.bytes) != piece.sha256:
            raise DamagedError(f"{piece.name} is damaged.", "Repair it first: stores repair.")
        if sealed:
            with open_sealed(came, store.spec.identities) as source, local.open("wb") as sink:
                shutil.copyfileobj(source, sink, _CHUNK)
            came.unlink()

    def _name_of(self, name: str) -> str:
        """Return a name that no piece has: ``.age``, then ``.2.age`` and so on."""
        plain = _plain_name(name)
        if self._sealer is None:
            return plain
        match = _SEALED.search(name)
        return f"{plain}.{int(match[1] or 1) + 1}{SUFFIX}" if match else f"{plain}{SUFFIX}"

    def _sent(self, count: int) -> None:
        self._progress.pushed += count
        self._progress.bytes += count
        self._emitter.emit(self._progress)


def _plain_name(name: str) -> str:
    return _SEALED.sub("", name)


def _renamed(line: bytes, new: dict[str, PieceRecord]) -> bytes:
    """Return a listing's line with the new names of its pieces."""
    if b'"at"' not in line:
        return line
    row = orjson.loads(line)
    for at in row["at"]:
        at[0] = new[at[0]].name
    return orjson.dumps(row)
