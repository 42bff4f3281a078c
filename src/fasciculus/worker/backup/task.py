"""Makes one bundle: preflight, gather, pack, push, confirm, retire."""

from __future__ import annotations

import hashlib
import shutil
import threading
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager, suppress
from copy import deepcopy
from datetime import UTC, datetime
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from msgspec import UNSET, UnsetType
from msgspec.structs import replace

from ...bundles.files import is_listing_of
from ...bundles.recorded_copies import RecordedCopies
from ...bundles.retiring import StoreKeep, remove_bundle, retire, sweep
from ...contracts.events import CopyResult, CopyRetired, DamageMet, Progress
from ...contracts.orders import BackupOrder, StoreOrder
from ...contracts.results import BackupResult, Outcome
from ...core import retention, schedule
from ...core.bundle import layout
from ...core.bundle.codecs import codec
from ...core.bundle.listing import ListingWriter
from ...core.bundle.manifest import (
    ContentsCount,
    DiffCounts,
    ExcludedCount,
    Manifest,
    PieceRecord,
    StoredFile,
    SubjectRecord,
)
from ...core.bundle.writer import BundleWriter
from ...core.errors import ConnectionLostError, DamagedError, FasciculusError, MissingError
from ...core.formatting import format_count, format_list, format_size
from ...core.watch.unusual import unusual_changes
from ...hosts.base import HostConnection
from ...stores.base import Store
from ...stores.confirmation import confirm
from ...stores.identity import check_ours
from ...stores.retrying import RetryingStore
from ..connections import Connections
from ..emitter import Emitter
from ..errors import NoStoreLeftError, error_text, is_passing
from ..store_access import retrying, seen
from .catching_up import bring_pieces, missing_pieces
from .hooks import TaskHooks
from .preflight import check_sources, check_space, piece_size_for
from .previous import PreviousBundle
from .sources.files import FileSource
from .upload import Spool, Uploader

if TYPE_CHECKING:
    from ...core.bundle.sealing import Sealer

_TICK = 0.4
_RULES_SAID = 20


def sealer_to(recipients: list[str]) -> Sealer | None:
    """Return a sealer for some public keys; None if there are none."""
    if not recipients:
        return None
    # Imported late: most bundles are not sealed.
    from ...core.bundle.sealing import Sealer

    return Sealer(recipients)


def public(manifest: Manifest) -> Manifest:
    """Return a manifest as a store may show it to anybody."""
    if not manifest.sealed_to:
        return manifest
    shown = deepcopy(manifest)
    shown.forget_names()
    return shown


def _nothing(kind: str, digest: str, size: int) -> None:
    """Tell full bundles, which contain all their data, from incremental ones."""


class BackupTask:
    """Carries out one :class:`BackupOrder`."""

    def __init__(
        self,
        order: BackupOrder,
        host: HostConnection,
        connections: Connections,
        emitter: Emitter,
        stop: threading.Event,
    ) -> None:
        self._order, self._host, self._emitter, self._stop = order, host, emitter, stop
        self._connections = connections
        self._subject = order.subject.ref()
        self._spool = Path(order.spool)
        self._uploaders: list[Uploader] = []
        self._stores: list[RetryingStore] = []
        self._errors: dict[str, str] = {}
        #: Why the databases of an engine are not in the bundle, by its name.
        self._no_databases: dict[str, str] = {}
        #: Whether whatever failed may pass by itself.
        self._passing = True
        self._recorded: dict[str, RecordedCopies] = {}
        self._writer: BundleWriter | None = None
        self._bundle = ""
        #: The manifest as it goes to every store.
        self._bundle_json = b""
        self._piece_size = order.piece_size
        self._progress = Progress("preflight", total=order.expected_bytes)
        self._ticking = threading.Event()
        self._half = False
        self._sealer = sealer_to(order.seal_to)
        #: Whether this is a full bundle, be it that a store lacks what an incremental one builds
        #: on.
        self._before = PreviousBundle(order, host, self._spool)
        self._full = not self._before.usable
        self._around = TaskHooks(order.commands, order.hold_flags, host, emitter)

    def run(self) -> BackupResult:
        """Make the bundle. Raises ``FasciculusError`` or ``OSError`` if there is none."""
        self._spool.mkdir(parents=True, exist_ok=True, mode=0o700)
        order = self._order
        started = datetime.fromisoformat(order.started) if order.started else datetime.now(UTC)
        ticker = threading.Thread(target=self._tick, daemon=True)
        ticker.start()
        try:
            self._preflight(started)
            with self._around.task():
                manifest = self._pack(started)
                self._confirm(manifest)
            return self._finish(manifest)
        except NoStoreLeftError:
            for name, error in self._store_errors().items():
                self._emitter.emit(CopyResult(name, error))
            errors = " ".join(dict.fromkeys(self._errors.values()))
            kind = ConnectionLostError if self._passing else FasciculusError
            raise kind(errors or "No store took the bundle.") from None
        finally:
            self._ticking.set()
            ticker.join()
            self._clear_up()

    def _tick(self) -> None:
        while not self._ticking.wait(_TICK):
            self._emitter.emit(self._progress)

    def _stage(self, stage: str) -> None:
        self._progress.stage = stage
        self._emitter.emit(self._progress)

    # Preflight ---------------------------------------------------------------

    def _preflight(self, started: datetime) -> None:
        order = self._order
        self._stage("preflight")
        self._no_databases = check_sources(order, self._host, self._emitter.warn)
        for error in self._no_databases.values():
            self._emitter.error(f"databases: {error} Files and mail go in without them.")
        order.databases = [d for d in order.databases if d.engine not in self._no_databases]
        order.all_databases = order.all_databases and not self._no_databases
        order.compare = order.compare or (order.compare_by_sftp and not self._host.tells_ctime)
        self._piece_size = piece_size_for(order, self._spool, self._emitter.info)
        taken: set[str] = set()
        for store_order in order.stores:
            try:
                taken |= self._ready(store_order)
            except (FasciculusError, OSError) as error:
                self._fail_store(store_order.name, error)
        self._catch_up()
        if not self._uploaders:
            raise NoStoreLeftError
        self._bundle = layout.bundle_name(started, order.label or order.job, taken)
        self._emitter.info(
            f"{order.subject.kind} {order.subject.name}: making {self._bundle} of "
            f"{format_list(order.contents)} for {format_list([p.name for p in self._uploaders])}"
        )
        if self._before.lost and order.previous is not None:
            self._emitter.info(
                f"a full bundle: the listing of {order.previous.name} next to the records is "
                "damaged"
            )
        if order.hidden:
            self._emitter.info(order.hidden)
        if order.why_full:
            self._emitter.info(f"a full bundle: {order.why_full}")
        if order.compare and not self._full:
            self._emitter.info(
                "this time the contents of all files are compared, not their state alone"
            )
        if order.damaged:
            self._emitter.warn(
                f"{format_count(len(order.damaged), 'piece')} of earlier bundles is known to be "
                "damaged: "
                "what is in it is stored again"
            )

    def _ready(self, order: StoreOrder) -> set[str]:
        """Connect, check the mark, clear what an interrupted run left; returns names in use."""
        store = retrying(self._connections.store(order), order, self._stop, self._emitter.info)
        uploader = Uploader(store, self._subject, self._stop, self._pushed, order.reserve)
        store.connect()
        self._stores.append(store)
        check_ours(store, order.store_id, order.owner_id)
        recorded = self._recorded[order.name] = order.recorded_copies(
            self._subject, self._emitter.warn
        )
        for name in sweep(store, self._subject, recorded, self._spool):
            self._emitter.info(f"store {order.name}: cleared the half-written {name}")
        check_space(order, store.free(), self._order)
        self._uploaders.append(uploader)
        # A retired bundle's name must not come again while others still need its pieces.
        return {item.name for item in store.items(self._subject.bundles)} | {
            layout.bundle_of(item.name) for item in store.items(self._subject.pieces)
        }

    def _catch_up(self) -> None:
        """Bring to each store what it lacks of the previous bundle; where no store has all of it,
        this bundle is a full one.
        """
        previous = self._order.previous
        if previous is None or self._full:
            return
        needed = [piece for piece in previous.pieces if piece.name not in self._order.damaged]
        try:
            lacking = self._lacking(needed)
            whole = [one for one in self._uploaders if not lacking[one.name]]
            for uploader in [one for one in self._uploaders if lacking[one.name]]:
                self._bring(uploader, whole, lacking[uploader.name])
        except MissingError as error:
            self._full = True
            self._emitter.info(
                f"not every store holds all of {previous.name}, and {error.message} This bundle is "
                "a full one."
            )

    def _lacking(self, needed: list[PieceRecord]) -> dict[str, list[PieceRecord]]:
        """By store, those of some pieces that it lacks; one that cannot be looked at is out."""
        found = {}
        for uploader in list(self._uploaders):
            with self._costs_itself(uploader):
                found[uploader.name] = missing_pieces(uploader.store, self._subject, needed)
        return found

    def _bring(
        self, uploader: Uploader, sources: list[Uploader], pieces: list[PieceRecord]
    ) -> None:
        """Bring pieces to a store; one that does not take them is out."""
        stores = [source.store for source in sources]
        with self._costs_itself(uploader):
            count = bring_pieces(
                uploader, stores, self._subject, pieces, self._spool, self._met_damage
            )
            self._emitter.info(
                f"store {uploader.name} lacked {format_count(len(pieces), 'piece')} of the bundle "
                f"before: brought from {format_list([source.name for source in sources])}, "
                f"{format_size(count)}"
            )

    def _met_damage(self, store: Store) -> None:
        previous = self._order.previous
        self._emitter.emit(DamageMet(store.spec.name, previous.name if previous else ""))

    @contextmanager
    def _costs_itself(self, uploader: Uploader) -> Iterator[None]:
        """Let what a store cannot do put it out of this task, and nothing else; a piece that no
        store has is no fault of it.
        """
        try:
            yield
        except MissingError:
            raise
        except (FasciculusError, OSError) as error:
            self._fail_store(uploader.name, error)
            self._uploaders.remove(uploader)

    def _fail_store(self, name: str, error: Exception) -> None:
        self._errors[name] = error_text(error)
        self._passing = self._passing and is_passing(error)
        self._emitter.error(f"store {name}: {self._errors[name]}")

    # Packing and pushing -----------------------------------------------------

    def _pushed(self, count: int) -> None:
        self._progress.pushed += count

    def _seen(self, entries: int, count: int) -> None:
        self._progress.entries += entries
        self._progress.bytes += count

    def _packed(self, count: int) -> None:
        self._progress.packed += count

    def _pack(self, started: datetime) -> Manifest:
        order = self._order
        room = Spool(self._spool, order.spool_limit, self._piece_size, self._uploaders, self._stop)
        self._half = True
        # After the commands that go before the task, which may change files. It is a fork: before
        # more threads begin.
        if not self._full:
            self._before.look_ahead()
        for uploader in self._uploaders:
            uploader.start()
        partial = Path(order.listing).with_suffix(".part")
        partial.parent.mkdir(parents=True, exist_ok=True)
        with ExitStack() as stack:
            raw = stack.enter_context(partial.open("wb"))
            previous = None if self._full else stack.enter_context(self._before.listing())
            noting = self._before.noting(stack)
            states = None if self._full else self._before.states(stack)
            listing = ListingWriter(raw, noting, self._before.beginning())
            self._writer = writer = BundleWriter(
                self._bundle,
                codec(order.compression, order.level),
                room,
                listing,
                piece_size=self._piece_size,
                threads=order.threads,
                on_packed=self._packed,
                known=previous.holding if previous else _nothing,
                sealer=self._sealer,
            )
            file_source = FileSource(
                order,
                self._host,
                self._writer,
                self._emitter.warn,
                self._seen,
                previous,
                states,
                listing,
            )
            self._take(writer, file_source)
            self._report_excluded(file_source.result.excluded)
            self._stage("packing")
            pieces = self._all_pieces(writer)
            digest = listing.close()
            if noting is not None:
                noting.close(digest, listing.length)
        self._writer = None
        counts = {kind: writer.counts.get(kind, ContentsCount()) for kind in order.contents}
        for kind, lines in file_source.result.unreadable.items():
            counts.setdefault(kind, ContentsCount()).unreadable = lines
        manifest = self._manifest(started, counts)
        manifest.databases = file_source.result.databases
        manifest.pieces = pieces
        manifest.listing_bytes, manifest.listing_sha256 = listing.bytes, digest
        manifest.left_out = file_source.result.excluded
        return manifest

    def _take(self, writer: BundleWriter, file_source: FileSource) -> None:
        """Everything that the order asks for, kind after kind."""
        order, warn = self._order, self._emitter.warn
        if "files" in order.contents:
            self._stage("files")
            file_source.files()
        if "databases" in order.contents and (order.databases or order.all_databases):
            from .sources.databases import DatabaseSource

            self._stage("databases")
            DatabaseSource(order, self._host, writer, file_source, warn, self._seen).run()
        if "mail" in order.contents and order.mail and order.mail.domains:
            from .sources.mail import MailSource

            self._stage("mail")
            MailSource(order.mail, self._host, writer, file_source, warn, self._seen).run()
        if {"system", "notes"} & set(order.contents):
            self._settings(file_source)

    def _manifest(self, started: datetime, counts: dict[str, ContentsCount]) -> Manifest:
        """Return what is known of the bundle before its pieces."""
        order = self._order
        began = started.isoformat(timespec="seconds")
        builds_on = None if self._full else order.previous
        return Manifest(
            name=self._bundle,
            subject_kind=self._subject.kind,
            subject=self._subject.name,
            job=order.job,
            run=str(order.run),
            host=order.subject.host,
            started=began,
            writer=order.writer,
            brings="full" if self._full else "incremental",
            base=began if builds_on is None else builds_on.base,
            compression=order.compression,
            contents=counts,
            warnings=self._emitter.warnings,
            origin=SubjectRecord(
                order.subject.root,
                order.subject.account,
                order.subject.site_roots,
                order.mail.domains if order.mail else [],
            ),
        )

    def _settings(self, file_source: FileSource) -> None:
        # Imported late, like that of mail: a start costs time, and most nights are short.
        from .sources.system import SystemSource

        assert self._writer is not None
        settings = SystemSource(
            self._order, self._host, self._writer, file_source, self._emitter.warn, self._seen
        )
        for kind, gather in (("system", settings.system), ("notes", settings.notes)):
            if kind in self._order.contents:
                self._stage(kind)
                gather()

    def _all_pieces(self, writer: BundleWriter) -> list[PieceRecord]:
        """Return the pieces that the bundle needs: those of earlier bundles first, then its own."""
        own = writer.finish()
        for piece in own:
            piece.holds = piece.used = writer.used[piece.name]
        brought = {piece.name for piece in own}
        before = [
            replace(piece, brought=False, used=writer.used[piece.name])
            for piece in (self._order.previous.pieces if self._order.previous is not None else [])
            if writer.used[piece.name] and piece.name not in brought
        ]
        return before + own

    def _report_excluded(self, excluded: dict[str, ExcludedCount]) -> None:
        for rule, count in sorted(excluded.items(), key=lambda row: -row[1].bytes)[:_RULES_SAID]:
            self._emitter.info(
                f"left out by {rule}: {format_count(count.entries, 'entry', 'entries')}"
                + (f", {format_size(count.bytes)}" if count.bytes else "")
            )

    # Confirming --------------------------------------------------------------

    def _confirm(self, manifest: Manifest) -> None:
        self._stage("sending")
        listing = Path(self._order.listing).with_suffix(".part")
        for uploader in self._uploaders:
            uploader.join()
        self._stage("confirming")
        manifest.ended = datetime.now(UTC).isoformat(timespec="seconds")
        manifest.shorten()
        put = self._listing_to_put(manifest, listing)
        self._bundle_json = public(manifest).to_json(self._order.stores[0].key)
        for uploader in self._uploaders:
            if uploader.failure is None:
                try:
                    self._complete(uploader, manifest, put)
                except Exception as error:
                    uploader.failure = error
            if uploader.failure is not None:
                self._fail_store(uploader.name, uploader.failure)
                self._take_back(uploader)
        if all(uploader.failure is not None for uploader in self._uploaders):
            listing.unlink(missing_ok=True)
            raise NoStoreLeftError
        listing.rename(self._order.listing)
        if self._order.manifest:
            # The copies are complete: a full disk here must not make a failure of them.
            with suppress(OSError):
                Path(self._order.manifest).write_bytes(self._bundle_json)
        self._half = False

    def _listing_to_put(self, manifest: Manifest, listing: Path) -> Path:
        """Return the listing as it goes to the stores, sealed where the pieces are."""
        if not is_listing_of(listing, manifest):
            raise DamagedError(
                "The listing was altered on this machine's disk.", "Check that disk and the memory."
            )
        if self._sealer is None:
            return listing
        sealed = self._spool / "listing.age"
        manifest.sealed_listing = StoredFile(*self._sealer.seal(listing, sealed))
        manifest.sealed_to = self._sealer.recipients
        manifest.listing += ".age"
        return sealed

    def _complete(self, uploader: Uploader, manifest: Manifest, listing: Path) -> None:
        """All that makes the copy whole; ``bundle.json`` is the very last."""
        store, folder = uploader.store, self._subject.bundle(self._bundle)
        path = f"{folder}/{manifest.listing}"
        # A folder store may take the very file that is put: the one next to the records must be
        # another.
        copy = self._spool / f"listing-for-{uploader.name}"
        shutil.copyfile(listing, copy)
        store.put(copy, path, lambda count: None)
        copy.unlink(missing_ok=True)
        stored = manifest.stored_listing
        confirm(store, path, stored.bytes, stored.sha256)
        held = {item.name: item.size for item in store.items(self._subject.pieces)}
        # Those of earlier bundles too: nobody may have removed one meanwhile.
        for piece in manifest.pieces:
            if held.get(piece.name) != piece.bytes:
                raise DamagedError(
                    f"{piece.name} is not whole on store “{uploader.name}”.",
                    "Something else removes files there; the next run sends everything again.",
                )
        store.put_bytes(manifest.sums(), f"{folder}/{layout.SUMS}")
        store.put_bytes(self._bundle_json, f"{folder}/{layout.MANIFEST}")

    def _take_back(self, uploader: Uploader) -> None:
        """Remove this task's files from a failing store; otherwise the next run's sweep does."""
        with suppress(FasciculusError, OSError, EOFError):
            remove_bundle(uploader.store, self._subject, self._bundle)
            sweep(uploader.store, self._subject, self._recorded[uploader.name], self._spool)

    def _store_errors(self) -> dict[str, str]:
        for uploader in self._uploaders:
            if uploader.failure is not None and uploader.name not in self._errors:
                self._fail_store(uploader.name, uploader.failure)
        return self._errors

    # Retiring and the end ----------------------------------------------------

    def _finish(self, manifest: Manifest) -> BackupResult:
        # Before retiring: the service forgets the listing of what is retired.
        summary = manifest.summary(hashlib.sha256(self._bundle_json).hexdigest())
        summary.changes = self._changes(manifest)
        self._stage("retiring")
        unusual = self._unusual(manifest, summary.changes)
        # The copies before may also be the last ones that have the databases.
        retires = not (self._no_databases or unusual)
        orders = {store.name: store for store in self._order.stores}
        for name, error in self._errors.items():
            self._emitter.emit(CopyResult(name, error))
        for uploader in self._uploaders:
            if uploader.failure is None:
                kept = 0
                if not retires:
                    self._emitter.emit(CopyResult(uploader.name, kept=kept))
                    continue
                try:
                    target = orders[uploader.name]
                    kept = retire(
                        uploader.store,
                        self._subject,
                        [*target.known, self._bundle],
                        keep_of(target, self._bundle if self._order.label else ""),
                        partial(self._retired, uploader.name),
                        self._recorded[uploader.name],
                        self._spool,
                    )
                except (FasciculusError, OSError) as error:
                    self._emitter.warn(
                        f"store {uploader.name}: retiring did not finish: "
                        f"{error_text(error)} The next run tries it again."
                    )
                self._emitter.emit(CopyResult(uploader.name, kept=kept))
        outcome: Outcome = (
            "partial"
            if self._errors or self._no_databases
            else "warned"
            if self._emitter.warnings
            else "done"
        )
        self._emitter.info(
            f"{self._bundle}: {format_count(manifest.entries, 'entry', 'entries')}, "
            f"{format_size(manifest.bytes)}, {manifest.brings}: {format_size(manifest.packed)} "
            "packed in "
            f"{format_count(sum(piece.brought for piece in manifest.pieces), 'new piece')}"
        )
        return BackupResult(
            outcome=outcome,
            error=" ".join([*self._errors.values(), *self._no_databases.values()]),
            bundle=self._bundle,
            entries=manifest.entries,
            bytes=manifest.bytes,
            packed=manifest.packed,
            manifest=summary,
            unusual=unusual,
        )

    def _unusual(self, manifest: Manifest, changes: DiffCounts | UnsetType) -> str:
        """Why older copies may not retire, as a clause: so much changed that they may be the last
        ones before malware encrypted the files.
        """
        if isinstance(changes, UnsetType):
            return ""
        count = changes.new + changes.changed + changes.gone
        order = self._order
        words = unusual_changes(count, manifest.entries, order.usual_changes, order.most_changes)
        if words:
            self._emitter.warn(
                f"{words}. No older copy retires until this is acknowledged (alerts)."
            )
        return words

    def _retired(self, store: str, bundle: str) -> None:
        self._emitter.emit(CopyRetired(store, bundle))
        self._emitter.info(f"store {store}: retired {bundle}")

    def _changes(self, manifest: Manifest) -> DiffCounts | UnsetType:
        """Return how the bundle differs from the previous one, for the records; never what makes a
        complete bundle fail."""
        try:
            changes = self._before.changes(manifest.listing_sha256)
        except (DamagedError, OSError) as error:
            self._emitter.info(
                f"the changes since the previous bundle are unknown: {error_text(error)}"
            )
            return UNSET
        if changes is None:
            return UNSET
        self._emitter.info(
            f"since the previous bundle: {changes.new:,} new, {changes.changed:,} changed, "
            f"{changes.gone:,} gone"
        )
        return changes

    def _clear_up(self) -> None:
        """In any case: leave no thread, no spooled piece and no half-written copy."""
        self._before.close()
        if self._writer is not None:
            self._writer.abandon()
        ended = [uploader.join(timeout=20) for uploader in self._uploaders]
        if self._half:
            for uploader, idle in zip(self._uploaders, ended, strict=True):
                if idle:
                    self._take_back(uploader)
            Path(self._order.listing).with_suffix(".part").unlink(missing_ok=True)
        for store in self._stores:
            self._emitter.emit(seen(store))
        shutil.rmtree(self._spool, ignore_errors=True)


def keep_of(store: StoreOrder, own: str = "") -> StoreKeep:
    """Return the keep rule's inputs on a store; ``own`` is a bundle with its own time to keep."""
    return StoreKeep(
        retention.parse(store.keep),
        schedule.zone(store.keep_zone),
        {*store.pinned, own},
        set(store.unsound),
    )
