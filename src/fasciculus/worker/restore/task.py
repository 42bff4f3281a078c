"""Brings a bundle, or part of it, back: into an empty folder and named databases."""

from __future__ import annotations

import os
import shutil
import threading
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Literal

from ...bundles.files import fetch_listing, unsealed
from ...contracts.events import DamageMet, Progress
from ...contracts.orders import RestoreOrder
from ...contracts.results import RestoreResult
from ...core.bundle.entry import DIR, Entry, to_bytes
from ...core.bundle.listing import read_listing
from ...core.bundle.manifest import DatabaseRecord, Manifest
from ...core.bundle.reader import BundleReader, is_at_or_below, only
from ...core.errors import (
    DamagedError,
    FolderNotEmptyError,
    MissingError,
    SettingError,
    StoreFullError,
)
from ...core.formatting import format_count, format_list, format_size
from ...databases import ENGINES
from ...hosts.base import HostConnection
from ...hosts.local_tree import LocalTree
from ...stores.base import Store, connected
from ..database_access import database_access
from ..emitter import Emitter
from ..store_access import retrying_store, seen
from .losses import Losses
from .mail import MailSettingsRestore
from .resuming import ResumingWriter
from .special_modes import special_modes_of
from .writer import EntryWriter, ReplacingWriter

_REPORT_EVERY = 64
_LOGGED = 1000


class RestoreTask:
    """Carries out one :class:`RestoreOrder`."""

    def __init__(
        self, order: RestoreOrder, host: HostConnection, emitter: Emitter, stop: threading.Event
    ) -> None:
        self._order, self._host, self._emitter, self._stop = order, host, emitter, stop
        self._writer: EntryWriter | None = None
        #: The folder of this machine that it fills.
        self._tree: LocalTree | None = None
        self._is_used = False
        #: Whether set-user-id bits, devices and attributes of the system come back.
        self._with_special_modes = False
        self._progress = Progress("preflight")
        self._losses = Losses(emitter)

    def run(self) -> RestoreResult:
        spool = Path(self._order.spool)
        spool.mkdir(parents=True, exist_ok=True, mode=0o700)
        try:
            store = retrying_store(self._order.store, self._stop, self._emitter.info)
            with connected(store):
                try:
                    result = self._restore(store, spool)
                finally:
                    self._emitter.emit(seen(store))
            self._is_used = result.entries > 0
            return result
        finally:
            if self._tree is not None and not self._is_used:
                self._tree.remove_if_unused()
            if self._writer is not None:
                self._writer.close()
            shutil.rmtree(spool, ignore_errors=True)

    def _restore(self, store: Store, spool: Path) -> RestoreResult:
        self._host.connect()
        order, subject = self._order, self._order.subject.ref()
        recorded = order.store.recorded_copies(subject, self._emitter.warn)
        try:
            manifest = recorded.manifest(store, order.bundle)
            listing = fetch_listing(store, subject, manifest, spool / "listing")
        except (DamagedError, MissingError):
            self._emitter.emit(DamageMet(store.spec.name, order.bundle))
            raise
        mapped = self._databases_wanted(manifest)

        def listed(kinds: Sequence[str] = order.contents) -> Iterator[Entry]:
            with listing.open("rb") as raw:
                yield from read_listing(raw, kinds)

        self._with_special_modes = order.special_modes or recorded.vouches_for(order.bundle)
        total = self._look_through(only(listed(), self._paths))
        self._progress.total = total
        if order.target:
            self._prepare_target(total, spool)
        count = 0
        with BundleReader(unsealed(store), subject, spool) as reader:
            if self._writer is not None:
                count += self._files(listed(), self._writer, mapped, reader)
            for record in mapped:
                entries = only(listed(["databases"]), self._paths)
                count += self._loaded(record, order.databases[record.name], entries, reader)
            if order.mail is not None:
                self._progress.stage = "mail"
                mail = MailSettingsRestore(
                    order.mail,
                    self._host,
                    self._emitter,
                    self._losses,
                    lambda folder: self._replacing(folder, spool),
                    self._with_special_modes,
                )
                count += mail.run(lambda: listed(["mail"]), reader)
        if not count and not self._losses:
            raise SettingError(
                "Nothing in the bundle matches what was asked for.",
                "Look at its listing for the right paths.",
                field="paths",
            )
        return self._result(store.spec.name, count)

    @property
    def _paths(self) -> list[bytes]:
        return [to_bytes(path).rstrip(b"/") for path in self._order.paths]

    def _result(self, store: str, count: int) -> RestoreResult:
        if self._losses.is_damage:
            self._emitter.emit(DamageMet(store, self._order.bundle))
        self._emitter.info(
            f"restored {format_count(count, 'entry', 'entries')}, "
            f"{format_size(self._progress.bytes)}"
        )
        return RestoreResult(
            outcome=self._outcome,
            error=self._losses.sentence(store, count) if self._losses else "",
            entries=count,
            bytes=self._progress.bytes,
        )

    @property
    def _outcome(self) -> Literal["done", "warned", "failed"]:
        if self._losses:
            return "failed"
        return "warned" if self._emitter.warnings else "done"

    def _replacing(self, folder: str, spool: Path) -> EntryWriter:
        """Return a writer into a folder in use on the host."""
        return ReplacingWriter(
            self._host.writable_tree(folder),
            spool,
            self._emitter,
            self._losses,
            self._progress,
            self._with_special_modes,
            self._order.owners,
        )

    def _loaded(
        self, record: DatabaseRecord, name: str, entries: Iterator[Entry], reader: BundleReader
    ) -> int:
        try:
            return self._load(record, name, entries, reader)
        except (DamagedError, MissingError) as error:
            self._losses.damaged(f"database {record.name}", error.message)
            self._emitter.error(f"database {name} is there, but not complete")
            return 0

    def _look_through(self, entries: Iterator[Entry]) -> int:
        """Return the bytes of all that comes back; logs which entries have special modes."""
        total = count = 0
        for entry in entries:
            total += entry.size if entry.link is None else 0
            comes_back = self._order.target or (self._order.mail and entry.kind == "mail")
            if comes_back and (found := special_modes_of(entry)):
                count += 1
                if count <= _LOGGED:
                    self._emitter.info(f"{entry.text}: {format_list(found)}")
        if count and self._with_special_modes:
            self._emitter.info(
                f"{format_count(count, 'entry', 'entries')} with special modes, listed above"
            )
        elif count:
            self._emitter.warn(
                f"{format_count(count, 'entry is', 'entries are')} restored without special modes, "
                "listed above: the records do not vouch for this copy. Use them "
                "(--special-modes) if you trust its store."
            )
        return total

    # Before anything is written ----------------------------------------------

    def _databases_wanted(self, manifest: Manifest) -> list[DatabaseRecord]:
        known = {d.name: d for d in manifest.databases if not d.origin}
        for name in self._order.databases:
            if name not in known:
                raise SettingError(
                    f"The bundle holds no database “{name}”.",
                    f"It holds: {', '.join(known) or 'none'}.",
                    field="databases",
                )
        return [known[name] for name in self._order.databases]

    def _prepare_target(self, total: int, spool: Path) -> None:
        target = Path(self._order.target)
        if not target.is_absolute() or target == Path("/"):
            raise SettingError(
                "The target is not an absolute folder.",
                "Write it from the first slash on.",
                field="target",
            )
        try:
            tree = self._tree = LocalTree(os.fsencode(target))
            is_empty, free = tree.is_empty, tree.free
        except OSError as error:
            raise SettingError(
                f"The folder {target} cannot be used: {error.strerror}.",
                "Name another folder, or give the service write permission.",
                field="target",
            ) from error
        kind = ResumingWriter if self._order.resume else EntryWriter
        self._writer = kind(
            tree,
            spool,
            self._emitter,
            self._losses,
            self._progress,
            self._with_special_modes,
            self._order.owners,
        )
        if not is_empty and not self._order.resume:
            raise FolderNotEmptyError(
                f"The folder {target} is not empty.",
                "Name an empty or a new folder, or continue an interrupted restore (--resume).",
                field="target",
            )
        if free < total and is_empty:
            raise StoreFullError(
                f"{target} has {format_size(free)} free, and {format_size(total)} "
                "are to be restored.",
                "Name a folder on a larger disk.",
            )

    # Files -------------------------------------------------------------------

    def _files(
        self,
        entries: Iterator[Entry],
        writer: EntryWriter,
        mapped: list[DatabaseRecord],
        reader: BundleReader,
    ) -> int:
        """Fill the target folder; return the number of entries that came back."""
        count, paths = 0, self._paths
        missing = set(paths)
        for entry in entries:
            asked = [path for path in paths if is_at_or_below(entry.path, path)]
            missing.difference_update(asked)
            if paths and not asked:
                # What leads there gets its owner and mode too.
                if entry.type == DIR and any(_leads_to(entry.path, path) for path in paths):
                    writer.parent(entry.name, entry)
                continue
            if _record_of(entry, mapped) is None:
                self._progress.stage = entry.kind
                count += writer.put(self._place(entry, writer), entry, reader)
                if count % _REPORT_EVERY == 0:
                    self._emitter.emit(self._progress)
        writer.finish()
        if count or self._losses:
            for path in sorted(missing):
                self._losses.not_written(os.fsdecode(path), "the bundle holds no such path")
        return count

    @staticmethod
    def _place(entry: Entry, writer: EntryWriter) -> bytes:
        """Return where an entry goes below the target; an SQLite database goes back among the
        files.
        """
        if entry.kind == "databases" and entry.origin is not None and writer.tree.holds(b"files"):
            return b"files/" + entry.origin if entry.origin else entry.name
        return entry.name

    # Databases ---------------------------------------------------------------

    def _load(
        self, record: DatabaseRecord, name: str, entries: Iterator[Entry], reader: BundleReader
    ) -> int:
        self._progress.stage = "databases"
        order = self._order
        access = database_access(record.engine, order.host, self._host, "", order.spool)
        members = (
            (entry, lambda entry=entry: b"".join(reader.contents(entry)))
            for entry in entries
            if _record_of(entry, [record]) is not None
        )
        count = 0
        engine = ENGINES.get(record.engine)

        def refuse(why: str) -> None:
            self._losses.not_written(f"database {name}", why)

        for entry in engine.restore(
            access, record, name, members, refuse, self._with_special_modes
        ):
            count += 1
            self._progress.entries += 1
            self._progress.bytes += entry.size
            self._emitter.emit(self._progress)
        self._emitter.info(f"database {record.name} is back as {name}")
        return count


def _record_of(entry: Entry, records: list[DatabaseRecord]) -> DatabaseRecord | None:
    """Return the database, among some, that an entry is a member of."""
    if entry.kind != "databases":
        return None
    return next((r for r in records if entry.path.startswith(r.folder.encode() + b"/")), None)


def _leads_to(folder: bytes, path: bytes) -> bool:
    """Return whether a folder is on the way to a path."""
    return not folder or path.startswith(folder + b"/")
