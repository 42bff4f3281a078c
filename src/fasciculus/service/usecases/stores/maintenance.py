"""Maintenance of copies, what is damaged, how bundles differ, how subjects grow."""

from __future__ import annotations

from ....core.errors import AlreadyEndedError
from ....models import (
    DamageRow,
    Growth,
    LogLine,
    MaintenanceStarted,
    MaintenanceTask,
    Page,
    RepackStart,
    RepairStart,
    RetireStart,
    SealStart,
    Transfer,
    TransferStart,
    VerifyStart,
)
from ....models.queries import (
    DamageQuery,
    GrowthQuery,
    LogQuery,
    MaintenanceQuery,
    TransfersQuery,
)
from ....records import transfers
from ....records.bundles import damage, usage
from ....records.paging import page_request
from ....records.runs import log_lines, maintenance
from ....records.runs.maintenance import MaintenanceOptions
from ... import outside
from ...stores.store_work import check_store
from ...tasks.orders.retiring import StoreCredentials, retiring_store
from ..caller import Caller


def _start(
    caller: Caller,
    kind: str,
    doing: str,
    store: str,
    subject: str = "",
    bundle: int | None = None,
    options: MaintenanceOptions = MaintenanceOptions(),
) -> MaintenanceStarted:
    """Start maintenance of a store, of one subject alone where that is given. The audit log has
    what is being done; measuring alone changes nothing and is not noted.
    """
    ids = caller.service.tasks.start_maintenance(kind, store, caller.name, subject, bundle, options)
    if not options.dry_run:
        caller.note(f"started {doing}", f"store {store}" + (f", {subject}" if subject else ""))
    return MaintenanceStarted(ids=ids)


def stores_verify(caller: Caller, name: str, body: VerifyStart) -> MaintenanceStarted:
    """Look whether the copies on a store are whole."""
    options = MaintenanceOptions(deep=body.deep)
    return _start(caller, "verify", "verifying", name, body.subject, body.bundle, options)


def stores_repair(caller: Caller, name: str, body: RepairStart) -> MaintenanceStarted:
    """Repair damaged files from intact copies on other stores."""
    return _start(caller, "repair", "repairing", name, body.subject)


def stores_repack(caller: Caller, name: str, body: RepackStart) -> MaintenanceStarted:
    """Repack: rewrite pieces without unused data."""
    options = MaintenanceOptions(over=body.over, dry_run=body.dry_run)
    return _start(caller, "repack", "repacking", name, body.subject, options=options)


def stores_transfer(caller: Caller, name: str, body: TransferStart) -> MaintenanceStarted:
    """Bring bundles that a store lacks from other stores."""
    options = MaintenanceOptions(source=body.source, move=body.move)
    doing = "moving bundles" if body.move else "copying bundles"
    return _start(caller, "transfer", doing, name, body.subject, options=options)


def stores_seal(caller: Caller, name: str, body: SealStart) -> MaintenanceStarted:
    """Seal what a store holds to its public keys, or open it where it has none."""
    return _start(caller, "reseal", "sealing", name, body.subject)


def stores_retire(caller: Caller, name: str, body: RetireStart) -> MaintenanceStarted:
    """Retire the copies on an append-only store, with separate credentials."""
    given = StoreCredentials(body.settings, body.secrets)
    outside.call(check_store, retiring_store(caller.order_inputs(), name, given))
    ids = caller.service.tasks.start_maintenance(
        "retire", name, caller.name, body.subject, credentials=given
    )
    caller.note("started retiring", f"store {name}" + (f", {body.subject}" if body.subject else ""))
    return MaintenanceStarted(ids=ids)


def stores_import(caller: Caller, name: str) -> MaintenanceStarted:
    """Take all bundles that a store holds into the records."""
    return _start(caller, "import", "importing", name)


def stores_transfers(caller: Caller, name: str, query: TransfersQuery) -> Page[Transfer]:
    """Return transfers to a store from other stores, newest first."""
    return transfers.transfers(caller.reader, page_request(query), name, query.day)


def maintenance_list(caller: Caller, query: MaintenanceQuery) -> Page[MaintenanceTask]:
    """Return maintenance, newest first."""
    page = maintenance.tasks(
        caller.reader,
        page_request(query),
        query.kind,
        query.store,
        query.subject,
        query.state,
    )
    page.items = [caller.service.tasks.maintenance_with_progress(row) for row in page.items]
    return page


def maintenance_show(caller: Caller, maintenance_id: int) -> MaintenanceTask:
    """Return one maintenance task."""
    return caller.service.tasks.maintenance_with_progress(
        maintenance.task(caller.reader, maintenance_id)
    )


def maintenance_cancel(caller: Caller, maintenance_id: int) -> MaintenanceTask:
    """Cancel a maintenance task; every copy stays intact."""
    if maintenance_show(caller, maintenance_id).state == "ended":
        raise AlreadyEndedError(
            f"Maintenance {maintenance_id} has ended already.", "There is nothing to cancel."
        )
    caller.service.tasks.cancel_maintenance(maintenance_id)
    caller.note("cancelled maintenance", str(maintenance_id))
    return maintenance_show(caller, maintenance_id)


def maintenance_log(caller: Caller, maintenance_id: int, query: LogQuery) -> Page[LogLine]:
    """Return the log of maintenance."""
    maintenance_show(caller, maintenance_id)
    return log_lines.lines(
        caller.reader,
        caller.scope,
        page_request(query),
        "maintenance_id",
        maintenance_id,
        query.level,
        query.q,
    )


def damage_list(caller: Caller, query: DamageQuery) -> Page[DamageRow]:
    """Return files on stores that are missing or altered, and what they harm."""
    return damage.rows(
        caller.reader, caller.scope, page_request(query), query.store, query.subject, query.kind
    )


def growth_show(caller: Caller, query: GrowthQuery) -> Growth:
    """Return growth of a subject, and its space on each store."""
    return usage.growth(caller.reader, caller.scope, query.subject, query.kind)
