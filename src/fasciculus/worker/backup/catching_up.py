"""Brings to a store the pieces of the previous bundle that it lacks, so that it can take the next.

A store that missed a night gets the missing pieces from another store, once; the others continue as
usual.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from pathlib import Path

from ...core.bundle.manifest import PieceRecord
from ...core.errors import FasciculusError, MissingError, StoreFullError
from ...core.subject import Subject
from ...stores.base import Store
from ..fetching import fetch
from .upload import Uploader


def missing_pieces(held: Mapping[str, int], pieces: Sequence[PieceRecord]) -> list[PieceRecord]:
    """Return those of some pieces that a store does not hold; ``held`` are the sizes of those that
    it does.

    Raises ``MissingError`` for one that it holds in another size: be it damaged, or another piece
    since the store was repacked alone, it is not to be written over.
    """
    for piece in pieces:
        if held.get(piece.name, piece.bytes) != piece.bytes:
            raise MissingError(f"{piece.name} is another one there.")
    return [piece for piece in pieces if piece.name not in held]


def bring_pieces(
    uploader: Uploader,
    sources: Sequence[Store],
    subject: Subject,
    pieces: Sequence[PieceRecord],
    spool: Path,
    on_damage: Callable[[Store], None],
) -> int:
    """Bring pieces to a store from the first of some others that has each whole.

    ``on_damage`` is called for a store that has a different piece. Returns the bytes. Raises
    ``MissingError`` for a piece that none has, and what the store raises when it does not take one.
    """
    for piece in pieces:
        local = spool / piece.name
        try:
            if not any(_fetched(source, subject, piece, local, on_damage) for source in sources):
                raise MissingError(f"{piece.name} is whole on no other store.")
            uploader.send(local, piece)
        finally:
            local.unlink(missing_ok=True)
    return sum(piece.bytes for piece in pieces)


def _fetched(
    source: Store,
    subject: Subject,
    piece: PieceRecord,
    local: Path,
    on_damage: Callable[[Store], None],
) -> bool:
    """Return whether a piece was whole on a store, and is here now. A store that fails
    cannot help.
    """
    path = subject.piece(piece.name)
    try:
        if source.size(path) == piece.bytes and (
            fetch(source, path, local, piece.bytes) == piece.sha256
        ):
            return True
        on_damage(source)
        return False
    except StoreFullError:
        raise
    except (FasciculusError, OSError):
        return False
