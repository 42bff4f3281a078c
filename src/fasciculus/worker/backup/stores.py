"""The stores of one backup: connected, brought up to date, or put out of the task."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager, suppress
from datetime import UTC, datetime

from ...bundles.present import Present, look
from ...bundles.recorded_copies import RecordedCopies
from ...bundles.retiring import clear_interrupted, remove_bundle, sweep
from ...contracts.events import DamageMet
from ...contracts.orders import StoreOrder
from ...core.bundle import layout
from ...core.bundle.manifest import (
    PieceRecord,
)
from ...core.errors import FasciculusError, MissingError
from ...core.formatting import format_count, format_list, format_size
from ...stores.base import Store
from ...stores.identity import check_ours
from ...stores.retrying import RetryingStore
from ..connections import Connections
from ..errors import error_text, is_passing
from ..found_bundles import found_bundle
from ..store_access import retrying, seen
from .catching_up import bring_pieces, missing_pieces
from .context import BackupContext
from .preflight import check_space
from .upload import Uploader

#: How many bundles of lost tasks are looked at; there is hardly ever one.
_MOST_UNKNOWN = 3


class BackupStores:
    """The stores that take part, each with its uploader; what one cannot do costs it alone."""

    def __init__(self, task: BackupContext, connections: Connections) -> None:
        self._task, self._connections = task, connections
        self.uploaders: list[Uploader] = []
        self._opened: list[RetryingStore] = []
        #: What went wrong, by store.
        self.errors: dict[str, str] = {}
        #: Whether whatever failed may pass by itself.
        self.passing = True
        self.recorded: dict[str, RecordedCopies] = {}
        #: What each store held of the subject at first.
        self.present: dict[str, Present] = {}

    def ready(self, order: StoreOrder) -> set[str]:
        """Connect, check the mark, clear what an interrupted run left; returns names in use."""
        store = retrying(
            self._connections.store(order), order, self._task.stop, self._task.emitter.info
        )
        uploader = Uploader(
            store, self._task.subject, self._task.stop, self._task.pushed, order.reserve
        )
        store.connect()
        self._opened.append(store)
        self._check_ours(store, order)
        recorded = self.recorded[order.name] = order.recorded_copies(
            self._task.subject, self._task.emitter.warn
        )
        present = self.present[order.name] = self._cleared(store, order)
        check_space(order, store.free(), self._task.order)
        self.uploaders.append(uploader)
        unknown = [name for name in present.manifests if name not in recorded]
        self._tell_of_unknown(store, order, unknown)
        # A retired bundle's name must not come again while others still need its pieces.
        return {*present.manifests, *map(layout.bundle_of, present.pieces)}

    def _check_ours(self, store: RetryingStore, order: StoreOrder) -> None:
        """Check that it is the expected store, and ours."""
        try:
            check_ours(store, order.store_id, order.owner_id)
        except MissingError:
            # It may have been connected since an earlier task: connecting again says whether its
            # folder is there.
            store.close()
            store.connect()
            raise

    def _cleared(self, store: RetryingStore, order: StoreOrder) -> Present:
        """Remove what interrupted runs left, where that can be; return what the store holds."""
        subject, recorded = self._task.subject, self.recorded[order.name]
        if order.append_only:
            return look(store, subject)
        today = datetime.now(UTC).toordinal()
        removed, present = clear_interrupted(store, subject, recorded, self._task.spool, today)
        for name in removed:
            self._task.emitter.info(f"store {order.name}: cleared the half-written {name}")
        return present

    def _tell_of_unknown(self, store: Store, order: StoreOrder, names: list[str]) -> None:
        """Report whole bundles of this service that the records lack: those of tasks whose end was
        lost, since they are newer than all that is known.
        """
        newest = max((copy.name for copy in order.recorded), default="")
        for name in [name for name in names if name > newest][-_MOST_UNKNOWN:]:
            with suppress(FasciculusError):
                found = found_bundle(store, self._task.subject, name, order.key)
                if found.vouched:
                    self._task.emitter.emit(found)
                    self._task.emitter.info(f"store {order.name}: {name} was whole, and unknown")

    def catch_up(self) -> None:
        """Bring to each store what it lacks of the previous bundle; where no store has all of it,
        this bundle is a full one.
        """
        previous = self._task.order.previous
        if previous is None or self._task.full:
            return
        needed = [piece for piece in previous.pieces if piece.name not in self._task.order.damaged]
        try:
            lacking = self._lacking(needed)
            whole = [one for one in self.uploaders if not lacking[one.name]]
            for uploader in [one for one in self.uploaders if lacking[one.name]]:
                self._bring(uploader, whole, lacking[uploader.name])
        except MissingError as error:
            self._task.full = True
            self._task.emitter.info(
                f"not every store holds all of {previous.name}, and {error.message} This bundle is "
                "a full one."
            )

    def _lacking(self, needed: list[PieceRecord]) -> dict[str, list[PieceRecord]]:
        """By store, those of some pieces that it lacks; one that cannot be looked at is out."""
        found = {}
        for uploader in list(self.uploaders):
            with self._costs_itself(uploader):
                found[uploader.name] = missing_pieces(self.present[uploader.name].pieces, needed)
        return found

    def _bring(
        self, uploader: Uploader, sources: list[Uploader], pieces: list[PieceRecord]
    ) -> None:
        """Bring pieces to a store; one that does not take them is out."""
        stores = [source.store for source in sources]
        with self._costs_itself(uploader):
            count = bring_pieces(
                uploader, stores, self._task.subject, pieces, self._task.spool, self._met_damage
            )
            self._task.emitter.info(
                f"store {uploader.name} lacked {format_count(len(pieces), 'piece')} of the bundle "
                f"before: brought from {format_list([source.name for source in sources])}, "
                f"{format_size(count)}"
            )

    def _met_damage(self, store: Store) -> None:
        previous = self._task.order.previous
        self._task.emitter.emit(DamageMet(store.spec.name, previous.name if previous else ""))

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
            self.fail(uploader.name, error)
            self.uploaders.remove(uploader)

    def fail(self, name: str, error: Exception) -> None:
        """Record that a store failed."""
        self.errors[name] = error_text(error)
        self.passing = self.passing and is_passing(error)
        self._task.emitter.error(f"store {name}: {self.errors[name]}")

    def take_back(self, uploader: Uploader) -> None:
        """Remove this task's files from a failing store; otherwise the next run's sweep does."""
        with suppress(FasciculusError, OSError, EOFError):
            remove_bundle(uploader.store, self._task.subject, self._task.bundle)
            sweep(
                uploader.store, self._task.subject, self.recorded[uploader.name], self._task.spool
            )

    def all_errors(self) -> dict[str, str]:
        """Return the errors by store."""
        for uploader in self.uploaders:
            if uploader.failure is not None and uploader.name not in self.errors:
                self.fail(uploader.name, uploader.failure)
        return self.errors

    def close(self) -> None:
        """Leave no thread and no half-written copy."""
        ended = [uploader.join(timeout=20) for uploader in self.uploaders]
        if self._task.half_made:
            for uploader, idle in zip(self.uploaders, ended, strict=True):
                if idle:
                    self.take_back(uploader)
        for store in self._opened:
            self._task.emitter.emit(seen(store))
