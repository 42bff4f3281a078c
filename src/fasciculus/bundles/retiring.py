"""Removing copies from a store, safe at every interruption.

A bundle's ``bundle.json`` goes first, so that what is half removed counts no more;
pieces go only when no remaining bundle of the subject names them.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass
from datetime import UTC, datetime, tzinfo
from pathlib import Path

from ..core import retention
from ..core.bundle.layout import (
    MANIFEST,
    SUMS,
    moment_of,
)
from ..core.bundle.manifest import Manifest
from ..core.errors import DamagedError, MissingError, NotListedError, TooNewError
from ..core.retention import KeepRule, RetentionCopy
from ..core.subject import Subject
from ..stores.base import Store
from .present import Present, look, manifest_sizes
from .recorded_copies import RecordedCopies


@dataclass(frozen=True, slots=True)
class StoreKeep:
    """The inputs of a keep rule on a store: the rule, the zone of its days, and the pinned and
    damaged copies. Days count back from ``now`` where no further copies are made.
    """

    rule: KeepRule
    zone: tzinfo = UTC
    now: datetime | None = None
    pinned: Collection[str] = ()
    unsound: Collection[str] = ()
    #: Copies that nobody can remove yet.
    locked: Collection[str] = ()


def complete(store: Store, subject: Subject) -> list[str]:
    """Return the names of the subject's complete bundles on a store, oldest first."""
    sizes = manifest_sizes(store, subject)
    return [name for name, size in sizes.items() if size is not None]


def needed_pieces(
    manifests: Mapping[str, Manifest | None], recorded: RecordedCopies
) -> set[str] | None:
    """Return all pieces that bundles need, None where one of them cannot be known.

    ``manifests`` come by the bundle's name; of one that cannot be read, the records may know.
    """
    needed: set[str] = set()
    for name, manifest in manifests.items():
        if manifest is not None:
            needed.update(piece.name for piece in manifest.pieces)
        elif (pieces := recorded.pieces_of(name)) is not None:
            needed.update(pieces)
        else:
            return None
    return needed


def settle(store: Store, subject: Subject, manifest: Manifest) -> None:
    """Finish what repacking began with a bundle: its sums follow its ``bundle.json``, then its old
    listing goes.
    """
    folder = subject.bundle(manifest.name)
    strange = [
        item.name
        for item in store.items(folder)
        if item.name not in (manifest.listing, MANIFEST, SUMS)
    ]
    if strange:
        store.put_bytes(manifest.sums(), f"{folder}/{SUMS}")
        for name in strange:
            store.remove(f"{folder}/{name}")


def remove_bundle(store: Store, subject: Subject, name: str) -> None:
    """Remove a bundle's folder; its pieces stay."""
    folder = subject.bundle(name)
    store.remove(f"{folder}/{MANIFEST}")
    for item in store.items(folder):
        store.remove(f"{folder}/{item.name}")
    store.remove_folder(folder)


def kept_if_none_retires(
    known: Sequence[str], keep: StoreKeep, present: Sequence[str]
) -> int | None:
    """Return how many copies the keep rule leaves; None if it retires one of them.

    ``known`` and ``present`` as for :func:`retire`.
    """
    agreed, going = _agreed_and_going(known, keep, present)
    return None if going else len(agreed)


def _agreed_and_going(
    known: Sequence[str], keep: StoreKeep, present: Sequence[str]
) -> tuple[list[str], list[str]]:
    """Return the copies that both records and store know, and those of them that retire."""
    agreed = [name for name in known if name in present]
    rows = [
        RetentionCopy(name, moment, name in keep.pinned, name not in keep.unsound)
        for name in agreed
        if (moment := moment_of(name)) is not None
    ]
    going = [
        copy.name
        for copy in retention.retiring(rows, keep.rule, keep.zone, keep.now)
        if copy.name not in keep.locked
    ]
    return agreed, going


def retire(
    store: Store,
    subject: Subject,
    known: Sequence[str],
    keep: StoreKeep,
    on_retired: Callable[[str], None],
    recorded: RecordedCopies,
    spool: Path,
    present: Sequence[str],
) -> int:
    """Apply the keep rule to what records and store agree on. Returns how many copies are left.

    ``known`` come in the order in which they were made, ``present`` are the complete ones on the
    store. Copies that have vanished from the store, and that no keep rule keeps, are forgotten
    together with the retired ones.
    """
    agreed, going = _agreed_and_going(known, keep, present)
    staying = [name for name in agreed if name not in going]
    before_all = known[: known.index(staying[0])] if going and staying else []
    absent = [name for name in before_all if name not in agreed and name not in keep.pinned]
    pieces = _pieces_of(store, going, recorded)
    for name in [*going, *absent]:
        remove_bundle(store, subject, name)
        on_retired(name)
    left = [name for name in present if name not in going]
    if going:
        recorded.forget([*going, *absent])
        if pieces is None or not pieces <= recorded.known_pieces(left):
            _remove_pieces(store, subject, left, recorded, spool)
    return len(staying)


def _pieces_of(store: Store, names: Sequence[str], recorded: RecordedCopies) -> set[str] | None:
    """Return the pieces that some bundles name, None where one of them cannot be read."""
    found: set[str] = set()
    try:
        for name in names:
            found |= {piece.name for piece in recorded.manifest(store, name).pieces}
    except (MissingError, DamagedError, TooNewError):
        return None
    return found


def clear_interrupted(
    store: Store, subject: Subject, recorded: RecordedCopies, spool: Path, turn: int
) -> tuple[list[str], Present]:
    """Remove what an interrupted run left, like :func:`sweep`; return the removed names, and what
    the store holds now.

    If the store holds exactly what the records know, only one manifest is read, chosen by ``turn``:
    reading all of them takes longer than the rest of a small task.
    """
    present = look(store, subject)
    if recorded.explain(present) and _is_sound(store, present.whole, recorded, turn):
        with suppress(NotListedError):
            store.clear_partial(subject.folder)
        return [], present
    removed = sweep(store, subject, recorded, spool)
    return removed, look(store, subject)


def _is_sound(store: Store, names: Sequence[str], recorded: RecordedCopies, turn: int) -> bool:
    """Return whether the manifest chosen by ``turn`` is unaltered."""
    if not names:
        return True
    name = names[turn % len(names)]
    return _pieces_of(store, [name], recorded) is not None


def sweep(store: Store, subject: Subject, recorded: RecordedCopies, spool: Path) -> list[str]:
    """Remove half-written bundles and the pieces that no complete bundle names.

    A recorded bundle is not among them: missing files of it are written again from next to the
    records, if possible. Only to be called while nobody writes a bundle of this subject. Gives the
    names of what was removed.
    """
    with suppress(NotListedError):
        store.clear_partial(subject.folder)
    whole = complete(store, subject)
    removed = []
    for item in store.items(subject.bundles):
        if item.folder and item.name not in whole and item.name not in recorded:
            remove_bundle(store, subject, item.name)
            removed.append(item.name)
    return removed + _remove_pieces(store, subject, whole, recorded, spool)


def _remove_pieces(
    store: Store, subject: Subject, whole: list[str], recorded: RecordedCopies, spool: Path
) -> list[str]:
    """Remove the pieces that none of these bundles, nor one that the records know, needs."""
    pieces = [item.name for item in store.items(subject.pieces)]
    if not pieces:
        return []
    manifests = recorded.manifests(store, whole, spool)
    for manifest in manifests.values():
        if manifest is not None and manifest.is_repacked:
            settle(store, subject, manifest)
    needed = needed_pieces(manifests, recorded)
    if needed is None:
        return []
    removed = [name for name in pieces if name not in needed]
    for name in removed:
        store.remove(subject.piece(name))
    return removed
