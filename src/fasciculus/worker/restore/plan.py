"""The plan of a restore, made before anything is written."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path

from ...bundles.files import fetch_listing
from ...contracts.events import DamageMet
from ...contracts.orders import RestoreOrder
from ...core.bundle.entry import DIR, Entry, to_bytes
from ...core.bundle.listing import read_listing
from ...core.bundle.manifest import DatabaseRecord, Manifest
from ...core.bundle.reader import is_at_or_below, only
from ...core.errors import (
    DamagedError,
    MissingError,
    SettingError,
)
from ...core.file_filters import has_marks, path_matcher
from ...stores.base import Store
from ..emitter import Emitter
from .special_modes import SpecialModesLog

#: The most paths that one pattern may stand for.
_MOST_MEANT = 10_000


@dataclass(frozen=True, slots=True)
class RestorePlan:
    """The entries that come back, and how much that is.

    ``listing`` is the bundle's listing on this machine; ``databases`` are those that are loaded
    into a server, ``paths`` the ones that are wanted, none for everything. ``bytes`` is the size of
    all contents, 0 for a restore in place. ``with_special_modes`` says whether set-user-id bits,
    devices and attributes of the system come back.
    """

    order: RestoreOrder
    listing: Path
    databases: list[DatabaseRecord]
    paths: list[bytes]
    bytes: int
    with_special_modes: bool
    manifest: Manifest

    def entries(self, kinds: Sequence[str] | None = None) -> Iterator[Entry]:
        """Yield the entries of the bundle of some kinds, by default of those that are wanted."""
        with self.listing.open("rb") as raw:
            yield from read_listing(raw, self.order.contents if kinds is None else kinds)


def plan_restore(order: RestoreOrder, store: Store, spool: Path, emitter: Emitter) -> RestorePlan:
    """Return the plan for restoring from a store.

    Raises ``SettingError`` for what the bundle does not hold, ``DamagedError`` or ``MissingError``
    where the copy cannot be read.
    """
    subject = order.source
    recorded = order.store.recorded_copies(subject, emitter.warn)
    try:
        manifest = recorded.manifest(store, order.bundle)
        listing = fetch_listing(store, subject, manifest, spool / "listing")
    except (DamagedError, MissingError):
        emitter.emit(DamageMet(store.spec.name, order.bundle))
        raise
    paths = _chosen_paths(order, listing)
    with_special_modes = order.special_modes or recorded.vouches_for(order.bundle)
    databases = _databases_wanted(order, manifest)
    total = 0
    if order.in_place is None:
        # A restore in place looks at each entry when it compares it.
        with listing.open("rb") as raw:
            wanted = only(read_listing(raw, order.contents), paths)
            total = _look_through(order, wanted, SpecialModesLog(emitter, with_special_modes))
    return RestorePlan(order, listing, databases, paths, total, with_special_modes, manifest)


def _chosen_paths(order: RestoreOrder, listing: Path) -> list[bytes]:
    """Return the chosen paths; a pattern stands for those in the bundle that it means.

    A path that is in the bundle as it stands is no pattern. Raises ``SettingError`` for a pattern
    that means nothing, or too much.
    """
    plain = [path for path in order.paths if not has_marks(path)]
    found = [to_bytes(path).rstrip(b"/") for path in plain]
    for text in order.paths:
        if text not in plain:
            found += _meant(order, listing, text)
    return found


def _meant(order: RestoreOrder, listing: Path, text: str) -> list[bytes]:
    means, itself = path_matcher(text), to_bytes(text).rstrip(b"/")
    found: list[bytes] = []
    with listing.open("rb") as raw:
        for entry in read_listing(raw, order.contents):
            if entry.path == itself:
                return [itself]
            inside = found and is_at_or_below(entry.path, found[-1])
            if not inside and entry.path and means(entry.text, entry.type == DIR):
                found.append(entry.path)
            if len(found) > _MOST_MEANT:
                break
    if not found or len(found) > _MOST_MEANT:
        amount = "nothing" if not found else f"more than {_MOST_MEANT:,} paths"
        raise SettingError(
            f"The pattern “{text}” means {amount} in this bundle.",
            "Write it as in .gitignore, such as *.php or sites/*/config.php.",
            field="paths",
        )
    return found


def _look_through(order: RestoreOrder, entries: Iterator[Entry], log: SpecialModesLog) -> int:
    """Return the bytes of all that comes back; logs which entries have special modes."""
    total = 0
    for entry in entries:
        total += entry.size if entry.link is None else 0
        if order.target or (order.mail and entry.kind == "mail"):
            log.see(entry)
    log.finish()
    return total


def _databases_wanted(order: RestoreOrder, manifest: Manifest) -> list[DatabaseRecord]:
    known = {d.name: d for d in manifest.databases if not d.origin}
    for name in order.databases:
        if name not in known:
            raise SettingError(
                f"The bundle holds no database “{name}”.",
                f"It holds: {', '.join(known) or 'none'}.",
                field="databases",
            )
    return [known[name] for name in order.databases]
