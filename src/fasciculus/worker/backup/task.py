"""Executes a backup order, stage by stage."""

from __future__ import annotations

import shutil
import threading
from datetime import UTC, datetime
from pathlib import Path

from ...contracts.events import CopyResult
from ...contracts.orders import BackupOrder
from ...contracts.results import BackupResult
from ...core.bundle import layout
from ...core.errors import ConnectionLostError, FasciculusError
from ...core.formatting import format_count, format_list
from ...hosts.base import HostConnection
from ..connections import Connections
from ..emitter import Emitter
from ..errors import NoStoreLeftError
from ..task_hooks import TaskHooks
from .confirming import Confirming
from .context import BackupContext
from .finishing import Finishing
from .packing import Packing
from .preflight import check_sources, piece_size_for
from .stores import BackupStores


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
        self._task = BackupContext(order, host, emitter, stop)
        self._stores = BackupStores(self._task, connections)
        self._packing = Packing(self._task, self._stores)
        self._around = TaskHooks(order.commands, order.hold_flags, host, emitter)

    def run(self) -> BackupResult:
        """Make the bundle. Raises ``FasciculusError`` or ``OSError`` if there is none."""
        self._task.spool.mkdir(parents=True, exist_ok=True, mode=0o700)
        order = self._task.order
        started = datetime.fromisoformat(order.started) if order.started else datetime.now(UTC)
        try:
            with self._task.ticking():
                self._preflight(started)
                with self._around.task():
                    manifest = self._packing.run(started)
                    Confirming(self._task, self._stores).run(manifest)
                return Finishing(self._task, self._stores).run(manifest)
        except NoStoreLeftError:
            raise self._no_store() from None
        finally:
            self._clear_up()

    def _no_store(self) -> FasciculusError:
        """Return why no store took the bundle."""
        for name, error in self._stores.all_errors().items():
            self._task.emitter.emit(CopyResult(name, error))
        errors = " ".join(dict.fromkeys(self._stores.errors.values()))
        kind = ConnectionLostError if self._stores.passing else FasciculusError
        return kind(errors or "No store took the bundle.")

    def _preflight(self, started: datetime) -> None:
        order = self._task.order
        self._task.stage("preflight")
        self._task.no_databases = check_sources(order, self._task.host, self._task.emitter.warn)
        for error in self._task.no_databases.values():
            self._task.emitter.error(f"databases: {error} Files and mail go in without them.")
        order.databases = [d for d in order.databases if d.engine not in self._task.no_databases]
        order.all_databases = order.all_databases and not self._task.no_databases
        order.compare = order.compare or (order.compare_by_sftp and not self._task.host.tells_ctime)
        self._task.piece_size = piece_size_for(order, self._task.spool, self._task.emitter.info)
        taken = set(order.taken)
        for store_order in order.stores:
            try:
                taken |= self._stores.ready(store_order)
            except (FasciculusError, OSError) as error:
                self._stores.fail(store_order.name, error)
        self._stores.catch_up()
        if not self._stores.uploaders:
            raise NoStoreLeftError
        self._task.bundle = layout.bundle_name(started, order.label or order.job, taken)
        self._task.emitter.info(
            f"{order.subject.kind} {order.subject.name}: making {self._task.bundle} of "
            f"{format_list(order.contents)} for "
            f"{format_list([one.name for one in self._stores.uploaders])}"
        )
        if self._task.before.lost and order.previous is not None:
            self._task.emitter.info(
                f"a full bundle: the listing of {order.previous.name} next to the records is "
                "damaged"
            )
        if order.hidden:
            self._task.emitter.info(order.hidden)
        if order.why_full:
            self._task.emitter.info(f"a full bundle: {order.why_full}")
        if order.compare and not self._task.full:
            self._task.emitter.info(
                "this time the contents of all files are compared, not their state alone"
            )
        if order.damaged:
            self._task.emitter.warn(
                f"{format_count(len(order.damaged), 'piece')} of earlier bundles is known to be "
                "damaged: "
                "what is in it is stored again"
            )

    def _clear_up(self) -> None:
        """In any case: leave no thread, no spooled piece and no half-written copy."""
        self._task.before.close()
        self._packing.abandon()
        self._stores.close()
        if self._task.half_made:
            Path(self._task.order.listing).with_suffix(".part").unlink(missing_ok=True)
        shutil.rmtree(self._task.spool, ignore_errors=True)
