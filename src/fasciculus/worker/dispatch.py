"""The task for each kind of order."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from contextlib import closing, contextmanager
from pathlib import Path

from ..contracts.events import DamageMet
from ..contracts.orders import (
    BackupOrder,
    DropOrder,
    ImportOrder,
    Order,
    PreviewOrder,
    RecoverOrder,
    ReleaseOrder,
    RepackOrder,
    RepairOrder,
    ResealOrder,
    RestoreOrder,
    RetireOrder,
    TransferOrder,
    UndoOrder,
    VerifyOrder,
)
from ..contracts.results import AnyResult, ReleaseResult
from ..core.errors import DamagedError
from ..hosts import open_host
from .connections import Connections
from .emitter import Emitter


def carry_out(
    order: Order, emitter: Emitter, stop: threading.Event, connections: Connections
) -> AnyResult:
    """Carry out an order. Raises ``FasciculusError`` or ``OSError`` when that fails."""
    # Each task is imported on use: a process that executes one order should
    # not wait for the others.
    match order:
        case VerifyOrder():
            from .maintenance.verify import VerifyTask

            return VerifyTask(order, emitter, stop).run()
        case RepairOrder():
            from .maintenance.repair import RepairTask

            return RepairTask(order, emitter, stop).run()
        case RepackOrder():
            from .maintenance.repack import RepackTask

            with _damage_told(order, emitter):
                return RepackTask(order, emitter, stop).run()
        case TransferOrder():
            from .maintenance.transfer import TransferTask

            return TransferTask(order, emitter, stop).run()
        case RetireOrder():
            from .maintenance.retiring import RetireTask

            return RetireTask(order, emitter, stop).run()
        case ResealOrder():
            from .maintenance.resealing import ResealTask

            with _damage_told(order, emitter):
                return ResealTask(order, emitter, stop).run()
        case ImportOrder():
            from .maintenance.importing import ImportTask

            return ImportTask(order, emitter, stop).run()
        case BackupOrder():
            from .backup.task import BackupTask

            try:
                host = connections.host(order.host, Path(order.spool))
                return BackupTask(order, host, connections, emitter, stop).run()
            finally:
                connections.release()
        case _:
            return _on_host(order, emitter, stop)


@contextmanager
def _damage_told(order: RepackOrder | ResealOrder, emitter: Emitter) -> Iterator[None]:
    """Report damage that ends maintenance, so that it is verified and repaired."""
    try:
        yield
    except DamagedError:
        emitter.emit(DamageMet(order.store.name))
        raise


def _on_host(
    order: RestoreOrder | PreviewOrder | ReleaseOrder | RecoverOrder | UndoOrder | DropOrder,
    emitter: Emitter,
    stop: threading.Event,
) -> AnyResult:
    with closing(open_host(order.host.spec(), Path(order.spool))) as host:
        match order:
            case RestoreOrder():
                from .restore.task import RestoreTask

                return RestoreTask(order, host, emitter, stop).run()
            case PreviewOrder():
                from .preview import PreviewTask

                return PreviewTask(order, host, emitter).run()
            case RecoverOrder() | UndoOrder() | DropOrder():
                from .restore.in_place.side import SideTask

                return SideTask(order, host, emitter).run()
            case ReleaseOrder():
                from .task_hooks import release

                release(host, order.hold_flags, emitter)
                return ReleaseResult(outcome="warned" if emitter.warnings else "done")
