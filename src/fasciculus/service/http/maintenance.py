"""Maintenance of copies, what is damaged, how bundles differ, how subjects grow."""

from __future__ import annotations

from collections.abc import Iterator

from ...core.bundle.diff import Difference, differences
from ...core.bundle.entry import to_text
from ...core.bundle.listing import read_lines
from ...core.errors import AlreadyEndedError, SettingError
from ...core.permissions import Permission
from ...models import (
    BundleChange,
    DamageRow,
    Growth,
    LogLine,
    MaintenanceStarted,
    MaintenanceTask,
    Page,
    RepackStart,
    RepairStart,
    SealStart,
    Transfer,
    TransferStart,
    VerifyStart,
)
from ...models.queries import (
    ChangesQuery,
    DamageQuery,
    GrowthQuery,
    LogQuery,
    MaintenanceQuery,
    TransfersQuery,
)
from ...records import bundles, damage, log_lines, maintenance, transfers, usage
from ...records.maintenance import MaintenanceOptions
from ...records.paging import page_counted
from ..bundle_listings import listing_of
from ..context import context
from ..operations import operation, page_request, principal
from .auth import note


def _start(
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
    ids = context().tasks.start_maintenance(kind, store, principal().name, subject, bundle, options)
    if not options.dry_run:
        note(f"started {doing}", f"store {store}" + (f", {subject}" if subject else ""))
    return MaintenanceStarted(ids=ids)


@operation(
    "POST",
    "/stores/{name}/verify",
    "Look whether the copies on a store are whole",
    Permission.OPERATE,
    body=VerifyStart,
    response=MaintenanceStarted,
    status=202,
)
def stores_verify(name: str, body: VerifyStart) -> MaintenanceStarted:
    options = MaintenanceOptions(deep=body.deep)
    return _start("verify", "verifying", name, body.subject, body.bundle, options)


@operation(
    "POST",
    "/stores/{name}/repair",
    "Repair damaged files from intact copies on other stores",
    Permission.OPERATE,
    body=RepairStart,
    response=MaintenanceStarted,
    status=202,
    former=("/stores/{name}/mend",),
)
def stores_repair(name: str, body: RepairStart) -> MaintenanceStarted:
    return _start("repair", "repairing", name, body.subject)


@operation(
    "POST",
    "/stores/{name}/repack",
    "Repack: rewrite pieces without unused data",
    Permission.OPERATE,
    body=RepackStart,
    response=MaintenanceStarted,
    status=202,
)
def stores_repack(name: str, body: RepackStart) -> MaintenanceStarted:
    options = MaintenanceOptions(over=body.over, dry_run=body.dry_run)
    return _start("repack", "repacking", name, body.subject, options=options)


@operation(
    "POST",
    "/stores/{name}/transfer",
    "Bring bundles that a store lacks from other stores",
    Permission.OPERATE,
    body=TransferStart,
    response=MaintenanceStarted,
    status=202,
)
def stores_transfer(name: str, body: TransferStart) -> MaintenanceStarted:
    options = MaintenanceOptions(source=body.source, move=body.move)
    doing = "moving bundles" if body.move else "copying bundles"
    return _start("transfer", doing, name, body.subject, options=options)


@operation(
    "POST",
    "/stores/{name}/seal",
    "Seal what a store holds to its public keys, or open it where it has none",
    Permission.ADMINISTER,
    body=SealStart,
    response=MaintenanceStarted,
    status=202,
)
def stores_seal(name: str, body: SealStart) -> MaintenanceStarted:
    return _start("reseal", "sealing", name, body.subject)


@operation(
    "POST",
    "/stores/{name}/import",
    "Take all bundles that a store holds into the records",
    Permission.ADMINISTER,
    response=MaintenanceStarted,
    status=202,
)
def stores_import(name: str) -> MaintenanceStarted:
    return _start("import", "importing", name)


@operation(
    "GET",
    "/stores/{name}/transfers",
    "Transfers to a store from other stores, newest first",
    Permission.VIEW,
    query=TransfersQuery,
    response=Page[Transfer],
)
def stores_transfers(name: str, query: TransfersQuery) -> Page[Transfer]:
    return transfers.transfers(context().records.reader, page_request(query), name, query.day)


@operation(
    "GET",
    "/maintenance",
    "Maintenance, newest first",
    Permission.VIEW,
    response=Page[MaintenanceTask],
    query=MaintenanceQuery,
)
def maintenance_list(query: MaintenanceQuery) -> Page[MaintenanceTask]:
    page = maintenance.tasks(
        context().records.reader,
        page_request(query),
        query.kind,
        query.store,
        query.subject,
        query.state,
    )
    page.items = [context().tasks.maintenance_with_progress(row) for row in page.items]
    return page


@operation(
    "GET",
    "/maintenance/{maintenance_id}",
    "One maintenance task",
    Permission.VIEW,
    response=MaintenanceTask,
)
def maintenance_show(maintenance_id: int) -> MaintenanceTask:
    return context().tasks.maintenance_with_progress(
        maintenance.task(context().records.reader, maintenance_id)
    )


@operation(
    "POST",
    "/maintenance/{maintenance_id}/cancel",
    "Cancel a maintenance task; every copy stays intact",
    Permission.OPERATE,
    response=MaintenanceTask,
    status=202,
)
def maintenance_cancel(maintenance_id: int) -> MaintenanceTask:
    if maintenance_show(maintenance_id).state == "ended":
        raise AlreadyEndedError(
            f"Maintenance {maintenance_id} has ended already.", "There is nothing to cancel."
        )
    context().tasks.cancel_maintenance(maintenance_id)
    note("cancelled maintenance", str(maintenance_id))
    return maintenance_show(maintenance_id)


@operation(
    "GET",
    "/maintenance/{maintenance_id}/log",
    "The log of maintenance",
    Permission.VIEW,
    response=Page[LogLine],
    query=LogQuery,
)
def maintenance_log(maintenance_id: int, query: LogQuery) -> Page[LogLine]:
    maintenance_show(maintenance_id)
    return log_lines.lines(
        context().records.reader,
        page_request(query),
        "maintenance_id",
        maintenance_id,
        query.level,
        query.q,
    )


@operation(
    "GET",
    "/damage",
    "Files on stores that are missing or altered, and what they harm",
    Permission.VIEW,
    response=Page[DamageRow],
    query=DamageQuery,
)
def damage_list(query: DamageQuery) -> Page[DamageRow]:
    return damage.rows(
        context().records.reader, page_request(query), query.store, query.subject, query.kind
    )


@operation(
    "GET",
    "/growth",
    "Growth of a subject, and its space on each store",
    Permission.VIEW,
    response=Growth,
    query=GrowthQuery,
)
def growth_show(query: GrowthQuery) -> Growth:
    return usage.growth(context().records.reader, query.subject, query.kind)


@operation(
    "GET",
    "/bundles/{bundle_id}/changes",
    "Entries added, changed and removed in a bundle",
    Permission.VIEW,
    response=Page[BundleChange],
    query=ChangesQuery,
)
def bundles_changes(bundle_id: int, query: ChangesQuery) -> Page[BundleChange]:
    db = context().records.reader
    bundle = bundles.bundle(db, bundle_id)
    against = query.against or bundles.before(db, bundle)
    if against is None:
        raise SettingError(
            f"There is no bundle of {bundle.subject} before {bundle.name}.",
            "Name another one to compare with.",
            field="against",
        )
    other = bundles.bundle(db, against)
    if (other.subject_kind, other.subject) != (bundle.subject_kind, bundle.subject):
        raise SettingError(
            f"Bundle {against} is of {other.subject}, not of {bundle.subject}.",
            "Compare two bundles of one subject.",
            field="against",
        )
    with listing_of(other).open("rb") as old, listing_of(bundle).open("rb") as new:
        rows = _wanted(differences(read_lines(old), read_lines(new)), query)
        return page_counted(rows, page_request(query), _change)


def _wanted(rows: Iterator[Difference], query: ChangesQuery) -> Iterator[Difference]:
    words = query.q.lower().encode().split()
    for row in rows:
        if (
            (not query.state or row.state == query.state)
            and (not query.contents or row.kind == query.contents)
            and all(word in row.path.lower() for word in words)
        ):
            yield row


def _change(row: Difference) -> BundleChange:
    return BundleChange(
        kind=row.kind,
        path=to_text(row.path),
        type=row.type,
        state=row.state,  # type: ignore[arg-type]
        what=row.what,
        bytes=row.size,
        before=row.before,
    )
